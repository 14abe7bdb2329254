//! The command line on a real body and two bare garments (open data, CC0; see
//! `testdata/open-human/README.md`), and on bad input.

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

    // Against one pair in one pose alone, and for combined poses too; names that are none are refused.
    let one = path("one.glb");
    let to = ["mend", text(&dressed), "--out", text(&one)];
    let (outer, inner) = (pair["outer"].as_str().unwrap(), pair["inner"].as_str().unwrap());
    let (names, pose) = (format!("{outer}:{inner}"), before["poses"][5]["name"].as_str().unwrap());
    let out = run(&[&to[..], &["--pair", &names, "--pose", pose]].concat());
    assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
    for (option, value, wanted) in [
        ("--pair", "hat:boots", "not worn"),
        ("--pair", "hat", "OUTER:INNER"),
        ("--pose", "a somersault", "no trial pose is called"),
        ("--combined", "501", "at most 500 combined poses"),
    ] {
        let out = run(&[&to[..], &[option, value]].concat());
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert!(out.status.code() == Some(2) && said.contains(wanted), "{option} {value}: {said}");
    }

    // A plan of one means: told, and done where that is wished.
    let planned = path("planned.glb");
    let out = run(&["mend", text(&dressed), "--plan", "--only", "leave", "--out", text(&planned)]);
    let said = String::from_utf8_lossy(&out.stdout);
    assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
    let cells = |line: &str| -> Vec<u64> { line.split(' ').filter_map(|w| w.parse().ok()).collect() };
    let first = cells(said.lines().next().unwrap());
    assert!(said.contains("cells out of tolerance") && first[1] <= first[0], "{said}");
    assert!(said.lines().any(|l| l.starts_with("left, ") || l.starts_with("1. ")), "{said}");
    assert_eq!(validator(&planned)["numErrors"].as_u64(), Some(0));
    // In the poses that a check takes.
    let clips = ["--plan", "--only", "leave", "--trial", "clips", "--frames", "3"];
    let of_clips = run(&[&["mend", text(&dressed)], &clips[..]].concat());
    assert_eq!(of_clips.status.code(), Some(0), "{}", String::from_utf8_lossy(&of_clips.stderr));
    let of_clips = String::from_utf8_lossy(&of_clips.stdout).into_owned();
    assert!(
        cells(of_clips.lines().next().unwrap())[0] < first[0],
        "three frames a clip have fewer: {of_clips}"
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
        (&["fit", "--body", &body, "--piece", &joint, "--out", text(&out)], "no joint “elbow_of_a_snake”"),
        (
            &["fit", "--body", &body, "--body-mesh", "x", "--piece", &suit, "--out", text(&out)],
            "no mesh named “x”",
        ),
        // A name may have the sign in it.
        (&["fit", "--body", &body, "--piece", "an@odd/name.glb", "--out", text(&out)], "an@odd/name.glb"),
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
    for option in ["weights=old", "layer=0", "kind=woolly", "size=3"] {
        let piece = format!("{suit}@{option}");
        let output = run(&["fit", "--body", &body, "--piece", &piece, "--out", text(&out)]);
        let said = String::from_utf8(output.stderr).unwrap();
        assert_eq!(output.status.code(), Some(2), "{option}");
        assert!(said.contains(option.split('=').next().unwrap()) && said.contains(": give "), "{said}");
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
    for (options, method) in [("", "came"), (",weights=keep", "came"), (",weights=new", "both")] {
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

/// The demo's figure in a tunic, dressed and written to `folder`.
fn dressed_demo(folder: &Path) -> PathBuf {
    let wardrobe = tin_cloak_testkit::wardrobe();
    for name in ["wick.glb", "quilted tunic.glb", "scale cloak.glb"] {
        let file = wardrobe.iter().find(|f| f.name == name).unwrap();
        std::fs::write(folder.join(name), &file.bytes).unwrap();
    }
    let (body, out) = (folder.join("wick.glb"), folder.join("dressed.glb"));
    let (tunic, cloak) = (folder.join("quilted tunic.glb"), folder.join("scale cloak.glb"));
    let told = run(&[
        "fit",
        "--body",
        text(&body),
        "--piece",
        text(&tunic),
        "--piece",
        text(&cloak),
        "--out",
        text(&out),
    ]);
    assert_eq!(told.status.code(), Some(0), "{}", String::from_utf8_lossy(&told.stderr));
    out
}

#[test]
fn check_takes_a_trial_set_frames_and_tolerances_of_pairs() {
    let folder = tempfile::tempdir().unwrap();
    let dressed = dressed_demo(folder.path());
    let path = folder.path().join("report.json");
    let set = folder.path().join("set.json");
    let check = |args: &[&str]| {
        let mut all = vec!["check", text(&dressed), "--report", text(&path)];
        all.extend(args);
        let out = run(&all);
        (out.status.code(), String::from_utf8_lossy(&out.stderr).into_owned())
    };
    assert_eq!(check(&["--trial", "clips", "--frames", "5"]).0, Some(1));
    let five = report(&path);
    assert_eq!(five["poses"].as_array().unwrap().len(), 10, "two clips of five frames");
    let verdict = five["verdict"].clone();
    assert!(verdict["cells_out"].as_u64().unwrap() > 0 && verdict["clear"] == false, "{verdict}");
    let keys: Vec<&String> = five["poses"][0]["pairs"][0].as_object().unwrap().keys().collect();
    insta::assert_debug_snapshot!(keys);
    let itself = |pose: &Value| pose["pairs"].as_array().unwrap().iter().any(|p| p["outer"] == p["inner"]);
    assert!(five["poses"].as_array().unwrap().iter().any(itself), "a layer in itself is told of");
    check(&["--trial", "clips", "--frames", "5", "--every-pair"]);
    assert_eq!(
        report(&path)["poses"][0]["pairs"].as_array().unwrap().len(),
        6,
        "three layers, each in itself too"
    );

    // What a set tries besides is tried here, too: the way to each built-in pose, and shapes that stay off.
    let poses = |set_says: &str| {
        std::fs::write(&set, set_says).unwrap();
        check(&["--trial", text(&set)]);
        let told = report(&path)["poses"].as_array().unwrap().clone();
        told.iter().map(|p| p["name"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let (few, more) = (
        poses(r#"{"left_out": ["clips"]}"#),
        poses(r#"{"left_out": ["clips"], "on_the_way": true, "driven_off": true}"#),
    );
    let on_the_way = more.iter().filter(|n| n.starts_with("half of") || n.starts_with("three quarters of"));
    assert_eq!((on_the_way.count(), more.len()), (2 * (few.len() - 1), 3 * few.len() - 2), "{more:?}");

    // Everything is let pass between all pairs that were out.
    let mut lax: Vec<String> = vec!["--trial".into(), "clips".into(), "--frames".into(), "5".into()];
    for pose in five["poses"].as_array().unwrap() {
        for pair in pose["pairs"].as_array().unwrap() {
            lax.push("--tolerance-mm".into());
            lax.push(format!("{}:{}=150", pair["outer"].as_str().unwrap(), pair["inner"].as_str().unwrap()));
        }
    }
    assert_eq!(check(&lax.iter().map(String::as_str).collect::<Vec<_>>()).0, Some(0));
    assert_eq!(report(&path)["verdict"]["clear"], true);

    // A set that leaves one clip aside, keeps the other for stress, and swings a joint.
    let plan = r#"{ "frames": { "some": 4 },
        "sweeps": [{ "joint": "head", "axis": "turn", "steps": 3 }],
        "counts": [{ "target": { "group": { "group": "night round" } }, "counts": "stress" },
                   { "target": { "group": { "group": "range" } }, "counts": "aside", "note": "a puppet" },
                   { "target": { "group": { "group": "light the lamp" } }, "counts": "aside" }] }"#;
    std::fs::write(&set, plan).unwrap();
    let (code, _) = check(&["--trial", text(&set)]);
    let told = report(&path);
    let count =
        |counts: &str| told["poses"].as_array().unwrap().iter().filter(|p| p["counts"] == counts).count();
    assert_eq!((count("stress"), count("counted")), (4, 4), "rest and three of the head count");
    assert!(told["verdict"]["stress_cells_out"].as_u64().unwrap() > 0);
    assert_eq!(code, Some(i32::from(told["verdict"]["cells_out"].as_u64().unwrap() > 0)));

    // Bad input: one sentence.
    std::fs::write(&set, "{ \"frames\": \"some\" }").unwrap();
    let wrong = [
        check(&["--trial", text(&set)]),
        check(&["--frames", "none"]),
        check(&["--tolerance-mm", "coat=1"]),
        check(&["--tolerance-mm", "-1"]),
    ];
    assert!(wrong.iter().all(|w| w.0 == Some(2)), "{wrong:?}");
    let first = |w: &(Option<i32>, String)| w.1.lines().next().unwrap().replace(text(folder.path()), "");
    insta::assert_snapshot!(wrong.iter().map(first).collect::<Vec<_>>().join("\n"));
}

/// A limit of memory that makes no sense is refused before anything is served.
#[test]
fn a_limit_of_memory_is_a_number_that_makes_sense() {
    let tried = |mb: &str| {
        let program = env!("CARGO_BIN_EXE_tin-cloak");
        let out = std::process::Command::new(program).args(["serve", "--memory", mb]).output().unwrap();
        (out.status.code(), String::from_utf8_lossy(&out.stderr).into_owned())
    };
    for mb in ["1", "much", "0"] {
        let (code, said) = tried(mb);
        assert!(code == Some(2) && said.contains("--memory"), "{mb}: {code:?} {said}");
    }
}

#[test]
fn a_real_suit_goes_to_a_made_up_body_alone_and_in_a_batch() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| -> PathBuf { folder.path().join(name) };
    let (dressed, other, worn) = (path("suited.glb"), path("tib.glb"), path("worn.glb"));
    std::fs::write(&other, tin_cloak_demo::tib().unwrap().bytes).unwrap();
    let (body, suit) = (data("body.glb"), data("bodysuit.glb"));
    let out = run(&["fit", "--body", &body, "--piece", &suit, "--out", text(&dressed)]);
    assert_eq!(out.status.code(), Some(0));

    let told = path("worn.json");
    let out =
        run(&["wear", text(&dressed), "--body", text(&other), "--out", text(&worn), "--report", text(&told)]);
    assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
    let told = report(&told);
    let notes = told["notes"].to_string();
    assert!(notes.contains("found its place here") && notes.contains("bodysuit: gaps"), "{notes}");
    assert_eq!(told["poses"][0]["name"], "rest");
    let issues = validator(&worn);
    assert_eq!(
        (issues["numErrors"].as_u64(), issues["numWarnings"].as_u64()),
        (Some(0), Some(0)),
        "{issues}"
    );

    // A chair wears nothing: one line, and nothing is written.
    let out =
        run(&["wear", text(&dressed), "--body", &data("bodysuit.glb"), "--out", text(&path("none.glb"))]);
    assert_eq!(out.status.code(), Some(2));
    assert_eq!(String::from_utf8_lossy(&out.stderr).lines().count(), 1);
    assert!(!path("none.glb").exists());

    // The same in a batch with a body that is not there: the other job goes on.
    let jobs = r#"{"bodies": ["tib.glb", "nobody.glb"], "outfits": ["suited.glb"]}"#;
    std::fs::write(path("jobs.json"), jobs).unwrap();
    let (jobs, results, junit) = (path("jobs.json"), path("results"), path("results").join("junit.xml"));
    let out = run(&["batch", text(&jobs), "--out", text(&results)]);
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert_eq!((out.status.code(), said.lines().count()), (Some(2), 1), "{said}");
    assert!(said.contains("nobody.glb"), "{said}");
    for name in ["table.html", "table.csv", "table.json", "suited/tib/report.html", "suited/tib/picture.png"]
    {
        assert!(results.join(name).is_file(), "{name}");
    }
    assert!(std::fs::read_to_string(&junit).unwrap().contains("name=\"bodysuit over Tib\""));
    let rows = report(&results.join("table.json"));
    assert_eq!((rows[0]["body"].as_str(), rows[0]["verdict"].as_str()), (Some("nobody"), Some("failed")));
    std::fs::remove_file(&junit).unwrap();
    let out = run(&["batch", "--merge", "--out", text(&results)]);
    assert!(out.status.success() && junit.is_file());
}

/// A piece of a dressed file takes the mesh of a file that came back; what cannot be is one line, and nothing written.
#[test]
fn a_piece_of_a_dressed_file_is_replaced() {
    let folder = tempfile::tempdir().unwrap();
    let (out, told) = (folder.path().join("out.glb"), folder.path().join("report.json"));
    let dressed = dressed_demo(folder.path());
    let tunic = folder.path().join("quilted tunic.glb");
    let file = tin_cloak_testkit::wardrobe().iter().find(|f| f.name == "quilted tunic.glb").unwrap();
    std::fs::write(&tunic, &file.bytes).unwrap();
    let replace = |said: &str| {
        run(&["replace", text(&dressed), "--replace", said, "--out", text(&out), "--report", text(&told)])
    };
    for (said, why) in [
        ("quilted tunic", "--replace wants NAME=FILE"),
        (&format!("kilt={}", text(&tunic)), "no piece is called “kilt”"),
        (&format!("Wick={}", text(&tunic)), "quilted tunic.glb"),
    ] {
        let done = replace(said);
        let line = String::from_utf8_lossy(&done.stderr).into_owned();
        assert_eq!(done.status.code(), Some(2), "{line}");
        assert!(line.contains(why) && line.lines().count() == 1, "{line}");
        assert!(!out.exists());
    }
    let done = replace(&format!("quilted tunic={}", text(&tunic)));
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let notes = report(&told)["notes"].to_string();
    assert!(notes.contains("Replace the file of quilted tunic"), "{notes}");
    let issues = validator(&out);
    assert_eq!(issues["numErrors"], 0, "{issues}");
}

/// The script of the reference, as it stands there, against a running server.
#[test]
fn the_script_of_the_reference_dresses_a_figure() {
    let folder = tempfile::tempdir().unwrap();
    let reference =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/reference.md")).unwrap();
    let script = reference.split("```python\n").nth(1).unwrap().split("```").next().unwrap();
    std::fs::write(folder.path().join("dress.py"), script).unwrap();
    let names = ["wick.glb", "breeches.glb", "quilted tunic.glb"];
    for name in names {
        let file = tin_cloak_testkit::coarse_wardrobe().iter().find(|f| f.name == name).unwrap();
        std::fs::write(folder.path().join(name), &file.bytes).unwrap();
    }
    let data = folder.path().join("data");
    let (_server, address) = crate::browser::serve(&["serve", "--data", text(&data)]);
    let mut python = Command::new("python3");
    let out = python.current_dir(folder.path()).arg("dress.py").arg(&address).args(names).output().unwrap();
    let told = String::from_utf8_lossy(&out.stdout).into_owned();
    assert!(out.status.success(), "{told}{}", String::from_utf8_lossy(&out.stderr));
    for said in ["Put on", "Bind breeches, quilted tunic", "Push out", "cells out of tolerance"] {
        assert!(told.contains(said), "{told}");
    }
    let issues = validator(&folder.path().join("dressed.glb"));
    assert_eq!(issues["numErrors"], 0, "{issues}");
}
