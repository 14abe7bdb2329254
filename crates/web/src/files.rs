//! Static files, carried in the binary.

use crate::answers::Refusal;
use flate2::write::GzEncoder;
use flate2::Compression;
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Responder};
use rocket::{get, routes, Request, Response, Route};
use std::io::{Cursor, Write};
use std::path::PathBuf;
use std::sync::OnceLock;

macro_rules! file {
    ($name:literal, $kind:ident) => {
        ($name, ContentType::$kind, include_bytes!(concat!("../static/", $name)).as_slice())
    };
}

static FILES: &[(&str, ContentType, &[u8])] = &[
    file!("theme.css", CSS),
    file!("shelf.css", CSS),
    file!("fitting.css", CSS),
    file!("printed.css", CSS),
    file!("stations.css", CSS),
    file!("mark.svg", SVG),
    file!("js/fitting.js", JavaScript),
    file!("js/shelf.js", JavaScript),
    file!("js/ask.js", JavaScript),
    file!("js/bare.js", JavaScript),
    file!("js/board.js", JavaScript),
    file!("js/board-edge.js", JavaScript),
    file!("js/brush.js", JavaScript),
    file!("js/by-hand.js", JavaScript),
    file!("js/choosing.js", JavaScript),
    file!("js/compare.js", JavaScript),
    file!("js/figure.js", JavaScript),
    file!("js/handles.js", JavaScript),
    file!("js/hover.js", JavaScript),
    file!("js/regions.js", JavaScript),
    file!("js/released.js", JavaScript),
    file!("js/snags.js", JavaScript),
    file!("js/tool.js", JavaScript),
    file!("js/joints.js", JavaScript),
    file!("js/layers.js", JavaScript),
    file!("js/measuring.js", JavaScript),
    file!("js/joint-table.js", JavaScript),
    file!("js/keys.js", JavaScript),
    file!("js/notice.js", JavaScript),
    file!("js/picked.js", JavaScript),
    file!("js/shapes.js", JavaScript),
    file!("js/steps.js", JavaScript),
    file!("js/play.js", JavaScript),
    file!("js/line.js", JavaScript),
    file!("js/locks.js", JavaScript),
    file!("js/moving.js", JavaScript),
    file!("js/placing.js", JavaScript),
    file!("js/pull.js", JavaScript),
    file!("js/range-here.js", JavaScript),
    file!("js/skeleton.js", JavaScript),
    file!("js/renderer.js", JavaScript),
    file!("js/scene.js", JavaScript),
    file!("js/shading.js", JavaScript),
    file!("js/work.js", JavaScript),
    file!("js/weight-table.js", JavaScript),
    file!("vendor/three.js", JavaScript),
    file!("vendor/three-shared.js", JavaScript),
    file!("vendor/gltf-loader.js", JavaScript),
    file!("vendor/htmx.min.js", JavaScript),
    file!("vendor/bootstrap.min.css", CSS),
    file!("vendor/asap-condensed-latin-400-normal.woff2", WOFF2),
    file!("vendor/asap-condensed-latin-500-normal.woff2", WOFF2),
    file!("vendor/asap-condensed-latin-600-normal.woff2", WOFF2),
    file!("vendor/asap-condensed-latin-700-normal.woff2", WOFF2),
];

/// A file as it is sent, made when it is first asked for.
struct PackedFile {
    /// Names the content: a browser that has it is sent nothing.
    tag: String,
    /// Smaller by gzip; none of what is packed already.
    zipped: Option<Vec<u8>>,
}

/// By place in `FILES`.
static PACKED: [OnceLock<PackedFile>; FILES.len()] = [const { OnceLock::new() }; FILES.len()];

impl PackedFile {
    fn new(bytes: &[u8]) -> Self {
        let tag = format!("\"{}\"", &blake3::hash(bytes).to_hex()[..20]);
        let mut writer = GzEncoder::new(Vec::new(), Compression::best());
        let zipped = writer.write_all(bytes).and_then(|()| writer.finish()).ok();
        Self { tag, zipped: zipped.filter(|z| z.len() < bytes.len() * 9 / 10) }
    }
}

struct StaticFile(usize);

impl<'r> Responder<'r, 'static> for StaticFile {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let (_, kind, bytes) = &FILES[self.0];
        let packed = PACKED[self.0].get_or_init(|| PackedFile::new(bytes));
        let says = |name: &str, word: &str| request.headers().get(name).any(|value| value.contains(word));
        let takes_gzip = |value: &str| {
            let mut codings = value.split(',').map(|coding| coding.replace(' ', ""));
            codings.any(|coding| coding.starts_with("gzip") && !coding.ends_with(";q=0"))
        };
        let mut answer = Response::build();
        // Asked about at each visit, sent anew only when it is another.
        answer.header(Header::new("Cache-Control", "no-cache"));
        answer.header(Header::new("Vary", "Accept-Encoding"));
        answer.header(Header::new("ETag", packed.tag.clone()));
        if says("If-None-Match", &packed.tag) {
            return answer.status(Status::NotModified).ok();
        }
        let zipped = packed.zipped.as_deref();
        let zipped = zipped.filter(|_| request.headers().get("Accept-Encoding").any(takes_gzip));
        if zipped.is_some() {
            answer.header(Header::new("Content-Encoding", "gzip"));
        }
        let body: &'static [u8] = zipped.unwrap_or(bytes);
        answer.header(kind.clone()).sized_body(body.len(), Cursor::new(body)).max_chunk_size(256 << 10).ok()
    }
}

#[get("/static/<path..>")]
fn static_file(path: PathBuf) -> Result<StaticFile, Refusal> {
    let name = path.to_string_lossy().replace('\\', "/");
    let found = FILES.iter().position(|(n, _, _)| *n == name);
    found.map(StaticFile).ok_or_else(|| Refusal::new(Status::NotFound, "There is no such file."))
}

pub(crate) fn routes() -> Vec<Route> {
    routes![static_file]
}
