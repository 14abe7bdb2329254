//! Every page, fragment and answer of a fitting, asked as the page asks for it.

use crate::common::server::{lines, Server, HOST};
use rocket::http::{ContentType, Header, Status};

#[test]
fn every_page_and_fragment_of_a_fitting_is_answered() {
    let server = Server::of_the_post();
    for station in 1..=6 {
        let (status, page) = server.get(&format!("/fitting/1?station={station}"));
        assert_eq!(status, Status::Ok);
        assert!(
            page.contains("id=\"board\"") && page.contains("sleeve") && !page.contains("{{"),
            "{station}"
        );
        let (status, panels) = server.get(&format!("/fitting/1/panels?station={station}"));
        assert_eq!(status, Status::Ok);
        assert!(panels.matches("hx-swap-oob").count() >= 4, "{station}");
    }
    for (path, holds) in [
        ("/", "kept by an older build"),
        ("/fitting/1/scene", "\"poses\""),
        ("/fitting/1/scene?step=2", "\"bound\":false"),
        ("/fitting/1/snags?pose=0", "nothing out of tolerance"),
        ("/fitting/1/snags?pose=1&row=0", "<h3>"),
        ("/fitting/1/range?joint=upper", "upper"),
        ("/fitting/1/templates-for/1", ""),
        ("/fitting/1/piece-joints/1", "upper"),
        ("/fitting/1/board?station=4", "not measured yet"),
        ("/fitting/1/measuring", "\"running\":false"),
        ("/static/js/measuring.js", "EventSource"),
    ] {
        let (status, text) = server.get(path);
        assert_eq!(status, Status::Ok, "{path}");
        assert!(text.contains(holds), "{path}: {text}");
    }
    for path in ["/fitting/1/mesh/0?key=a", "/fitting/1/mesh/1?key=b", "/fitting/1/dressed.glb"] {
        assert_eq!(server.get(path).0, Status::Ok, "{path}");
    }
    assert!(server.get("/fitting/1/picture.png").1.contains("PNG"));
    // Drawn once: the second is the kept one.
    assert!(server.get("/fitting/1/picture.png").1.contains("PNG"));
}

#[test]
fn what_is_not_there_is_not_found_in_one_sentence() {
    let server = Server::of_the_post();
    for path in [
        "/fitting/9",
        "/fitting/1?station=7",
        "/fitting/9/panels",
        "/fitting/9/board?station=4",
        "/fitting/9/scene",
        "/fitting/1/scene?step=77",
        "/fitting/1/mesh/9?key=a",
        "/fitting/1/snags?pose=999",
        "/fitting/1/range?joint=tail",
        "/fitting/1/piece-joints/9",
        "/fitting/9/picture.png",
        "/fitting/9/dressed.glb",
        "/jobs/99/events",
    ] {
        let (status, text) = server.get(path);
        assert_eq!(status, Status::NotFound, "{path}: {text}");
        assert!(text.ends_with('.') && text.len() < 200, "{path}: {text}");
    }
    let (status, _, text) = server.post("/fitting/9/measure", "");
    assert_eq!(status, Status::NotFound, "{text}");
    // Asking how a fitting that is not there is getting on tells nothing, and ends.
    assert!(server.get("/fitting/9/measuring").1.contains("\"running\":false"));
}

#[test]
fn the_board_fills_behind_the_page_and_its_fragment_tells() {
    let server = Server::of_the_post();
    let (_, before) = server.get("/fitting/1/board?station=4");
    assert!(before.contains("data-missing") && before.contains("cell unknown"), "{before}");
    assert!(!before.contains("id=\"layers\""), "of half a board nothing else is told");
    assert_eq!(server.post("/fitting/1/measure", "").0, Status::NoContent);
    let events = server.get("/fitting/1/measuring").1;
    assert!(events.trim_end().ends_with("\"running\":false}"), "{events}");
    let (_, after) = server.get("/fitting/1/board?station=4");
    assert!(!after.contains("data-missing") && !after.contains("cell unknown"));
    for part in ["id=\"layers\"", "id=\"head\"", "id=\"last-step\"", "id=\"depth\""] {
        assert!(after.contains(part), "{part}");
    }
    // Against an earlier step nothing has to be measured that was not.
    let (status, against) = server.get("/fitting/1/board?station=4&against=3");
    assert_eq!(status, Status::Ok);
    assert!(against.contains("against step 3"));
    assert_eq!(server.post("/fitting/1/measure/stop", "").0, Status::NoContent);
}

