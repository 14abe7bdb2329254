//! The forms of the stations, filled in as the page sends them: each is one step with its sentence, or a refusal.

use crate::common::server::{lines, Server};
use rocket::http::{ContentType, RawStr, Status};
use tin_cloak_testkit::{wardrobe, wearing_bound};

fn server() -> Server {
    Server::on(wearing_bound(&[("quilted tunic", 1), ("oilskin coat", 3)]).folder)
}

fn encoded(text: &str) -> String {
    RawStr::new(text).percent_encode().to_string()
}

#[test]
fn how_a_piece_is_bound_is_said_by_forms() {
    let server = server();
    let method = |word: &str, influences: usize, more: &str| {
        let form = format!(
            "method={word}&influences={influences}&match_mm=20&match_deg=30&apart=false&apart_mm=0\
             &first=&second=&stretch=0{more}"
        );
        server.step("/fitting/1/method/1", &form)
    };
    let joints = |only: bool, names: &str| {
        server.step("/fitting/1/joints/1", &format!("only={only}&joints={}", encoded(names)))
    };
    let side = |side: &str, picked: &str| {
        server.step("/fitting/1/side/1", &format!("side={side}&reach=30&{picked}"))
    };
    let said = [
        method("surface", 4, ""),
        method("normal", 3, "&stiff_first=true&bend_mm=2"),
        method("magic", 4, ""),
        method("both", 0, ""),
        method("ends", 4, ""),
        joints(false, "head, neck"),
        joints(true, "tail"),
        joints(true, ""),
        side("left", "picked.part=1&picked.vertex=40"),
        side("centre", "picked.part=2&picked.vertex=40"),
        side("right", "picked.part=1&picked.vertex=9999999"),
    ];
    insta::assert_snapshot!(lines(said));
}

