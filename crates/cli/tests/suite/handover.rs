//! Handover in a real browser, and from the command line: a file is made, read again, opened by another loader and
//! compared; limits, other forms, the report.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;
use std::path::Path;
use std::process::{Command, Output};

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_file_is_made_read_again_limited_and_opened_by_another_loader() {
    let (_server, browser) = the_demos_fitting(Draws::All).await;
    let b = &browser;
    b.put_on("breeches", 1, "soft").await;
    b.step("#card [data-station='3']").await;
    b.step("#bind").await;
    b.step(".tape [data-station='6']").await;

    b.step("#prove").await;
    b.until("document.getElementById('proof')?.textContent.includes('read again: equal within 0.00')").await;
    assert!(b.value("document.getElementById('download').href").await.as_str().unwrap().ends_with(".glb"));

    // What the other side cannot take, with its cost; the cure is a step, after which the file is to be made anew.
    b.value("document.querySelector('#limits-form [name=joints_a_vertex]').value = 2").await;
    b.press("#check-limits").await;
    b.until("document.querySelector('#limits .soft')?.textContent.includes('mm at worst')").await;
    b.step("#limits button").await;
    assert_eq!(b.last_step().await, "At most 2 joints a vertex on breeches");
    assert_eq!(b.value("document.getElementById('proof')").await, json!(null));
    b.step("#undo").await;
    b.until("document.getElementById('proof')").await;

    // In what frame the file is, and the forms that leave that open.
    b.value("document.querySelector('#limits-form [name=unit]').value = 'cm'").await;
    b.press("#check-limits").await;
    b.until("document.querySelector('#limits')?.textContent.includes('centimetres, Y up is wanted')").await;
    let usd = "fetch(document.querySelector('#limits a').href).then(r => r.text())";
    assert!(b.value(usd).await.as_str().unwrap().contains("metersPerUnit = 0.01\n    upAxis = \"Y\""));

    // A set of limits is kept under a name, and chosen again.
    b.value("document.querySelector('#limits-form [name=joints_a_mesh]').value = 77").await;
    b.value("document.querySelector('#limits-form [name=name]').value = 'small'").await;
    b.press("#keep-limits").await;
    b.until("document.getElementById('limit-set')?.value === 'small'").await;
    assert_eq!(
        b.value("document.querySelector('#limits-form [name=joints_a_mesh]').value").await,
        json!("77")
    );
    assert_eq!(b.value("document.querySelector('#limits-form [name=unit]').value").await, json!("cm"));
    b.press("#forget-limits").await;
    b.until("!document.getElementById('limit-set')").await;

    // One piece and one motion alone.
    let chosen = |query: &str| {
        format!(
            "fetch('/fitting/1/chosen.glb?{query}').then(async r => [r.status, \
         (await r.arrayBuffer()).byteLength])"
        )
    };
    let size = |answer: serde_json::Value| (answer[0].as_u64().unwrap(), answer[1].as_u64().unwrap());
    let all = size(b.value(&chosen("")).await);
    let alone = size(b.value(&chosen("piece=1&without_body=true&clip=night+round")).await);
    assert!(all.0 == 200 && alone.0 == 200 && alone.1 * 2 < all.1, "{alone:?} of {all:?}");

    // The report needs nothing else.
    let report = "fetch(document.getElementById('report').href).then(r => r.text())";
    let report = b.value(report).await;
    let report = report.as_str().unwrap();
    assert!(report.contains("read again: equal within") && report.contains("src=\"data:image/png;base64,"));
    assert!(!report.contains("http://") && !report.contains("src=\"/"), "nothing is fetched");

    // Another loader has every vertex where ours has it: three.js' own for glTF, against the OBJ of the same moment.
    b.press("#bare").await;
    b.until("document.getElementById('bare-canvas')?.dataset.ready").await;
    assert_eq!(b.value("document.getElementById('bare-clip').value").await, json!("night round"));
    for seconds in ["0.00", "0.30", "0.50", "0.80", "1.10"] {
        let theirs = format!(
            "import('/static/js/bare.js').then(m => m.vertices('breeches', 'night round', {seconds}))"
        );
        let theirs: Vec<f64> = serde_json::from_value(b.value(&theirs).await).unwrap();
        let ours = format!(
            "fetch('/fitting/1/outfit.obj?pose=' + encodeURIComponent('night round, {seconds} s')).then(r => \
             r.text())"
        );
        let ours = b.value(&ours).await;
        let ours = vertices_of(ours.as_str().unwrap(), "breeches");
        assert_eq!(theirs.len(), ours.len(), "{seconds}");
        let apart = ours.iter().zip(&theirs).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
        assert!(apart < 1e-4, "{apart} m at {seconds} s");
    }
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

/// The vertices of an object of an OBJ, coordinate by coordinate.
fn vertices_of(obj: &str, name: &str) -> Vec<f64> {
    let own = obj.lines().skip_while(|l| *l != format!("o {name}")).skip(1);
    let own = own.take_while(|l| !l.starts_with("o ")).filter_map(|l| l.strip_prefix("v "));
    own.flat_map(|l| l.split(' ').map(|x| x.parse().unwrap())).collect()
}

fn data(name: &str) -> String {
    format!("{}/../../testdata/open-human/{name}", env!("CARGO_MANIFEST_DIR"))
}

fn run(folder: &Path, args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_tin-cloak")).current_dir(folder).args(args).output().unwrap()
}

/// What a reader reads of a page: neither tags nor style nor drawings, a line a line.
fn text_of(html: &str) -> String {
    let mut rest = html.to_owned();
    for (open, close) in [("<style", "</style>"), ("<svg", "</svg>"), ("<", ">")] {
        let mut kept = String::new();
        while let Some((before, after)) = rest.split_once(open) {
            kept.push_str(before);
            rest = after.split_once(close).unwrap().1.to_owned();
        }
        rest = kept + &rest;
    }
    rest.lines().map(str::trim).filter(|l| !l.is_empty()).collect::<Vec<_>>().join("\n")
}

/// On a real body with a bare suit (open data, CC0; see `testdata/open-human/README.md`).
#[test]
fn a_real_body_goes_out_in_other_forms_and_what_is_wrong_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    let done = |args: &[&str], code: i32| -> String {
        let out = run(at, args);
        let said =
            format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr));
        assert_eq!(out.status.code(), Some(code), "{args:?}: {said}");
        said
    };
    let (body, suit) = (data("body.glb"), data("bodysuit.glb"));
    done(&["fit", "--body", &body, "--piece", &suit, "--out", "d.glb"], 0);
    for form in ["o.usda", "o.usdz", "o.obj", "o.glb", "o.zip"] {
        done(&["export", "d.glb", "--to", form], 0);
        assert!(std::fs::metadata(at.join(form)).unwrap().len() > 100_000, "{form}");
    }
    assert!(at.join("o.mtl").exists());
    done(&["export", "d.glb", "--to", "w.csv", "--piece", "bodysuit"], 0);
    assert!(std::fs::read_to_string(at.join("w.csv")).unwrap().starts_with("vertex,"));
    done(&["export", "d.glb", "--to", "w.json", "--piece", "bodysuit"], 0);
    assert!(std::fs::read_to_string(at.join("w.json")).unwrap().starts_with("{\"joints\":["));
    done(&["export", "d.glb", "--to", "alone.glb", "--piece", "bodysuit", "--without-body"], 0);
    done(&["export", "d.glb", "--to", "squat.obj", "--pose", "squat"], 0);
    done(&["export", "d.glb", "--to", "range.bvh", "--motion", "range"], 0);
    std::fs::write(at.join("l.json"), "{\"joints_a_vertex\": 2}").unwrap();
    let mut said = done(&["export", "d.glb", "--to", "o.glb", "--limits", "l.json"], 1);
    std::fs::write(at.join("l.json"), "{\"joints\": 2}").unwrap();
    said += &done(&["export", "d.glb", "--to", "o.glb", "--limits", "l.json"], 2);
    said += &done(&["export", "d.glb", "--to", "o.fbx"], 2);
    said += &done(&["export", "d.glb", "--to", "o.csv"], 2);
    said += &done(&["export", "d.glb", "--to", "o.glb", "--pose", "squat"], 2);
    said += &done(&["export", "d.glb", "--to", "o.obj", "--pose", "handstand"], 2);
    said += &done(&["export", "d.glb", "--to", "o.obj", "--piece", "hat"], 2);
    said += &done(&["export", "d.glb", "--to", "o.bvh"], 2);
    std::fs::write(at.join("l.json"), "{\"unit\": \"cm\", \"up\": \"Z\"}").unwrap();
    said += &done(&["export", "d.glb", "--to", "o.glb", "--limits", "l.json"], 1);
    said += &done(&["export", "d.glb", "--to", "o.glb", "--unit", "cm"], 2);
    said += &done(&["export", "d.glb", "--to", "o.obj", "--unit", "yards"], 2);
    for (form, says) in [("o.usda", "metersPerUnit = 0.01"), ("o.obj", "# centimetres, Z up")] {
        done(&["export", "d.glb", "--to", form, "--limits", "l.json"], 0);
        assert!(std::fs::read_to_string(at.join(form)).unwrap().contains(says), "{form}");
    }
    insta::assert_snapshot!(said);

    // Of the limits named it tells, and of what is wrong with them before anything is measured.
    std::fs::write(at.join("l.json"), "{\"joints\": 2}").unwrap();
    done(&["report", "d.glb", "--out", "r.html", "--limits", "l.json"], 2);
    std::fs::write(at.join("l.json"), "{\"joints_a_vertex\": 2}").unwrap();
    done(&["report", "d.glb", "--out", "r.html", "--limits", "l.json"], 1);
    let report = std::fs::read_to_string(at.join("r.html")).unwrap();
    assert!(
        report.contains("<td>l</td>") && report.contains("to keep it: ") && report.contains("mm at worst")
    );
    assert!(report.contains("The file, read again: equal within 0.00"), "it is what was measured");
    insta::assert_snapshot!(text_of(&report));
}
