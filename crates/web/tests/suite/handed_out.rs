//! What Handover gives: every form as a file of its kind, and the limits of whoever takes it.

use crate::common::server::{lines, Server};
use rocket::http::Status;
use tin_cloak_testkit::wearing_bound;

fn server() -> Server {
    Server::on(wearing_bound(&[("quilted tunic", 1), ("oilskin coat", 3)]).folder)
}

#[test]
fn every_form_begins_as_its_kind_does_and_has_a_name_to_be_saved_under() {
    let server = server();
    // The first bytes are those of the forms' own descriptions; a zip's are of PKWARE's application note.
    for (path, begins, name) in [
        ("dressed.glb", &b"glTF\x02\0\0\0"[..], "Wick.glb"),
        ("outfit.usda", b"#usda 1.0", "Wick.usda"),
        ("outfit.usda?unit=cm&up=Z", b"#usda 1.0", "Wick.usda"),
        ("outfit.usdz", b"PK\x03\x04", "Wick.usdz"),
        ("outfit.zip", b"PK\x03\x04", "Wick.zip"),
        ("outfit.obj", b"", "outfit.obj"),
        ("outfit.mtl", b"", "outfit.mtl"),
        ("masks.csv", b"", "masks.csv"),
        ("patches.csv", b"", "patches.csv"),
    ] {
        let (status, named, bytes) = server.got(&format!("/fitting/1/{path}"));
        assert_eq!(status, Status::Ok, "{path}");
        assert!(bytes.starts_with(begins), "{path}: {:?}", &bytes[..bytes.len().min(12)]);
        assert!(named.is_some_and(|n| n == format!("attachment; filename=\"{name}\"")), "{path}");
    }
    let text = |path: &str| server.get(&format!("/fitting/1/{path}")).1;
    let usda = text("outfit.usda?unit=cm&up=Z");
    assert!(usda.contains("metersPerUnit = 0.01") && usda.contains("upAxis = \"Z\""), "{}", &usda[..400]);
    assert!(text("outfit.mtl").contains("newmtl "));
    assert!(text("outfit.obj").contains("mtllib outfit.mtl"));
}

/// A length in an OBJ in inches is that in metres by 39.37 (an inch is 25.4 mm: ISO 31-1).
#[test]
fn an_obj_in_inches_is_larger_by_just_that() {
    let server = server();
    let tallest = |path: &str| {
        let text = server.get(path).1;
        let heights =
            text.lines().filter_map(|l| l.strip_prefix("v ")?.split(' ').nth(1)?.parse::<f64>().ok());
        heights.fold(0.0, f64::max)
    };
    let (metres, inches) =
        (tallest("/fitting/1/outfit.obj?unit=m"), tallest("/fitting/1/outfit.obj?unit=in"));
    assert!(metres > 1.0 && (inches / metres - 1.0 / 0.0254).abs() < 1e-3, "{metres} m, {inches} in");
}

#[test]
fn forms_that_cannot_be_are_refused_with_what_can() {
    let server = server();
    for (path, status, says) in [
        ("outfit.usda?unit=ell", Status::UnprocessableEntity, "Units are m, cm, mm, in or ft"),
        ("outfit.usdz?up=X", Status::UnprocessableEntity, "Y or Z"),
        ("outfit.obj?pose=handstand", Status::UnprocessableEntity, "there are rest, arms hanging"),
        ("motion.bvh?name=gallop", Status::UnprocessableEntity, "there are rest, range, night round"),
        ("limits?joints_a_vertex=0", Status::UnprocessableEntity, "1 or more"),
        ("motion/7", Status::NotFound, "motion"),
        ("snag/999/cause.png?joint=hips", Status::NotFound, "snag"),
    ] {
        let (found, text) = server.get(&format!("/fitting/1/{path}"));
        assert_eq!(found, status, "{path}: {text}");
        assert!(text.contains(says), "{path}: {text}");
    }
}

#[test]
fn limits_are_kept_under_a_name_told_and_forgotten() {
    let server = server();
    let form = "name=little%20box&joints_a_vertex=2&joints_a_mesh=&vertices_a_mesh=500&shapes_a_mesh=\
                &picture_pixels=&no_joint_scale=false&unit=cm&up=Z";
    let beyond = server.get(&format!("/fitting/1/limits?{form}"));
    assert_eq!(beyond.0, Status::Ok, "{}", beyond.1);
    assert!(beyond.1.contains("quilted tunic") && beyond.1.contains("vertices"), "{}", beyond.1);

    let kept = server.post("/fitting/1/limits-keep", form);
    assert_eq!(kept.0, Status::Ok, "{}", kept.2);
    assert!(kept.2.contains("little box"));
    let form_again = server.get("/fitting/1/limits-form?set=little%20box").1;
    assert!(form_again.contains("value=\"500\""), "{form_again}");
    let gone = server.post("/fitting/1/limits-forget", form).2;
    assert!(!gone.contains("little box"), "{gone}");
    let nameless = server.post("/fitting/1/limits-keep", &form.replace("little%20box", ""));
    assert_eq!(nameless.0, Status::UnprocessableEntity, "{}", nameless.2);
}

#[test]
fn what_is_beyond_a_limit_is_cured_by_a_step_and_the_proof_is_a_job() {
    let server = server();
    let influences = || {
        let room = server.shop.room(1, None).unwrap();
        room.dress.pieces[0].bound.as_ref().unwrap().skin.max_influences()
    };
    assert!(influences() > 2);
    let said = [
        server.step("/fitting/1/limit/1?most=2", ""),
        server.step("/fitting/1/limit/1?most=0", ""),
        server.step("/fitting/1/limit/9?most=2", ""),
    ];
    insta::assert_snapshot!(lines(said));
    assert_eq!(influences(), 2);
    let proof = server.step("/fitting/1/prove", "").unwrap();
    assert!(proof.contains("equal"), "{proof}");
    assert_eq!(server.post("/fitting/9/prove", "").0, Status::NotFound);
}
