//! A real body's suit, skinned, brought in by the page: its weights are kept, shown and matched anew.

use rocket::http::{ContentType, Header, Status};
use rocket::local::blocking::Client;
use std::sync::Arc;
use tin_cloak_web::application;
use tin_cloak_workshop::{
    fit_files, BindOptions, Companions, FollowedShapes, NamedFile, PieceFile, Takes, Workshop,
};

const HOST: &str = "127.0.0.1:8610";

fn open_human(name: &str) -> NamedFile {
    let path = format!("{}/../../testdata/open-human/{name}", env!("CARGO_MANIFEST_DIR"));
    NamedFile { name: name.to_owned(), bytes: std::fs::read(path).unwrap() }
}

struct Server {
    client: Client,
    shop: Arc<Workshop>,
    fitting: i64,
    _folder: tempfile::TempDir,
}

impl Server {
    fn get(&self, path: &str) -> (Status, String) {
        let path = format!("/fitting/{}/{path}", self.fitting);
        let answer = self.client.get(path).header(Header::new("Host", HOST)).dispatch();
        (answer.status(), answer.into_string().unwrap_or_default())
    }

    /// Sends a step and waits for it: its sentence, or why not.
    fn step(&self, path: &str, form: &str) -> Result<String, String> {
        let path = format!("/fitting/{}/{path}", self.fitting);
        let request = self.client.post(path).header(Header::new("Host", HOST)).header(ContentType::Form);
        let answer = request.body(form).dispatch();
        let Some(told) = answer.headers().get_one("HX-Trigger").map(str::to_owned) else {
            return Err(answer.into_string().unwrap_or_default());
        };
        crate::common::outcome(&self.shop, &told)
    }
}

/// The open human in a suit that was bound before, from one file.
fn dressed() -> Server {
    let (layer, kind, joint, keeps, mesh) = (Some(3), None, None, None, None);
    let suit = PieceFile { file: open_human("bodysuit.glb"), layer, kind, joint, keeps, mesh };
    let body = open_human("body.glb");
    let bytes = fit_files(&body, None, &[suit], &BindOptions::default(), &FollowedShapes::None).unwrap().0;
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let assets = shop.bring_in("dressed.glb", &bytes, &Companions::new()).unwrap();
    let fitting = shop.begin("Human", assets.iter().find(|a| a.role == "body").unwrap().id).unwrap();
    let address = "127.0.0.1".parse().unwrap();
    let client = Client::untracked(application(Arc::clone(&shop), address, 8610, &[])).unwrap();
    Server { client, shop, fitting, _folder: folder }
}

#[test]
fn a_skinned_suit_keeps_its_weights_in_the_page() {
    let server = dressed();
    let page = server.get("panels?station=1").1;
    let form = &page[page.find("data-asset=\"bodysuit\"").expect("the suit is offered")..];
    assert!(form[..900].contains("value=\"3\""), "on the layer that its file says");
    let asset = server.shop.assets().unwrap().into_iter().find(|a| a.role == "piece").unwrap().id;
    let said = server.step("add", &format!("asset={asset}&layer=3&kind=soft")).unwrap();
    assert_eq!(said, "Add bodysuit on layer 3");
    let panels = server.get("panels?station=3").1;
    assert!(panels.contains("as it came") && panels.contains("Joints it came with"), "bound already");

    let (status, table) = server.get("came/1");
    assert_eq!(status, Status::Ok);
    let rows = table.matches("<select").count();
    assert!(rows > 50 && table.matches(" selected>").count() == rows, "every joint is known");
    assert_eq!(server.get("came/9").0, Status::NotFound);

    // All of it on the first joint of the body, by hand; and back.
    let first = server.shop.room(server.fitting, None).unwrap().dress.body.skeleton.names[0].clone();
    let all = vec![format!("of_body={first}"); rows].join("&");
    assert_eq!(server.step("came/1", &all).unwrap(), "Match the joints that bodysuit came with");
    let bound = server.shop.room(server.fitting, None).unwrap().dress.pieces[0].bound.clone().unwrap();
    assert_eq!(bound.skin.max_influences(), 1);
    assert!(server.step("came/1", "of_body=tail").unwrap_err().contains("tail"));
    assert!(server.step("came/1", "of_body=").unwrap_err().contains("joints"));
    server.shop.undo(server.fitting).unwrap();
    let bound = server.shop.room(server.fitting, None).unwrap().dress.pieces[0].bound.clone().unwrap();
    assert!(bound.skin.max_influences() > 1 && bound.method == "came");
}

#[test]
fn weights_are_taken_from_several_pieces() {
    let server = dressed();
    let asset = server.shop.assets().unwrap().into_iter().find(|a| a.role == "piece").unwrap().id;
    for layer in 1..4 {
        server.step("add", &format!("asset={asset}&layer={layer}&kind=soft")).unwrap();
    }
    let form = |from: &str, also: &str| format!("from={from}{also}&part=whole&which=&radius=80");
    let takes = || server.shop.room(server.fitting, None).unwrap().recipe_of(3).unwrap().takes;
    server.step("take-from/3", &form("1", "&also=2&also=1")).unwrap();
    assert_eq!(takes(), Takes::Pieces(vec![1, 2]));
    let panels = server.get("panels?station=3").1;
    assert!(panels.contains("name=\"also\" value=\"2\" checked"), "it is shown as chosen");
    // What takes from nothing but itself is refused, and what stood stays.
    server.step("take-from/3", &form("3", "")).unwrap_err();
    assert_eq!(takes(), Takes::Pieces(vec![1, 2]));
    server.step("take-from/3", &form("beneath", "&also=2")).unwrap();
    assert_eq!(takes(), Takes::Beneath);
}

/// Two megabytes and more of table; far beyond what a server takes that nobody told of tables.
#[test]
fn weights_of_a_whole_body_go_out_and_come_in_again() {
    let server = dressed();
    let (status, table) = server.get("piece/0.csv");
    assert!(status == Status::Ok && table.len() > 1_000_000, "{status}: {} bytes", table.len());
    let path = format!("/fitting/{}/by-hand-table/0", server.fitting);
    let send = |text: &str| {
        let body = serde_json::json!({ "text": text, "by_place": false, "locked": [] }).to_string();
        let request = server.client.post(&path).header(Header::new("Host", HOST)).header(ContentType::JSON);
        let answer = request.header(Header::new("Origin", format!("http://{HOST}"))).body(body).dispatch();
        (answer.status(), answer.into_string().unwrap_or_default())
    };
    // Half of what the first joint has goes to the second.
    let (head, rows) = table.split_once("\r\n").unwrap();
    let shared = |row: &str| {
        let mut cells: Vec<f32> = row.split(',').skip(1).map(|n| n.parse().unwrap()).collect();
        (cells[0], cells[1]) = (cells[0] / 2.0, cells[1] + cells[0] / 2.0);
        let cells = cells.iter().map(f32::to_string).collect::<Vec<_>>().join(",");
        format!("{},{cells}", row.split(',').next().unwrap())
    };
    let changed = rows.lines().map(shared).collect::<Vec<_>>().join("\r\n");
    for sent in [format!("{head}\r\n{changed}\r\n"), table.clone()] {
        let (status, told) = send(&sent);
        assert_eq!(status, Status::Ok, "{told}");
        let job = serde_json::from_str::<serde_json::Value>(&told).unwrap()["job"].as_u64().unwrap();
        crate::common::done(&server.shop, job).unwrap();
        let now = server.get("piece/0.csv").1;
        assert_eq!(now == table, sent == table, "to the bit, back and forth");
    }
}
