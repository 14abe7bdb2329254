//! The handed-over file read again and compared; other forms; limits of the other side.
#![allow(missing_docs, clippy::unwrap_used)]

mod common;

use common::{wearing, Bench};
use tin_cloak_workshop::core::glam::{Quat, Vec3};
use tin_cloak_workshop::core::skeleton::LocalTransform;
use tin_cloak_workshop::{
    bvh_of, document_of, glb_of, obj_of, prove, read, table_of_csv, usda_of, weights_csv, Chosen, Clean,
    Companions, HandChange, JobState, Limits, MeansKind, Parts, PlaceOptions, Proof, Step, EQUAL_MM,
};

fn proved(bench: &Bench) -> std::sync::Arc<Proof> {
    let job = bench.shop.prove(bench.fitting).unwrap();
    loop {
        match bench.shop.jobs().get(job).unwrap().state() {
            JobState::Running => std::thread::sleep(std::time::Duration::from_millis(5)),
            JobState::Done(_) => return bench.shop.proof_of(&bench.room()).unwrap().unwrap(),
            other => panic!("{other:?}"),
        }
    }
}

#[test]
fn a_file_is_proved_to_be_what_is_on_the_screen() {
    let bench = wearing(&[("breeches", 1), ("quilted tunic", 2)]);
    assert!(bench.shop.prove(bench.fitting).unwrap_err().to_string().contains("nothing is bound"));
    bench.bind_all();
    bench.run(Step::FollowShapes { pieces: Vec::new(), follow: true });
    let proof = proved(&bench);
    assert!(proof.is_equal(), "{}\n{:?}", proof.line(), proof.unlike);
    assert!(proof.largest_mm() < EQUAL_MM && proof.cells > 200);
    let names: Vec<&str> = proof.parts.iter().map(|p| p.0.as_str()).collect();
    assert_eq!(names, ["Wick", "breeches", "quilted tunic"]);
    assert!(proof.line().starts_with("read again: equal within 0.00"), "{}", proof.line());
    // The same bytes, whoever asks.
    let (one, two) =
        (bench.shop.export(bench.fitting, false).unwrap(), prove(&bench.room(), None, &|_| true));
    assert_eq!(one.1, two.unwrap().0);

    // Masks, and a body that is no proof of anything else: what was proved was of that state alone.
    let job = bench.shop.make_plan(bench.fitting, vec![MeansKind::Hide]).unwrap();
    while matches!(bench.shop.jobs().get(job).unwrap().state(), JobState::Running) {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    let plan = bench.shop.plan_of(&bench.room()).unwrap().unwrap();
    bench.run(plan.steps[0].means.step.clone());
    assert!(bench.shop.proof_of(&bench.room()).unwrap().is_none());
    let masked = proved(&bench);
    assert!(masked.is_equal() && masked.bytes < proof.bytes, "{} {:?}", masked.line(), masked.unlike);
}

/// What another file has elsewhere is found: else the proof would be none.
#[test]
fn a_file_that_is_something_else_is_told() {
    let bench = wearing(&[("breeches", 1)]);
    bench.bind_all();
    let (room, board) = (bench.room(), bench.board());
    let shift = PlaceOptions { shift_mm: [0.0, 0.0, 1.0], ..PlaceOptions::NONE };
    bench.run(Step::Place { piece: 1, options: shift });
    let moved = bench.shop.export(bench.fitting, false).unwrap().1;
    let told = Proof::of_bytes(&room, &moved, Some(&board), &|_| true).unwrap();
    assert!(!told.is_equal());
    assert!((told.largest_mm() - 1.0).abs() < 0.6, "{}", told.line());
    assert!(!told.unlike.is_empty());
    insta::assert_snapshot!(told.line());
}

#[test]
fn chosen_pieces_go_out_alone_and_names_once() {
    let bench = wearing(&[("breeches", 1), ("quilted tunic", 2)]);
    let dress = bench.room().dress.clone();
    let one = Parts { pieces: vec!["quilted tunic".to_owned()], without_body: true };
    let refusals = [
        document_of(&dress, &one).unwrap_err(),
        document_of(&dress, &Parts { pieces: vec!["coat".to_owned()], ..Parts::default() }).unwrap_err(),
        weights_csv(&dress, "breeches").unwrap_err(),
        weights_csv(&dress, "coat").unwrap_err(),
    ];
    insta::assert_snapshot!(refusals.map(|e| e.to_string()).join("\n"));
    bench.bind_all();
    let dress = bench.room().dress.clone();
    let out = read("x.glb", &glb_of(&dress, &one).unwrap(), &Companions::new()).unwrap();
    assert_eq!(out.meshes.len(), 1);
    assert_eq!(out.skeleton.unwrap().names, dress.body.skeleton.names);
    // Two pieces of one name, and one that is a path.
    let mut twice = dress.clone();
    twice.pieces[0].name = "a/b".to_owned();
    twice.pieces[1].name = "a/b".to_owned();
    let names: Vec<String> =
        document_of(&twice, &Parts::default()).unwrap().meshes.into_iter().map(|m| m.name).collect();
    assert_eq!(names, ["Wick", "a-b", "a-b 2"]);
}

#[test]
fn weights_go_out_as_a_table_and_come_in_again_to_the_bit() {
    let bench = wearing(&[("breeches", 1)]);
    bench.bind_all();
    let before = bench.piece(1).bound.unwrap().skin.clone();
    let text = weights_csv(&bench.room().dress, "breeches").unwrap();
    insta::assert_snapshot!(text.lines().take(4).collect::<Vec<_>>().join("\n"));
    let table = table_of_csv(&text).unwrap();
    assert!(matches!(&table, HandChange::Table { rows, .. } if rows.len() == before.vertices()));
    bench.run(Step::Clean {
        piece: 1,
        clean: Clean::Limit { most: 1 },
        chosen: Chosen::Everything,
        locked: Vec::new(),
    });
    assert_ne!(bench.piece(1).bound.unwrap().skin, before);
    let clean = Clean::ByHand { change: table, firm_percent: None };
    bench.run(Step::Clean { piece: 1, clean, chosen: Chosen::Everything, locked: Vec::new() });
    let after = bench.piece(1).bound.unwrap().skin.clone();
    for v in 0..before.vertices() {
        let (a, b): (Vec<_>, Vec<_>) = (before.row(v).collect(), after.row(v).collect());
        assert_eq!(a, b, "vertex {v}");
    }
}

#[test]
fn limits_tell_what_is_beyond_and_what_keeping_them_costs() {
    let bench = wearing(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.bind_all();
    let bad = [
        Limits::of_json("a.json", b"{\"joints_a_vertex\": 0}").unwrap_err(),
        Limits::of_json("a.json", b"{\"joints\": 4}").unwrap_err(),
        Limits::of_json("a.json", b"[4").unwrap_err(),
    ];
    insta::assert_snapshot!(bad.map(|e| e.to_string()).join("\n"));
    let json =
        b"{\"name\": \"small\", \"joints_a_vertex\": 2, \"vertices_a_mesh\": 8000, \"joints_a_mesh\": 20}";
    let limits = Limits::of_json("small.json", json).unwrap();
    let room = bench.room();
    let beyond = limits.broken_by(&room.dress, &room.trials).unwrap();
    let line = |b: &tin_cloak_workshop::Beyond| format!("{}: {}; {:?}", b.of, b.words, b.cost);
    insta::assert_snapshot!(beyond.iter().map(line).collect::<Vec<_>>().join("\n"));
    let cures: Vec<Step> = beyond.into_iter().filter_map(|b| b.cure).collect();
    assert_eq!(cures.len(), 2);
    cures.into_iter().for_each(|cure| drop(bench.run(cure)));
    let room = bench.room();
    let left = limits.broken_by(&room.dress, &room.trials).unwrap();
    assert!(left.iter().all(|b| b.cure.is_none()), "{:?}", left.iter().map(line).collect::<Vec<_>>());
    // Joints with a scale.
    let mut scaled = room.dress.clone();
    let body = std::sync::Arc::make_mut(&mut scaled.body);
    body.skeleton.rest[1] =
        LocalTransform { scale: Vec3::splat(2.0), rotation: Quat::IDENTITY, ..body.skeleton.rest[1] };
    let none = Limits { no_joint_scale: true, ..Limits::default() };
    assert_eq!(none.broken_by(&scaled, &room.trials).unwrap()[0].words, "1 joints are scaled, none may be");
}

#[test]
fn a_clip_goes_out_as_bvh_and_its_joints_are_where_they_were() {
    let bench = wearing(&[]);
    let room = bench.room();
    let body = &room.dress.body;
    let clip = body.clips.iter().find(|c| c.moves_joints()).unwrap();
    let text = bvh_of(&room.dress, &room.trials, &clip.name).unwrap();
    let again = read("x.bvh", text.as_bytes(), &Companions::new()).unwrap();
    let (theirs, played) = (again.skeleton.unwrap(), &again.clips[0]);
    assert_eq!(theirs.len(), body.skeleton.len());
    for frame in [0.0, 5.0, 11.0] {
        let time = frame / clip.rate();
        let here = body.skeleton.world(&clip.sample(&body.skeleton, time));
        let there = theirs.world(&played.sample(&theirs, time));
        for (j, name) in body.skeleton.names.iter().enumerate() {
            let at = theirs.find(&name.replace(' ', "_")).unwrap().index();
            let apart = here[j].w_axis.distance(there[at].w_axis);
            assert!(apart < 1e-4, "{name}: {apart} m in frame {frame}");
        }
    }
    assert!(bvh_of(&room.dress, &room.trials, "range").unwrap().contains("Frame Time: 1\n"));
    let refused = bvh_of(&room.dress, &room.trials, "waltz").unwrap_err().to_string();
    assert!(refused.starts_with("no motion is called “waltz”: there are rest, range"), "{refused}");
}

#[test]
fn usd_and_obj_say_the_same_as_the_glb() {
    let bench = wearing(&[("breeches", 1)]);
    bench.bind_all();
    let room = bench.room();
    let parts = Parts { pieces: vec!["breeches".to_owned()], without_body: true };
    let usd = usda_of(&room.dress, &parts).unwrap();
    let head: Vec<String> = usd.lines().map(|l| l.chars().take(100).collect()).take(26).collect();
    insta::assert_snapshot!(head.join("\n"));
    let (rest, mtl) = obj_of(&room.dress, &parts, (&room.trials, None), "b.mtl").unwrap();
    assert!(mtl.starts_with("newmtl ") && rest.contains("\nmtllib b.mtl\n"));
    let again = read("b.obj", rest.as_bytes(), &Companions::new()).unwrap();
    let faces = |mesh: &tin_cloak_workshop::core::mesh::Mesh| mesh.triangles.len();
    assert_eq!(faces(&again.meshes[0].mesh), faces(&room.dress.pieces[0].mesh));
    let posed = |pose| obj_of(&room.dress, &parts, (&room.trials, Some(pose)), "b.mtl");
    assert_ne!(posed("squat").unwrap().0, rest);
    assert!(posed("handstand").unwrap_err().to_string().contains("no trial pose is called “handstand”"));
}
