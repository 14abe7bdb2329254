//! What the server answers to requests that a browser on its own page would not send.

use rocket::http::{ContentType, Header, Status};
use rocket::local::blocking::{Client, LocalResponse};
use std::sync::Arc;
use tin_cloak_web::{application, LARGEST_UPLOAD_MIB};
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{Companions, Workshop};

const HOST: &str = "127.0.0.1:8610";

struct Server {
    client: Client,
    shop: Arc<Workshop>,
    _folder: tempfile::TempDir,
}

fn server() -> Server {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    let address = "127.0.0.1".parse().unwrap();
    let client = Client::untracked(application(Arc::clone(&shop), address, 8610, &["bench".into()])).unwrap();
    Server { client, shop, _folder: folder }
}

impl Server {
    fn get(&self, path: &str) -> LocalResponse<'_> {
        self.client.get(path.to_owned()).header(Header::new("Host", HOST)).dispatch()
    }

    fn post(&self, path: &str, headers: &[(&'static str, &'static str)]) -> LocalResponse<'_> {
        let mut request = self.client.post(path.to_owned()).header(Header::new("Host", HOST));
        for (name, value) in headers {
            request.add_header(Header::new(*name, *value));
        }
        request.dispatch()
    }

    fn fitting(&self) -> i64 {
        let path = format!("{}/../../testdata/open-human/body.glb", env!("CARGO_MANIFEST_DIR"));
        let bytes = std::fs::read(path).unwrap();
        let body = self.shop.bring_in("body.glb", &bytes, &Companions::new()).unwrap();
        self.shop.begin("Test", body[0].id).unwrap()
    }
}

fn upload(server: &Server, files: &[(&str, &[u8])]) -> (Status, String) {
    let mut body = Vec::new();
    for (name, bytes) in files {
        let head = "--edge\r\nContent-Disposition: form-data; name=\"files\"; filename=";
        body.extend_from_slice(format!("{head}\"{name}\"\r\n\r\n").as_bytes());
        body.extend_from_slice(bytes);
        body.extend_from_slice(b"\r\n");
    }
    body.extend_from_slice(b"--edge--\r\n");
    let kind = ContentType::new("multipart", "form-data").with_params(("boundary", "edge"));
    let request = server.client.post("/assets").header(Header::new("Host", HOST)).header(kind);
    let answer = request.body(body).dispatch();
    (answer.status(), answer.into_string().unwrap_or_default())
}

#[test]
fn only_its_own_names_are_answered() {
    let server = server();
    for (host, status) in [
        (HOST, Status::Ok),
        ("localhost:8610", Status::Ok),
        ("BENCH:8610", Status::Ok),
        ("evil.example", Status::MisdirectedRequest),
        ("127.0.0.1:9999", Status::MisdirectedRequest),
    ] {
        let answer = server.client.get("/").header(Header::new("Host", host)).dispatch();
        assert_eq!(answer.status(), status, "{host}");
    }
    assert_eq!(server.client.get("/").dispatch().status(), Status::MisdirectedRequest, "no name at all");
}

#[test]
fn writes_from_elsewhere_are_refused() {
    let server = server();
    let id = server.fitting();
    let path = format!("/fitting/{id}/put-on-all");
    let refused = [("Origin", "http://evil.example")];
    let answer = server.post(&path, &refused);
    assert_eq!(answer.status(), Status::Forbidden);
    assert_eq!(answer.into_string().unwrap(), "changes are taken from this application's own pages only");
    assert_eq!(server.post(&path, &[("Origin", "null")]).status(), Status::Forbidden);
    let page = [("Referer", "http://evil.example/a?b=http://127.0.0.1:8610/")];
    assert_eq!(server.post(&path, &page).status(), Status::Forbidden, "a foreign page, without its origin");
    assert_eq!(server.post(&path, &[("Sec-Fetch-Site", "cross-site")]).status(), Status::Forbidden);
    let own = [("Origin", "http://127.0.0.1:8610"), ("Sec-Fetch-Site", "same-origin")];
    assert_ne!(server.post(&path, &own).status(), Status::Forbidden);
    assert_eq!(server.shop.fitting(id).unwrap().steps.len(), 1, "nothing was changed");
}