#[test]
fn weights_are_cleaned_by_a_form() {
    let server = server();
    let usual = "piece=1&how=smooth&most=3&least=0.02&strength=0.5&times=2&from_left=true&blend=10\
                 &joint=tail&only_joint=false&goes=others&locked=&near=false&near_mm=50&chosen=false";
    let clean = |said: &[(&str, &str)]| {
        let form = said.iter().fold(usual.to_owned(), |form, (field, says)| form.replace(field, says));
        server.step("/fitting/1/clean", &form)
    };
    let how = |how: &str| clean(&[("how=smooth", &format!("how={how}"))]);
    let of_hand = format!("chosen=true&picks={}", encoded(r#"[{"what":{"vertices":[5,6,7,8]}}]"#));
    let picked = ("locked=", "picked.part=1&picked.vertex=40&locked=");
    let said = [
        how("limit"),
        how("prune"),
        how("smooth"),
        how("torn"),
        how("strays"),
        how("mirror"),
        how("remove"),
        how("polish"),
        clean(&[("near=false", "near=true")]),
        clean(&[("near=false", "near=true"), picked]),
        clean(&[("chosen=false", "chosen=true")]),
        clean(&[("chosen=false", &of_hand)]),
        clean(&[("locked=", "locked=tail")]),
    ];
    insta::assert_snapshot!(lines(said));
}

#[test]
fn joints_of_a_piece_are_added_and_changed_by_forms() {
    let server = server();
    let new = "name=tail&parent=hips&axis=left&least=-20&most=40&length=200&reach=150";
    let change = |fields: &str| server.step("/fitting/1/own-joints/change", fields);
    let rest = "parent=hips&tip=0&tip=600&tip=-150&axis=forward&least=-10&most=10&reach=120";
    let said = [
        server.step("/fitting/1/own-joint/2", &format!("{new}&picked.part=2&picked.vertex=50")),
        server.step("/fitting/1/own-joint/2", &format!("{new}&picked.part=2&picked.vertex=50")),
        server.step("/fitting/1/own-joint/9", new),
        change(&format!("name=tail&place=0&place=900&place=-150&{rest}")),
        change(&format!("name=tail&place=0&place=900&{rest}")),
        change(&format!("name=never&place=0&place=900&place=-150&{rest}")),
        server.take(r#"{"do":"remove_joint","name":"tail"}"#),
    ];
    insta::assert_snapshot!(lines(said));
}

#[test]
fn a_plan_is_made_shown_and_done_step_by_step() {
    let server = server();
    assert_eq!(server.get("/fitting/1/plan").0, Status::Ok);
    let none = server.step("/fitting/1/plan/next", "").unwrap_err();
    assert!(none.to_lowercase().contains("no plan"), "{none}");
    assert_eq!(server.post("/fitting/1/plan/all", "").0, Status::UnprocessableEntity);
    // Stopped before anything runs, and asked of a fitting that is not there.
    assert_eq!(server.post("/fitting/1/plan/stop", "").0, Status::NoContent);
    assert_eq!(server.post("/fitting/9/plan", "").0, Status::NotFound);

    // One step tried, seen in the list, done, and forgotten.
    let step = r#"{"do":"move_to_layer","piece":2,"layer":4}"#;
    let tried = server.step("/fitting/1/step?first=true", &format!("step={}", encoded(step))).unwrap();
    assert!(!tried.is_empty());
    let steps = || server.shop.fitting(1).unwrap().fitting.cursor;
    let before = steps();
    assert_eq!(server.post("/fitting/1/forget-tried", "").0, Status::NoContent);
    server.step("/fitting/1/tried/0", "").unwrap_err();
    assert_eq!(steps(), before);
    server.step("/fitting/1/step?first=true", &format!("step={}", encoded(step))).unwrap();
    assert_eq!(server.step("/fitting/1/tried/0", "").unwrap(), "Move oilskin coat to layer 4");
    assert_eq!(steps(), before + 1);
}

fn uploaded(server: &Server, files: &[(&str, &[u8])]) -> (Status, String) {
    let mut body = Vec::new();
    for (name, bytes) in files {
        let head = "--edge\r\nContent-Disposition: form-data; name=\"files\"; filename=";
        body.extend_from_slice(format!("{head}\"{name}\"\r\n\r\n").as_bytes());
        body.extend_from_slice(bytes);
        body.extend_from_slice(b"\r\n");
    }
    body.extend_from_slice(b"--edge--\r\n");
    let kind = ContentType::new("multipart", "form-data").with_params(("boundary", "edge"));
    let request = server.client.post("/assets").header(kind);
    let request = request.header(rocket::http::Header::new("Host", crate::common::server::HOST));
    let answer = request.body(body).dispatch();
    (answer.status(), answer.into_string().unwrap_or_default())
}

/// A motion by itself: brought in, tried, its joints matched by hand.
#[test]
fn a_motion_is_brought_in_tried_and_matched() {
    let server = server();
    let room = server.shop.room(1, None).unwrap();
    let clip = room.dress.body.clips.first().expect("the demo's body has clips").name.clone();
    let (status, text) = server.get(&format!("/fitting/1/motion.bvh?name={}", encoded(&clip)));
    assert_eq!(status, Status::Ok, "{clip}: {text}");
    assert!(text.starts_with("HIERARCHY"), "{}", &text[..40]);

    assert_eq!(uploaded(&server, &[("stroll.bvh", text.as_bytes())]).0, Status::NoContent);
    let asset = server.shop.assets().unwrap().into_iter().find(|a| a.file_name == "stroll.bvh").unwrap().id;
    let said = server.step("/fitting/1/motion", &format!("asset={asset}")).unwrap();
    assert!(said.contains("stroll"), "{said}");
    let (status, table) = server.get("/fitting/1/motion/0");
    assert_eq!(status, Status::Ok);
    let rows = table.matches("<select").count();
    assert!(rows > 20, "{rows} joints of the body");
    let matched = server.step("/fitting/1/motion/0/match", &vec!["source="; rows].join("&"));
    assert!(matched.is_err() || !matched.unwrap().is_empty());
    server.step("/fitting/1/motion/7/match", "source=").unwrap_err();
    server.step("/fitting/1/motion", "asset=9999").unwrap_err();
}

#[test]
fn the_shelf_sorts_what_it_has() {
    let server = server();
    let wick = wardrobe().iter().find(|f| f.name == "boots.glb").unwrap();
    let (status, said) = uploaded(&server, &[("boots.glb", &wick.bytes), ("torn.glb", b"glTF torn")]);
    assert_eq!(status, Status::Ok);
    assert!(
        said.starts_with("Torn.glb: the file is cut short") && said.contains("The rest is on the shelf"),
        "{said}"
    );
    let asset = || server.shop.assets().unwrap().into_iter().find(|a| a.file_name == "boots.glb").unwrap();
    let role = |id: i64, role: &str| server.post(&format!("/assets/{id}/role"), &format!("role={role}"));
    let id = asset().id;
    assert_eq!(asset().role, "piece");
    assert_eq!(role(id, "left%20out").0, Status::NoContent);
    assert_eq!(asset().role, "left out");
    for (id, word) in [(id, "hat"), (9999, "piece")] {
        let (status, _, text) = role(id, word);
        assert!([Status::UnprocessableEntity, Status::NotFound].contains(&status), "{word}: {status} {text}");
    }
    let (status, _, text) = server.post(&format!("/assets/{id}/groups"), "several=true");
    assert!(status == Status::NoContent || text.ends_with('.'), "{status}: {text}");
    assert_eq!(server.post("/assets/9999/groups", "several=true").0, Status::NotFound);
}

#[test]
fn the_body_is_chosen_of_its_file_and_its_joints_are_told() {
    let server = server();
    let mesh = server.shop.room(1, None).unwrap().state.body.mesh.clone();
    let said = [
        server.step("/fitting/1/body-parts", &format!("mesh={}", encoded(&mesh))),
        server.step("/fitting/1/body-parts", "mesh=tail"),
        server.step("/fitting/1/body-parts", ""),
        server.step("/fitting/9/body-parts", "mesh=tail"),
    ];
    insta::assert_snapshot!(lines(said));
    let here = serde_json::json!({ "pose": 3, "turns": [] }).to_string();
    let (status, _, text) = server.send("/fitting/1/snags-here", ContentType::JSON, &here);
    assert!(status == Status::Ok && text.contains("As turned by hand"), "{status} {text}");
}
