//! What scripts ask while a hand works: choosing, and previews that change nothing until they are done.

use crate::common::server::Server;
use rocket::http::{ContentType, Status};
use serde_json::{json, Value};
use tin_cloak_testkit::wearing_bound;

fn server() -> Server {
    Server::on(wearing_bound(&[("quilted tunic", 1)]).folder)
}

fn chosen(server: &Server, piece: u32, picks: &Value) -> Result<Value, String> {
    let asked = json!({ "picks": picks, "view": { "pose": 0 } }).to_string();
    let (status, _, text) = server.send(&format!("/fitting/1/choose/{piece}"), ContentType::JSON, &asked);
    match status == Status::Ok {
        true => Ok(serde_json::from_str(&text).unwrap()),
        false => Err(text),
    }
}

fn count(server: &Server, piece: u32, picks: &Value) -> u64 {
    chosen(server, piece, picks).unwrap()["count"].as_u64().unwrap()
}

#[test]
fn what_is_chosen_is_counted_drawn_and_weighed() {
    let server = server();
    let all = count(&server, 1, &json!([{ "what": "all" }]));
    let left = count(&server, 1, &json!([{ "what": { "side": "left" } }]));
    let right = count(&server, 1, &json!([{ "what": { "side": "right" } }]));
    let centre = count(&server, 1, &json!([{ "what": { "side": "centre" } }]));
    assert_eq!(left + right + centre, all, "sides are all of it, and none twice");
    assert!(left > all / 4 && right > all / 4, "{left}, {right} of {all}");
    let without = json!([{ "what": "all" }, { "what": { "side": "left" }, "how": "take" }]);
    assert_eq!(count(&server, 1, &without), all - left);

    let some = chosen(&server, 1, &json!([{ "what": { "vertices": [5, 6, 7] } }])).unwrap();
    assert_eq!(some["count"], 3);
    assert!(some["drawn"].as_array().unwrap().len() >= 3, "seams are drawn twice");
    let weights: f64 = some["joints"].as_array().unwrap().iter().map(|j| j[1].as_f64().unwrap()).sum();
    assert!((weights - 1.0).abs() < 0.02, "means of the joints' weights add up to one: {weights}");
}

#[test]
fn what_cannot_be_chosen_says_why() {
    let server = server();
    let refused = |piece: u32, picks: Value| chosen(&server, piece, &picks).unwrap_err();
    assert!(refused(9, json!([{ "what": "all" }])).contains("piece"));
    assert!(refused(1, json!([{ "what": { "patch": "never" } }])).contains("never"));
    assert!(refused(1, json!([{ "what": { "joint": { "joint": "tail", "over": 0.1 } } }])).contains("tail"));
    // A number that no vertex has chooses nothing, as a file made elsewhere may have it.
    assert_eq!(count(&server, 1, &json!([{ "what": { "vertices": [9_999_999] } }])), 0);
}

#[test]
fn previews_tell_figures_and_change_nothing() {
    let server = server();
    let steps = || server.shop.fitting(1).unwrap().fitting.cursor;
    let rest = || server.shop.room(1, None).unwrap().dress.pieces[0].rest.to_vec();
    let (before, at) = (rest(), steps());
    let chosen = json!({ "picks": [{ "what": { "vertices": [5, 6, 7] } }] });
    let whole = json!("everything");
    for (path, asked, wanted) in [
        ("move-view", json!({ "chosen": chosen, "options": { "off_mm": 4.0, "fade_mm": 20.0 } }), "before"),
        ("ease-view", json!({ "chosen": whole, "least_mm": 3.0, "most_mm": null }), ""),
        (
            "by-hand-view",
            json!({ "picks": [{ "what": "all" }], "change": { "harden": { "strength": 0.5 } } }),
            "",
        ),
    ] {
        let figures = server.preview(&format!("/fitting/1/{path}/1"), &asked.to_string()).unwrap();
        assert!(!figures.is_empty() && figures.contains(wanted), "{path}: {figures}");
        serde_json::from_str::<Value>(&figures).unwrap_or_else(|e| panic!("{path}: {e}: {figures}"));
    }
    for (path, asked) in [
        ("move-view/9", json!({ "chosen": whole, "options": {} })),
        ("move-view/1", json!({ "chosen": chosen, "options": { "off_mm": 1e30 } })),
        ("ease-view/1", json!({ "chosen": whole, "least_mm": 1e20, "most_mm": null })),
        ("by-hand-view/1", json!({ "picks": [], "change": { "harden": { "strength": 0.5 } } })),
        ("shape-view/1", json!({ "shape": 99, "amount": 1.0 })),
    ] {
        let why = server.preview(&format!("/fitting/1/{path}"), &asked.to_string()).unwrap_err();
        assert!(why.len() > 10 && why.len() < 240, "{path}: {why}");
    }
    assert_eq!(steps(), at);
    assert!(rest() == before);
}

#[test]
fn a_pulled_hand_answers_with_turns_within_ranges() {
    let server = server();
    let names = server.shop.room(1, None).unwrap().dress.body.skeleton.names.clone();
    let number = |part: &str| names.iter().position(|n| n.contains(part));
    let hand = number("hand").expect("the demo's body has hands");
    let pull = |joint: usize, by: [f32; 3]| {
        let asked = json!({ "pose": 0, "joint": joint, "by_mm": by }).to_string();
        server.send("/fitting/1/pull", ContentType::JSON, &asked)
    };
    let (status, _, text) = pull(hand, [0.0, 120.0, 60.0]);
    assert_eq!(status, Status::Ok, "{text}");
    let turns: Value = serde_json::from_str(&text).unwrap();
    assert!(!turns.as_array().unwrap().is_empty(), "{text}");
    for turn in turns.as_array().unwrap() {
        for axis in ["bend", "twist", "lean"] {
            assert!(turn[axis].as_f64().unwrap().abs() <= 180.0, "{turn}");
        }
    }
    for (joint, by) in [(9_999, [0.0; 3]), (hand, [f32::MAX, 0.0, 0.0])] {
        let (status, _, text) = pull(joint, by);
        assert!(status != Status::InternalServerError, "{joint} {by:?}: {text}");
    }
}