#[test]
fn every_answer_carries_the_policy() {
    let server = server();
    for path in ["/", "/nothing", "/static/theme.css"] {
        let answer = server.get(path);
        let policy = answer.headers().get_one("Content-Security-Policy").unwrap();
        assert!(policy.starts_with("default-src 'self'"), "{path}: {policy}");
        assert!(!policy.contains("unsafe"));
    }
}

#[test]
fn an_upload_beyond_the_limit_gets_one_sentence_and_leaves_nothing() {
    let server = server();
    let (status, text) = upload(&server, &[("a.glb", &vec![0; ((LARGEST_UPLOAD_MIB << 20) + 100) as usize])]);
    assert_eq!(status, Status::PayloadTooLarge);
    assert!(text.contains("larger than 256 MB") && text.lines().count() == 1, "{text}");
    let (status, text) = upload(&server, &[("a.glb", b"glTF but not really")]);
    assert_eq!(status, Status::UnprocessableEntity, "{text}");
    assert_eq!(text.lines().count(), 1, "{text}");
    assert!(server.shop.assets().unwrap().is_empty());
}

#[test]
fn a_gltf_is_taken_with_its_buffer_beside_it_and_refused_without() {
    let server = server();
    let path = format!("{}/../../testdata/open-human/bodysuit.glb", env!("CARGO_MANIFEST_DIR"));
    let glb = std::fs::read(path).unwrap();
    // A GLB is a header, the JSON and the buffer: apart again, the buffer under a name.
    let length = |at: usize| u32::from_le_bytes(glb[at..at + 4].try_into().unwrap()) as usize;
    let (json, bin) = (&glb[20..20 + length(12)], &glb[28 + length(12)..]);
    let mut json: rocket::serde::json::Value = rocket::serde::json::from_slice(json).unwrap();
    json["buffers"][0]["uri"] = "suit.bin".into();
    let text = json.to_string();
    let (status, said) = upload(&server, &[("suit.gltf", text.as_bytes())]);
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(said.contains("suit.bin"), "{said}");
    assert!(server.shop.assets().unwrap().is_empty());
    let (status, said) = upload(&server, &[("suit.gltf", text.as_bytes()), ("suit.bin", bin)]);
    assert_eq!(status, Status::NoContent, "{said}");
    assert_eq!(server.shop.assets().unwrap().len(), 1);
}

#[test]
fn ids_that_are_not_there_are_not_found() {
    let server = server();
    let id = server.fitting();
    for path in [
        "/fitting/99".to_owned(),
        "/fitting/-1".to_owned(),
        "/fitting/x".to_owned(),
        format!("/fitting/{id}/mesh/7?key=a"),
        "/static/../Cargo.toml".to_owned(),
        "/static/%2e%2e/%2e%2e/Cargo.toml".to_owned(),
        "/jobs/5/events".to_owned(),
    ] {
        let answer = server.get(&path);
        // A number that is none cannot be taken (422), the others are not there (404).
        let wanted = if path == "/fitting/x" { Status::UnprocessableEntity } else { Status::NotFound };
        assert_eq!(answer.status(), wanted, "{path}");
        assert!(answer.into_string().unwrap().lines().count() == 1, "{path}");
    }
}

/// Words of four bytes, as the script reads them one after the other.
struct Words(Vec<u8>, usize);

impl Words {
    fn take(&mut self) -> [u8; 4] {
        self.1 += 4;
        self.0[self.1 - 4..self.1].try_into().unwrap()
    }

    fn word(&mut self) -> usize {
        u32::from_le_bytes(self.take()) as usize
    }