#[test]
fn steps_are_taken_undone_and_refused_over_the_page() {
    let server = Server::of_the_post();
    let said = [
        server.take(r#"{"do":"bind","pieces":[1]}"#),
        server.take(r#"{"do":"set_kind","piece":1,"kind":"mixed"}"#),
        server.take(r#"{"do":"move_to_layer","piece":1,"layer":3}"#),
        server.take(r#"{"do":"set_place","piece":1,"place":"arms"}"#),
        server.take(
            r#"{"do":"place","piece":1,"options":{"shift_mm":[1,0,0],"turn_degrees":[0,0,0],
                "size_percent":[100,100,100],"about":null}}"#,
        ),
        server.step("/fitting/1/bind", "missing=true"),
        server.take(r#"{"do":"mirror","piece":1}"#),
        server.take(r#"{"do":"set_role","joint":"upper","role":"deforms"}"#),
        server.take(
            r#"{"do":"push_out","pieces":[],"chosen":"everything","options":{"margin_mm":1,"limit_mm":20}}"#,
        ),
        server.take(r#"{"do":"keep_volume","pieces":[],"least_mm":1}"#),
        Ok(server.get("/fitting/1/volume").1.trim().to_owned()),
        server.take(r#"{"do":"remove_piece","piece":1}"#),
    ];
    insta::assert_snapshot!(lines(said));
    let (status, trigger, _) = server.post("/fitting/1/undo", "");
    assert_eq!(
        (status, trigger.as_deref()),
        (Status::NoContent, Some("{\"fitting-changed\":{\"target\":\"body\"}}"))
    );
    assert_eq!(server.post("/fitting/1/redo", "").0, Status::NoContent);
    let (status, _, text) = server.post("/fitting/1/redo", "");
    assert_eq!((status, text.as_str()), (Status::UnprocessableEntity, "There is nothing to do again."));
    assert_eq!(server.post("/fitting/1/go/2", "").0, Status::NoContent);
    assert_eq!(server.shop.fitting(1).unwrap().fitting.cursor, 2);
    for (path, form, status) in [
        ("/fitting/1/go/88", "", Status::NotFound),
        ("/fitting/1/step", "step={\"do\":\"fly\"}", Status::UnprocessableEntity),
        ("/fitting/1/step", "step={\"do\":\"mirror\"}", Status::UnprocessableEntity),
        ("/fitting/1/step", "", Status::UnprocessableEntity),
        ("/fitting/9/bind", "missing=false", Status::NotFound),
        ("/fitting/1/cure/0/99", "label=x", Status::Conflict),
    ] {
        let (found, _, text) = server.post(path, form);
        assert_eq!(found, status, "{path} {form}: {text}");
    }
}

#[test]
fn poses_are_looked_at_and_probed() {
    let server = Server::of_the_post();
    let json = |path: &str, body: &str| server.send(path, ContentType::JSON, body);
    for map in ["plain", "weights", "regions", "matched", "sides", "clearance"] {
        let turn = "{\"joint\":1,\"bend\":10,\"twist\":0,\"lean\":0}";
        let body = format!("{{\"pose\":1,\"map\":\"{map}\",\"joint\":1,\"turns\":[{turn}]}}");
        let request = server.client.post("/fitting/1/maps").header(Header::new("Host", HOST));
        let answer = request.header(ContentType::JSON).body(body).dispatch();
        assert_eq!(answer.status(), Status::Ok, "{map}");
        assert_eq!(answer.into_bytes().unwrap()[..4], 2u32.to_le_bytes(), "{map}: two parts");
    }
    let ray = "{\"pose\":0,\"origin\":[0,0.5,3],\"direction\":[0,0,-1]";
    let (status, _, found) = json("/fitting/1/probe", &format!("{ray}}}"));
    assert_eq!(status, Status::Ok);
    assert!(found.contains("\"name\":\"sleeve\""), "{found}");
    let (_, _, found) = json("/fitting/1/probe", &format!("{ray},\"hidden\":[1]}}"));
    assert!(found.contains("\"name\":\"post\""), "{found}");
    let (_, _, found) = json("/fitting/1/probe", "{\"pose\":0,\"origin\":[9,9,9],\"direction\":[0,1,0]}");
    assert_eq!(found, "null");
    let stroke = "{\"stroke\":\"pull_out\",\"strength\":2,\"firm_percent\":0,\"radius_mm\":80,\
                  \"dabs\":[40],\"mirrored\":false}";
    let request = server.client.post("/fitting/1/brush-view/1").header(Header::new("Host", HOST));
    let answer = request.header(ContentType::JSON).body(stroke).dispatch();
    assert_eq!(answer.status(), Status::Ok);
    assert!(answer.headers().get_one("X-Figures").unwrap().contains("\"before\""));
    let (status, _, text) = json("/fitting/1/maps", "{\"pose\":9999}");
    assert_eq!(status, Status::NotFound, "{text}");
    let (status, _, text) = json("/fitting/1/maps", "{\"pose\":0,\"joint\":77}");
    assert_eq!(status, Status::NotFound, "{text}");
}

#[test]
fn a_shelf_of_two_hundred_fittings_is_listed_without_decoding_one() {
    let server = Server::of_the_post();
    let body = server.shop.assets().unwrap()[0].id;
    (0..200).for_each(|n| {
        server.shop.begin(&format!("fitting {n}"), body).unwrap();
    });
    let (status, page) = server.get("/");
    assert_eq!(status, Status::Ok);
    assert_eq!(page.matches("class=\"card-link\"").count(), 201);
    // A state that cannot be understood does not keep the others from being listed.
    assert!(server.shop.listed().unwrap().iter().all(|(_, s)| s.as_ref().is_ok_and(|s| s.body == "post")));
}

/// Every route with numbers of nothing and an empty body: refused, never broken.
#[test]
fn nonsense_is_refused_by_every_route() {
    let server = Server::of_the_post();
    let routes: Vec<(rocket::http::Method, String)> =
        server.client.rocket().routes().map(|r| (r.method, r.uri.to_string())).collect();
    assert!(routes.len() > 60, "{} routes", routes.len());
    for (method, uri) in routes {
        for nothing in ["999999", "-1", "x%00y"] {
            let mut path = String::new();
            for (i, part) in uri.split(['<', '>']).enumerate() {
                path.push_str(if i % 2 == 1 { nothing } else { part });
            }
            let path = path.split('?').next().unwrap().to_owned();
            for kind in [ContentType::Form, ContentType::JSON] {
                let request = server.client.req(method, path.clone()).header(Header::new("Host", HOST));
                let answer = request.header(kind).body("{").dispatch();
                let status = answer.status();
                assert!(status.code < 500, "{method} {path}: {status}");
            }
        }
    }
    // The fitting is as it was.
    assert!(server.get("/fitting/1").1.contains("sleeve"));
}

/// What the description promises is there, and what is there for scripts is in it.
#[test]
fn the_description_for_scripts_is_that_of_the_routes() {
    let server = Server::of_the_post();
    let described: serde_json::Value = serde_json::from_str(tin_cloak_web::OPENAPI).unwrap();
    let open = |uri: &str| uri.split('?').next().unwrap().replace('<', "{").replace('>', "}");
    let routes: Vec<(String, String)> = server
        .client
        .rocket()
        .routes()
        .map(|r| (r.method.to_string().to_lowercase(), open(&r.uri.to_string())))
        .collect();
    let mut known = Vec::new();
    for (path, methods) in described["paths"].as_object().unwrap() {
        for (method, says) in methods.as_object().unwrap() {
            assert!(routes.contains(&(method.clone(), path.clone())), "{method} {path} is not there");
            let named = says["parameters"]
                .as_array()
                .map_or(0, |list| list.iter().filter(|p| p["$ref"].is_string()).count());
            assert_eq!(named, path.matches('{').count(), "{method} {path}: its parameters");
            known.push(path.clone());
        }
    }
    let for_scripts = ["assets.json", "fittings.json", "state.json", "report.json", "recipe.json"];
    for (_, path) in routes.iter().filter(|r| for_scripts.iter().any(|end| r.1.ends_with(end))) {
        assert!(known.contains(path), "{path} is not described");
    }
    assert_eq!(server.get("/openapi.json").1, tin_cloak_web::OPENAPI);
    // What they answer has the fields that the description names.
    for (path, schema) in
        [("/assets.json", "Asset"), ("/fittings.json", "FittingRow"), ("/fitting/1/state.json", "Fitting")]
    {
        let answer: serde_json::Value = serde_json::from_str(&server.get(path).1).unwrap();
        let one = answer.get(0).unwrap_or(&answer);
        let wanted = described["components"]["schemas"][schema]["required"].as_array().unwrap();
        assert!(wanted.iter().all(|field| one.get(field.as_str().unwrap()).is_some()), "{path}: {one}");
        assert_eq!(one.as_object().unwrap().len(), wanted.len(), "{path}: {one}");
    }
}

/// What a form says that no page sends is refused, and changes nothing.
#[test]
fn odd_forms_are_refused_in_one_sentence() {
    let server = Server::of_the_post();
    let cases = [
        ("/fitting/1/call-up", "shape=x&joint=y&axis=w", "x, y or z axis"),
        ("/fitting/1/call-up", "shape=cough", "has no shape “cough”"),
        ("/fitting/1/follow-shapes", "follow=true&shape=cough", "shape"),
    ];
    for (path, form, wanted) in cases {
        let (status, trigger, text) = server.post(path, form);
        let said = match status == Status::NoContent {
            true => crate::common::outcome(&server.shop, &trigger.unwrap()).unwrap_err(),
            false => text,
        };
        assert!(said.contains(wanted), "{path} {form}: {said}");
    }
    let said = include_str!("odd_steps.txt").lines().filter(|l| !l.is_empty()).map(|step| {
        let outcome = server.take(step);
        format!("{step}\n    {}", outcome.unwrap_or_else(|why| format!("refused: {why}")))
    });
    insta::assert_snapshot!("odd_steps", said.collect::<Vec<_>>().join("\n"));
    // A plan that leaves everything out leaves the page something to show.
    let nothing = r#"["built_in","clips","motions","by_hand","planned"]"#;
    let plan = format!(r#"{{"do":"try","plan":{{"left_out":{nothing}}},"said":"Trials: none"}}"#);
    assert_eq!(server.take(&plan).unwrap(), "Trials: none");
    assert!(server.get("/fitting/1?station=4").1.contains("id=\"board\""));
    assert!(server.get("/fitting/1/scene").1.contains("\"rest\""));
}

/// One fitting whose state is damaged: the Shelf and the others stand, and it can be taken back, kept
/// as text, or thrown away.
#[test]
fn a_fitting_that_cannot_be_read_breaks_nothing_else() {
    let server = Server::of_the_post();
    let body = server.shop.assets().unwrap().into_iter().find(|a| a.role == "body").unwrap().id;
    let good = server.shop.begin("sound", body).unwrap();
    let database = server.folder.path().join("tin-cloak.sqlite");
    let damage = |what: &str| {
        let store = rusqlite::Connection::open(&database).unwrap();
        let last = "fitting = 1 AND seq = (SELECT cursor FROM fittings WHERE id = 1)";
        store.execute(&format!("UPDATE steps SET {what} WHERE {last}"), []).unwrap();
    };
    damage("summary = '{\"body\": 7'");
    let (status, shelf) = server.get("/");
    assert_eq!(status, Status::Ok);
    assert!(shelf.contains("sound") && shelf.contains("Take the last step back"), "{shelf}");
    // Its state is a picture now.
    damage("state = (SELECT file FROM assets LIMIT 1)");
    let (status, text) = server.get("/fitting/1");
    assert_eq!(status, Status::Ok);
    assert!(text.contains("cannot be shown") && text.contains("kept.json"), "{text}");
    assert_eq!(server.get("/fitting/1/panels").0, Status::InternalServerError);
    assert_eq!(server.get(&format!("/fitting/{good}")).0, Status::Ok);
    assert!(server.get("/fitting/1/kept.json").1.contains("\"stands_at\""));
    let (status, _, _) = server.post("/fitting/1/take-back", "");
    assert_eq!(status, Status::SeeOther);
    assert!(server.get("/fitting/1").1.contains("id=\"board\""), "the step before it is sound");
    assert_eq!(server.get("/").0, Status::Ok);
}

/// Undo asked twice at the same moment is two steps back.
#[test]
fn two_undos_at_once_are_two_steps_back() {
    let server = Server::of_the_post();
    let steps = server.shop.fitting(1).unwrap().fitting.cursor;
    assert!(steps >= 3, "{steps}");
    std::thread::scope(|s| {
        (0..2).for_each(|_| drop(s.spawn(|| server.shop.undo(1).unwrap())));
    });
    assert_eq!(server.shop.fitting(1).unwrap().fitting.cursor, steps - 2);
    std::thread::scope(|s| {
        (0..5).for_each(|_| drop(s.spawn(|| drop(server.shop.redo(1)))));
    });
    assert_eq!(server.shop.fitting(1).unwrap().fitting.cursor, steps);
}

#[test]
fn trials_are_set_and_told_over_the_page() {
    let server = Server::of_the_post();
    let trials =
        |change: &str| server.take(&format!(r#"{{"do":"change_trials","change":{{"set":{change}}}}}"#));
    let pair = r#""outer":"sleeve","inner":"post""#;
    let on = |what: &str, on: bool| trials(&format!(r#""{what}","on":{on}"#));
    let rest = r#""target":{"pose":{"group":"built-in","name":"rest"}}"#;
    let said = [
        trials(&format!(r#""count",{rest},"counts":"stress","note":"a puppet""#)),
        trials(&format!(r#""count","target":{{"pair":{{{pair}}}}},"counts":"aside","note":"""#)),
        trials(&format!(r#""count_again",{rest}"#)),
        server.take(r#"{"do":"set_tolerance","tolerance_mm":2}"#),
        trials(&format!(r#""pair_tolerance",{pair},"tolerance_mm":3.5"#)),
        trials(&format!(r#""pair_tolerance",{pair},"tolerance_mm":null"#)),
        server.take(r#"{"do":"set_tolerance","tolerance_mm":-1}"#),
        on("hidden_counts", true),
        on("body_shapes", true),
        on("shapes_in_clips", true),
        on("shapes_in_clips", false),
        on("ground", true),
        on("on_the_way", true),
        on("on_the_way", false),
        trials(r#""combined","poses":4,"seed":2"#),
        trials(r#""combined","poses":0,"seed":2"#),
        trials(r#""combined","poses":9999,"seed":2"#),
        trials(r#""taken_off","pieces":["coat"]"#),
        trials(r#""taken_off","pieces":[]"#),
        trials(r#""frames_of_clips","frames":{"rate":30}"#),
        trials(r#""swing","joint":"upper","axis":"turn","steps":3,"both_sides":false,"coupled":true"#),
        trials(r#""swing","joint":"tail","axis":null,"steps":3,"both_sides":false,"coupled":true"#),
        trials(r#""no_swing","group":"tail turn""#),
        trials(r#""random","poses":2,"seed":3"#),
    ];
    insta::assert_snapshot!(lines(said));
    // What is set is told: on the card, as a file that is read again, on the board and on the page to print.
    let (_, card) = server.get("/fitting/1/panels?station=4");
    assert!(card.contains("upper turn") && card.contains("sleeve over post: left aside"), "{card}");
    let (status, set) = server.get("/fitting/1/trials.json");
    assert!(status == Status::Ok && set.contains("\"rate\": 30"), "{set}");
    let (status, _, job) = server.send("/fitting/1/trials.json", ContentType::JSON, &set);
    assert_eq!(status, Status::Ok, "{job}");
    crate::common::outcome(&server.shop, &format!("{{\"job-started\":{job}}}")).unwrap();
    assert_eq!(server.get("/fitting/1/trials.json").1, set);
    assert_eq!(server.post("/fitting/1/measure", "").0, Status::NoContent);
    server.get("/fitting/1/measuring");
    let (_, board) = server.get("/fitting/1/board?station=4&counted=true&worst=true&only=1");
    assert!(board.contains("deepest poses first") && !board.contains("sleeve over post\n"), "{board}");
    let csv = server.get("/fitting/1/board.csv").1;
    assert!(csv.starts_with("group,pose,outer,inner") && csv.contains(",left aside,"), "{csv}");
    let (status, printed) = server.get("/fitting/1/report");
    assert!(
        status == Status::Ok && printed.contains("upper turn: 3 poses") && !printed.contains("{{"),
        "{printed}"
    );
    assert_eq!(server.get("/fitting/1/worst-snags").0, Status::Ok);
    assert_eq!(server.get("/fitting/1/played?group=upper%20turn").0, Status::Ok);
    let (status, here) = server.get("/fitting/1/snags?pose=0&row=0");
    assert!(status == Status::Ok && here.contains("How it counts"), "{here}");
    for (path, form, status) in [
        ("/fitting/1/trials-of", "fitting=9", Status::NotFound),
        ("/fitting/1/put-on-all", "", Status::UnprocessableEntity),
        ("/fitting/1/trials.json", "{}}", Status::UnprocessableEntity),
    ] {
        let (found, _, text) = server.post(path, form);
        assert_eq!(found, status, "{path} {form}: {text}");
        assert!(text.ends_with('.') && text.len() < 240, "{path}: {text}");
    }
    assert_eq!(server.get("/fitting/1/snag/999/picture.png").0, Status::NotFound);
}
