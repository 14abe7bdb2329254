//! Static files, carried in the binary.

use crate::answers::Refusal;
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Responder};
use rocket::{get, routes, Request, Response, Route};
use std::io::Cursor;
use std::path::PathBuf;

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
    file!("js/joints.js", JavaScript),
    file!("js/layers.js", JavaScript),
    file!("js/measuring.js", JavaScript),
    file!("js/joint-table.js", JavaScript),
    file!("js/keys.js", JavaScript),
    file!("js/notice.js", JavaScript),
    file!("js/picked.js", JavaScript),
    file!("js/shapes.js", JavaScript),
    file!("js/play.js", JavaScript),
    file!("js/renderer.js", JavaScript),
    file!("js/scene.js", JavaScript),
    file!("js/shading.js", JavaScript),
    file!("js/work.js", JavaScript),
    file!("js/weight-table.js", JavaScript),
    file!("vendor/three.module.js", JavaScript),
    file!("vendor/three.core.js", JavaScript),
    file!("vendor/orbit-controls.js", JavaScript),
    file!("vendor/gltf-loader.js", JavaScript),
    file!("vendor/buffer-geometry-utils.js", JavaScript),
    file!("vendor/skeleton-utils.js", JavaScript),
    file!("vendor/htmx.min.js", JavaScript),
    file!("vendor/bootstrap.min.css", CSS),
    file!("vendor/asap-condensed-latin-400-normal.woff2", WOFF2),
    file!("vendor/asap-condensed-latin-500-normal.woff2", WOFF2),
    file!("vendor/asap-condensed-latin-600-normal.woff2", WOFF2),
    file!("vendor/asap-condensed-latin-700-normal.woff2", WOFF2),
];

struct StaticFile(&'static ContentType, &'static [u8]);

impl<'r> Responder<'r, 'static> for StaticFile {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        Response::build()
            .header(self.0.clone())
            .header(Header::new("Cache-Control", "no-cache"))
            .sized_body(self.1.len(), Cursor::new(self.1))
            .max_chunk_size(256 << 10)
            .ok()
    }
}

#[get("/static/<path..>")]
fn static_file(path: PathBuf) -> Result<StaticFile, Refusal> {
    let name = path.to_string_lossy().replace('\\', "/");
    let found = FILES.iter().find(|(n, _, _)| *n == name);
    found
        .map(|(_, kind, bytes)| StaticFile(kind, bytes))
        .ok_or_else(|| Refusal::new(Status::NotFound, "There is no such file."))
}

pub(crate) fn routes() -> Vec<Route> {
    routes![static_file]
}