    fn floats(&mut self, count: usize) -> Vec<f32> {
        (0..count).map(|_| f32::from_le_bytes(self.take())).collect()
    }
}

/// What the script is sent is enough to pose the body as the server does.
#[test]
fn a_pose_is_sent_as_the_script_draws_it() {
    let server = server();
    let id = server.fitting();
    let ask = |what: &str, body: &str| {
        let request = server.client.post(format!("/fitting/{id}/{what}")).header(Header::new("Host", HOST));
        let answer = request.header(ContentType::JSON).body(body).dispatch();
        Words(answer.into_bytes().unwrap(), 0)
    };
    let view = r#"{"pose":3,"map":"weights","joint":5}"#;
    let request =
        server.client.get(format!("/fitting/{id}/skin/0?key=any")).header(Header::new("Host", HOST));
    let mut skin = Words(request.dispatch().into_bytes().unwrap(), 0);
    let (vertices, stride, shapes) = (skin.word(), skin.word(), skin.word());
    assert_eq!(vertices, 13_380);
    let rest = skin.floats(vertices * 3);
    let normals: Vec<[u8; 4]> = (0..vertices).map(|_| skin.take()).collect();
    let length = |n: &[u8; 4]| n[..3].iter().map(|b| f32::from(*b as i8).powi(2)).sum::<f32>().sqrt();
    assert!(normals.iter().all(|n| (length(n) - 127.0).abs() < 3.0), "normals are of length one");
    let joints: Vec<u8> = (0..(vertices * stride).div_ceil(2)).flat_map(|_| skin.take()).collect();
    let joint = |i: usize| usize::from(u16::from_le_bytes([joints[2 * i], joints[2 * i + 1]]));
    let weights = skin.floats(vertices * stride);
    let mut pose = ask("pose", view);
    let (poses, count, amounts) = (pose.word(), pose.word(), pose.word());
    assert_eq!((poses, amounts, pose.0.len()), (1, shapes, 16 + count * 48 + shapes * 4));
    let matrices = pose.floats(1 + count * 12).split_off(1);

    let room = server.shop.room(id, None).unwrap();
    let wanted = room.view(&serde_json::from_str(view).unwrap()).unwrap();
    for v in 0..vertices {
        let p = [rest[3 * v], rest[3 * v + 1], rest[3 * v + 2], 1.0];
        let row = |axis: usize| -> f32 {
            let of = |k: usize| {
                let m = &matrices[joint(v * stride + k) * 12 + axis * 4..][..4];
                weights[v * stride + k] * m.iter().zip(&p).map(|(a, b)| a * b).sum::<f32>()
            };
            (0..stride).map(of).sum()
        };
        let theirs = wanted[0].positions[v].to_array();
        assert!((0..3).all(|axis| (row(axis) - theirs[axis]).abs() < 1e-4), "vertex {v}");
    }
    let mut maps = ask("maps", view);
    let (parts, part, values) = (maps.word(), maps.word(), maps.word());
    assert_eq!((parts, part, values, maps.0.len()), (1, 0, vertices, 16 + vertices * 2));
    let step = maps.floats(1)[0];
    let map = wanted[0].map.as_ref().unwrap();
    for (v, pair) in maps.0[16..].chunks_exact(2).enumerate() {
        let value = f32::from(i16::from_le_bytes([pair[0], pair[1]])) * step;
        assert!((value - map[v]).abs() < 1e-4, "vertex {v}: {value} for {}", map[v]);
    }

    for bad in [r#"{"pose":100000}"#, r#"{"joint":60000,"map":"weights"}"#] {
        let request = server.client.post(format!("/fitting/{id}/maps")).header(Header::new("Host", HOST));
        assert_eq!(
            request.header(ContentType::JSON).body(bad).dispatch().status(),
            Status::NotFound,
            "{bad}"
        );
    }
}

