//! The command line on a real body and two bare garments (open data, CC0; see
//! `testdata/open-human/README.md`), and on bad input.
#![allow(missing_docs, clippy::unwrap_used)]

use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn data(name: &str) -> String {
    format!("{}/../../testdata/open-human/{name}", env!("CARGO_MANIFEST_DIR"))
}

fn run(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_tin-cloak")).args(args).output().unwrap()
}

fn report(path: &Path) -> Value {
    serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap()
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

/// Errors and warnings of the public glTF validator (npm `gltf-validator`, installed by
/// `scripts/test.sh`).
fn validator(file: &Path) -> Value {
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../scripts/validate-gltf.cjs");
    let out = Command::new("node").arg(script).arg(file).output().expect("node runs the glTF validator");
    assert!(out.status.success(), "run scripts/test.sh once: {}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}

#[test]
fn fit_check_and_mend_a_real_body() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| -> PathBuf { folder.path().join(name) };
    let (dressed, mended) = (path("dressed.glb"), path("mended.glb"));
    let (fit, before, after) = (path("fit.json"), path("before.json"), path("after.json"));
    let skirt = format!("{}@layer=2", data("skirt.obj"));
    let out = run(&[
        "fit",
        "--body",
        &data("body.glb"),
        "--piece",
        &data("bodysuit.glb"),
        "--piece",
        &skirt,
        "--out",
        text(&dressed),
        "--report",
        text(&fit),
    ]);
    assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
    assert!(out.stderr.is_empty(), "quiet when piped");
    let fit = report(&fit);
    assert_eq!(fit["pieces"][0]["name"], "bodysuit");
    assert_eq!(fit["pieces"][1]["layer"], 2);
    assert!(fit["pieces"][0]["max_influences"].as_u64().unwrap() <= 4);
    assert!(fit["pieces"][0]["matched_share"].as_f64().unwrap() > 0.9);
    let issues = validator(&dressed);
    assert_eq!(
        (issues["numErrors"].as_u64(), issues["numWarnings"].as_u64()),
        (Some(0), Some(0)),
        "{issues}"
    );

    let out = run(&["check", text(&dressed), "--report", text(&before)]);
    assert_eq!(out.status.code(), Some(1), "there is poke-through");
    let before = report(&before);
    assert!(before["poses"].as_array().unwrap().len() >= 24);
    assert_eq!(before["skipped_poses"].as_array().unwrap().len(), 0);
    let pair = &before["poses"][5]["pairs"][0];
    for key in [
        "outer",
        "inner",
        "covered",
        "poking",
        "deepest_mm",
        "poking_cm2",
        "buried",
        "sunk",
        "sunk_deepest_mm",
        "least_clearance_mm",
        "worst_strain",
    ] {
        assert!(!pair[key].is_null(), "{key} is missing");
    }

    let out = run(&["mend", text(&dressed), "--out", text(&mended), "--report", text(&after)]);
    assert_eq!(out.status.code(), Some(0));
    let after = report(&after);
    let out_of_tolerance = |r: &Value| -> u64 {
        let pairs = r["poses"].as_array().unwrap().iter().flat_map(|p| p["pairs"].as_array().unwrap());
        pairs.map(|p| p["poking"].as_u64().unwrap() + p["sunk"].as_u64().unwrap()).sum()
    };
    let (was, is) = (out_of_tolerance(&before), out_of_tolerance(&after));
    assert!(is * 2 < was, "{was} vertices out of tolerance became {is}");
    let issues = validator(&mended);
    assert_eq!(
        (issues["numErrors"].as_u64(), issues["numWarnings"].as_u64()),
        (Some(0), Some(0)),
        "{issues}"
    );

    // The file's own clips, and the motion of another file.
    assert!(matches!(run(&["check", text(&dressed), "--trial", "clips"]).status.code(), Some(0 | 1)));
    assert!(matches!(
        run(&["check", text(&dressed), "--trial", &data("body.glb")]).status.code(),
        Some(0 | 1)
    ));
}

#[test]
fn bad_input_is_one_clear_line_and_status_two() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("never.glb");
    let cut = folder.path().join("cut.glb");
    std::fs::write(&cut, &std::fs::read(data("body.glb")).unwrap()[..5000]).unwrap();
    let body = data("body.glb");
    let (suit, missing) = (data("bodysuit.glb"), data("nothing.glb"));
    let joint = format!("{suit}@kind=stiff,joint=elbow_of_a_snake");
    let cases: &[(&[&str], &str)] = &[
        (&["fit", "--body", text(&cut), "--piece", &suit, "--out", text(&out)], "cut short"),
        (&["fit", "--body", &suit, "--piece", &suit, "--out", text(&out)], "has no skin"),
        (&["fit", "--body", &body, "--piece", &missing, "--out", text(&out)], "cannot be read"),
        (
            &["fit", "--body", &body, "--piece", &joint, "--out", text(&out)],
            "no joint named “elbow_of_a_snake”",
        ),
        (
            &["fit", "--body", &body, "--body-mesh", "x", "--piece", &suit, "--out", text(&out)],
            "no mesh named “x”",
        ),
        (&["check", &body], "no pieces"),
        (&["check", &body, "--tolerance-mm", "-1"], "must be numbers from 0 up"),
    ];
    for (args, wanted) in cases {
        let output = run(args);
        let said = String::from_utf8(output.stderr).unwrap();
        assert_eq!(output.status.code(), Some(2), "{args:?}");
        assert!(said.contains(wanted), "{said}");
        assert_eq!(said.lines().count(), 1, "{said}");
        assert!(!out.exists());
    }
    assert_eq!(run(&["fit"]).status.code(), Some(2));
    assert!(String::from_utf8(run(&["--help"]).stdout).unwrap().contains("Exit status"));
}

/// A garment of a dressed file is taken by name, with the weights it came with or new ones.
#[test]
fn weights_that_came_are_kept_or_made_anew() {
    let folder = tempfile::tempdir().unwrap();
    let (dressed, again) = (folder.path().join("dressed.glb"), folder.path().join("again.glb"));
    let told = folder.path().join("fit.json");
    let body = data("body.glb");
    let fit = |piece: &str, out: &Path| {
        run(&["fit", "--body", &body, "--piece", piece, "--out", text(out), "--report", text(&told)])
    };
    assert_eq!(fit(&data("bodysuit.glb"), &dressed).status.code(), Some(0));
    for (options, method) in [("", "came"), (",weights=keep", "came"), (",weights=new", "inpaint")] {
        let out = fit(&format!("{}@mesh=bodysuit{options}", text(&dressed)), &again);
        assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
        assert_eq!(report(&told)["pieces"][0]["method"], method, "{options}");
    }
    for (piece, says) in [
        (format!("{}@mesh=hat", text(&dressed)), "hat"),
        (format!("{}@weights=keep", data("bodysuit.glb")), "came without weights"),
        (format!("{}@weights=some", text(&dressed)), "give keep or new"),
    ] {
        let out = fit(&piece, &again);
        assert_eq!(out.status.code(), Some(2), "{piece}");
        assert!(String::from_utf8_lossy(&out.stderr).contains(says), "{piece}");
    }
}