#[test]
fn one_bad_file_does_not_stop_the_others() {
    let server = server();
    let path = format!("{}/../../testdata/open-human/bodysuit.glb", env!("CARGO_MANIFEST_DIR"));
    let good = std::fs::read(path).unwrap();
    let (status, said) =
        upload(&server, &[("a.glb", b"glTF..".as_slice()), ("suit.glb", &good), ("b.obj", b"v 1")]);
    assert_eq!(status, Status::Ok);
    assert!(said.starts_with("A.glb: ") && said.contains("B.obj: "), "{said}");
    assert!(said.ends_with("The rest is on the shelf."), "{said}");
    assert_eq!(server.shop.assets().unwrap().len(), 1);
    // With nothing good among them, it is refused.
    assert_eq!(upload(&server, &[("a.glb", b"glTF.."), ("b.obj", b"v 1")]).0, Status::UnprocessableEntity);
}

/// A module that is not served leaves a page that does nothing.
#[test]
fn every_script_and_style_there_is_is_served() {
    let (server, folder) = (server(), format!("{}/static", env!("CARGO_MANIFEST_DIR")));
    for (within, ending) in [("js/", ".js"), ("", ".css"), ("vendor/", ".js")] {
        for entry in std::fs::read_dir(format!("{folder}/{within}")).unwrap() {
            let name = entry.unwrap().file_name().into_string().unwrap();
            let served = || server.get(&format!("/static/{within}{name}")).status() == Status::Ok;
            assert!(!name.ends_with(ending) || served(), "{within}{name}");
        }
    }
}

/// Scripts arrive small, and at a second visit not at all.
#[test]
fn a_file_is_sent_compressed_and_once() {
    let server = server();
    let ask = |headers: &[(&'static str, String)]| {
        let mut request =
            server.client.get("/static/vendor/three-shared.js").header(Header::new("Host", HOST));
        headers.iter().for_each(|(name, value)| request.add_header(Header::new(*name, value.clone())));
        request.dispatch()
    };
    let plain = ask(&[]);
    assert_eq!(plain.headers().get_one("Content-Encoding"), None, "who does not ask for it gets it as it is");
    let tag = plain.headers().get_one("ETag").unwrap().to_owned();
    let whole = plain.into_bytes().unwrap();
    let zipped = ask(&[("Accept-Encoding", "gzip, br".to_owned())]);
    assert_eq!(zipped.headers().get_one("Content-Encoding"), Some("gzip"));
    let packed = zipped.into_bytes().unwrap();
    assert!(packed.len() * 3 < whole.len(), "{} of {}", packed.len(), whole.len());
    let mut again = Vec::new();
    std::io::Read::read_to_end(&mut flate2::read::GzDecoder::new(&packed[..]), &mut again).unwrap();
    assert!(again == whole);
    let refused = ask(&[("Accept-Encoding", "br, gzip;q=0".to_owned())]);
    assert_eq!(refused.headers().get_one("Content-Encoding"), None);
    let known = ask(&[("If-None-Match", tag)]);
    assert_eq!(known.status(), Status::NotModified);
    assert!(known.into_bytes().unwrap_or_default().is_empty());
    assert_eq!(ask(&[("If-None-Match", "\"another\"".to_owned())]).status(), Status::Ok);
}

/// Whatever lies in the folder of static files is served: a script that is forgotten stops the page.
#[test]
fn every_static_file_is_served() {
    let server = server();
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("static");
    let mut folders = vec![root.clone()];
    let mut served = 0;
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()) {
            if entry.is_dir() {
                folders.push(entry);
                continue;
            }
            let name = entry.strip_prefix(&root).unwrap().to_str().unwrap().to_owned();
            if name.contains("LICENSE") {
                continue;
            }
            assert_eq!(server.get(&format!("/static/{name}")).status(), Status::Ok, "{name}");
            served += 1;
        }
    }
    assert!(served > 40, "{served}");
}
