//! The handed-over file read again and compared; other forms; limits of the other side.

use std::sync::Arc;
use tin_cloak_formats::{MaterialRun, Materials, Picture};
use tin_cloak_model::dress::trials::Trial;
use tin_cloak_stations::handover::forms::obj_in;
use tin_cloak_testkit::{wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::deform::linear_blend;
use tin_cloak_workshop::core::glam::{Quat, Vec3};
use tin_cloak_workshop::core::intake::Up;
use tin_cloak_workshop::core::skeleton::LocalTransform;
use tin_cloak_workshop::TablesOfRoom;
use tin_cloak_workshop::{
    bvh_of, document_of, export_glb, glb_of, gltf_zip_of, obj_of, prove, read, sort_document, table_of_csv,
    table_of_text, usda_of, weights_csv, weights_json, BindingStep, Chosen, Clean, Companions, Dress, Frame,
    HandChange, IntakeStep, JobState, Limits, MeansKind, MendingStep, OfHidden, Parts, Pick, PieceKind,
    PlaceOptions, Proof, SeatingStep, Step, Unit, What, Workshop, EQUAL_MM,
};

fn proved(bench: &Bench) -> std::sync::Arc<Proof> {
    let state = bench.waited(bench.shop.prove(bench.fitting).unwrap());
    assert!(matches!(state, JobState::Done(_)), "{state:?}");
    bench.shop.proof_of(&bench.room()).unwrap().unwrap()
}

#[test]
fn a_file_is_proved_to_be_what_is_on_the_screen() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2)]);
    assert!(bench.shop.prove(bench.fitting).unwrap_err().to_string().contains("nothing is bound"));
    bench.bind_all();
    bench.run(Step::Seating(SeatingStep::FollowShapes {
        pieces: Vec::new(),
        follow: true,
        shapes: Vec::new(),
    }));
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
    let plan = bench.planned(&[MeansKind::Hide]);
    bench.run(plan.steps[0].means.step.clone());
    assert!(bench.shop.proof_of(&bench.room()).unwrap().is_none());
    let masked = proved(&bench);
    assert!(masked.is_equal() && masked.bytes < proof.bytes, "{} {:?}", masked.line(), masked.unlike);
}

/// On a real body with a bare suit (open data, CC0; see `testdata/open-human/README.md`), as it is and as a program has
/// it that works in centimetres with Z up.
#[test]
fn a_real_body_is_proved_in_metres_and_in_centimetres_with_z_up() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/open-human/");
    let file = |name: &str| std::fs::read(format!("{folder}{name}")).unwrap();
    let document = read("body.glb", &file("body.glb"), &Companions::new()).unwrap();
    let body = sort_document("body.glb", document, None).unwrap().0.placed(100.0, Up::Z.rotation().inverse());
    let (body, said, masked) = (Arc::new(body), Arc::default(), Arc::default());
    let large = export_glb(&Dress { body, pieces: Vec::new(), said, masked }).unwrap();
    let sized = Step::Intake(IntakeStep::SizeBody { scale: 0.01, up: Up::Z });
    for (bytes, size) in [(file("body.glb"), None), (large, Some(sized))] {
        let folder = tempfile::tempdir().unwrap();
        let shop = Arc::new(Workshop::open(folder.path()).unwrap());
        shop.measure_behind(false);
        let body = shop.bring_in("human.glb", &bytes, &Companions::new()).unwrap()[0].id;
        let fitting = shop.begin("human", body).unwrap();
        let bench = Bench { shop, fitting, folder };
        size.into_iter().for_each(|step| drop(bench.run(step)));
        let suit = bench.shop.bring_in("suit.glb", &file("bodysuit.glb"), &Companions::new()).unwrap()[0].id;
        bench.run(bench.shop.piece_step(suit, 1, PieceKind::Soft).unwrap());
        bench.bind_all();
        let tall = bench.room().dress.body.rest.iter().map(|p| p.y).fold(0.0, f32::max);
        assert!((1.4..2.1).contains(&tall), "{tall}");
        let proof = proved(&bench);
        assert!(proof.is_equal() && proof.largest_mm() < EQUAL_MM, "{} {:?}", proof.line(), proof.unlike);
    }
}

/// What another file has elsewhere is found: else the proof would be none.
#[test]
fn a_file_that_is_something_else_is_told() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let (room, board) = (bench.room(), bench.board());
    let shift = PlaceOptions { shift_mm: [0.0, 0.0, 1.0], ..PlaceOptions::NONE };
    bench.run(Step::Seating(SeatingStep::Place { piece: 1, options: shift }));
    let moved = bench.shop.export(bench.fitting, false).unwrap().1;
    let told = Proof::of_bytes(&room, &moved, Some(&board), &|_| true).unwrap();
    assert!(!told.is_equal());
    assert!((told.largest_mm() - 1.0).abs() < 0.6, "{}", told.line());
    assert!(!told.unlike.is_empty());
    insta::assert_snapshot!(told.line());
}

#[test]
fn chosen_pieces_go_out_alone_and_names_once() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2)]);
    let dress = bench.room().dress.clone();
    let one = Parts { pieces: vec!["quilted tunic".to_owned()], without_body: true, ..Parts::default() };
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
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let before = bench.piece(1).bound.unwrap().skin.clone();
    let text = weights_csv(&bench.room().dress, "breeches").unwrap();
    insta::assert_snapshot!(text.lines().take(4).collect::<Vec<_>>().join("\n"));
    let table = table_of_csv(&text).unwrap();
    assert!(matches!(&table, HandChange::Table { rows, .. } if rows.len() == before.vertices()));
    let json = weights_json(&bench.room().dress, "breeches").unwrap();
    let by_place = table_of_text(&json, true).unwrap();
    assert!(matches!(&by_place, HandChange::Placed { rows, .. } if rows.len() == before.vertices()));
    let clean = |clean: Clean| {
        Step::Binding(BindingStep::Clean { piece: 1, clean, chosen: Chosen::Everything, locked: Vec::new() })
    };
    let by_hand = |change: HandChange| clean(Clean::ByHand { change, firm_percent: None });
    for table in [table, table_of_text(&json, false).unwrap(), by_place.clone()] {
        bench.run(clean(Clean::Limit { most: 1 }));
        assert_ne!(bench.piece(1).bound.unwrap().skin, before);
        bench.run(by_hand(table));
        let after = bench.piece(1).bound.unwrap().skin.clone();
        for v in 0..before.vertices() {
            let (a, b): (Vec<_>, Vec<_>) = (before.row(v).collect(), after.row(v).collect());
            assert_eq!(a, b, "vertex {v}");
        }
    }

    // What does not fit is told, and where nothing does, nothing is changed.
    let HandChange::Placed { joints, mut rows } = by_place else { panic!() };
    bench.run(clean(Clean::Limit { most: 1 }));
    rows.truncate(10);
    rows.iter_mut().take(4).for_each(|row| row.0[1] += 0.5);
    bench.run(by_hand(HandChange::Placed { joints: joints.clone(), rows: rows.clone() }));
    let notes = bench.open().effect().notes.join("\n");
    assert!(notes.contains("6 places fit a vertex within 1 mm; 4 fit none"), "{notes}");
    rows.iter_mut().for_each(|row| row.0[1] += 5.0);
    let mut said = bench.refused(by_hand(HandChange::Placed { joints, rows }));
    for bad in
        ["{", "{\"joints\": [\"a\"], \"rows\": []}", "{\"joints\": [\"a\"], \"rows\": [{\"weights\": [2]}]}"]
    {
        said = format!("{said}\n{}", table_of_text(bad, false).unwrap_err());
    }
    insta::assert_snapshot!(said);
}

/// Gives the first piece a material with a picture of so many pixels (its head alone: nothing here draws it).
fn pictured(dress: &mut Dress, width: u32, height: u32) {
    let mut bytes = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR".to_vec();
    bytes.extend(
        width.to_be_bytes().into_iter().chain(height.to_be_bytes()).chain([8, 2, 0, 0, 0, 0, 0, 0, 0]),
    );
    let picture = Picture { name: "check".into(), media_type: "image/png".into(), bytes };
    let textured = serde_json::json!({ "name": "cloth",
        "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } });
    let materials = Materials {
        materials: vec![textured],
        textures: vec![serde_json::json!({ "source": 0 })],
        pictures: vec![picture],
        ..Materials::default()
    };
    let piece = &mut dress.pieces[0];
    let mut look = (*piece.look).clone();
    look.uv_sets = vec![vec![[0.5; 2]; piece.mesh.positions.len()]];
    look.runs = vec![MaterialRun { first: 0, material: Some(0) }];
    look.materials = std::sync::Arc::new(materials);
    piece.look = std::sync::Arc::new(look);
}

#[test]
fn gltf_goes_out_in_files_and_what_is_hidden_or_kept_as_tables() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.run(Step::Mending(MendingStep::Hide { options: Default::default() }));
    let picks = vec![Pick::add(What::Vertices(vec![3, 5, 8]))];
    bench.run(Step::Binding(BindingStep::KeepPatch { piece: 2, name: "hem, left".into(), picks }));
    let room = bench.room();
    let masks = room.masks_csv();
    assert_eq!(masks.lines().count(), 1 + room.dress.masked.count());
    assert!(masks.starts_with("part,triangle\r\nWick,"));
    let patches = room.patches_csv().unwrap();
    assert_eq!(
        patches.lines().skip(1).collect::<Vec<_>>(),
        [3, 5, 8].map(|v| format!("quilted tunic,\"hem, left\",{v}"))
    );

    // There and marked: vertices as they are, hidden faces under materials of their own.
    let marked = Parts { hidden: OfHidden::Marked, ..Parts::default() };
    let glb = glb_of(&room.dress, &marked).unwrap();
    assert!(String::from_utf8_lossy(&glb).contains("\"_HIDDEN\":"));
    let body = read("marked.glb", &glb, &Companions::new()).unwrap().meshes.remove(0);
    assert_eq!(body.mesh.positions, room.dress.body.mesh.positions);
    let hidden = |material: Option<u32>| {
        let found = material.and_then(|m| body.look.materials.materials[m as usize]["name"].as_str());
        found.is_some_and(|name| name.ends_with("hidden"))
    };
    let count = body.mesh.triangles.len();
    let of_run = |r: usize| body.look.runs.get(r + 1).map_or(count, |n| n.first as usize);
    let faces = body.look.runs.iter().enumerate().filter(|(_, run)| hidden(run.material));
    let faces: usize = faces.map(|(r, run)| of_run(r) - run.first as usize).sum();
    assert_eq!(faces, room.dress.masked.faces_of(0).len());

    let mut dress = room.dress.clone();
    pictured(&mut dress, 16, 9);
    let bytes = gltf_zip_of(&dress, &Parts::default()).unwrap();
    assert_eq!(bytes, gltf_zip_of(&dress, &Parts::default()).unwrap(), "the same bytes each time");
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut files = Companions::new();
    for n in 0..archive.len() {
        let mut file = archive.by_index(n).unwrap();
        let mut bytes = Vec::new();
        std::io::Read::read_to_end(&mut file, &mut bytes).unwrap();
        files.insert(file.name().unwrap().into_owned(), bytes);
    }
    let pictures = files.keys().filter(|n| n.ends_with(".png")).count();
    assert!(files.contains_key("outfit.bin") && pictures > 0, "{:?}", files.keys());
    let apart = read("outfit.gltf", &files["outfit.gltf"].clone(), &files).unwrap();
    let whole = read("x.glb", &glb_of(&dress, &Parts::default()).unwrap(), &Companions::new()).unwrap();
    assert_eq!(apart.meshes.len(), whole.meshes.len());
    for (a, b) in apart.meshes.iter().zip(&whole.meshes) {
        assert_eq!((&a.name, &a.mesh, &a.skin, &a.morphs), (&b.name, &b.mesh, &b.skin, &b.morphs));
        assert_eq!(a.look.materials.pictures.len(), b.look.materials.pictures.len());
    }
    assert_eq!(apart.clips.len(), whole.clips.len());

    // One motion alone; one that is not there is said.
    let clips = |name: &str| Parts { clips: vec![name.to_owned()], ..Parts::default() };
    let name = whole.clips[0].name.clone();
    assert_eq!(document_of(&dress, &clips(&name)).unwrap().clips.len(), 1);
    assert!(document_of(&dress, &clips("waltz"))
        .unwrap_err()
        .to_string()
        .contains("no motion is called “waltz”"));
}

#[test]
fn sets_of_limits_are_kept_by_name_and_pictures_have_one() {
    let bench = wearing_coarse(&[("quilted tunic", 1)]);
    let small = Limits { name: "small".into(), picture_pixels: Some(8), ..Limits::default() };
    bench.shop.keep_limits(&small).unwrap();
    bench.shop.keep_limits(&Limits { name: "big".into(), ..Limits::default() }).unwrap();
    let names: Vec<String> = bench.shop.limit_sets().unwrap().into_iter().map(|l| l.name).collect();
    assert_eq!(names, ["big", "small"]);
    assert!(bench.shop.keep_limits(&Limits::default()).is_err(), "without a name");
    assert!(bench.shop.keep_limits(&Limits { joints_a_vertex: Some(0), ..small.clone() }).is_err());
    bench.shop.forget_limits("big").unwrap();
    assert!(bench.shop.forget_limits("big").unwrap_err().to_string().contains("no set of limits “big”"));
    assert_eq!(bench.shop.limit_sets().unwrap(), std::slice::from_ref(&small));
    bench.bind_all();
    let room = bench.room();
    let mut dress = room.dress.clone();
    assert!(small.broken_by(&dress, &room.trials, Frame::default()).unwrap().is_empty(), "there is none");
    pictured(&mut dress, 16, 9);
    let beyond = small.broken_by(&dress, &room.trials, Frame::default()).unwrap();
    assert_eq!(beyond[0].words, "16 pixels of the picture check, 8 may be");
    let large = Limits { picture_pixels: Some(16), ..small };
    assert!(large.broken_by(&dress, &room.trials, Frame::default()).unwrap().is_empty());
}

#[test]
fn limits_tell_what_is_beyond_and_what_keeping_them_costs() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
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
    let beyond = limits.broken_by(&room.dress, &room.trials, Frame::default()).unwrap();
    let line = |b: &tin_cloak_workshop::Beyond| format!("{}: {}; {:?}", b.of, b.words, b.cost);
    insta::assert_snapshot!(beyond.iter().map(line).collect::<Vec<_>>().join("\n"));
    let cures: Vec<Step> = beyond.into_iter().filter_map(|b| b.cure).collect();
    assert_eq!(cures.len(), 2);
    cures.into_iter().for_each(|cure| drop(bench.run(cure)));
    let room = bench.room();
    let left = limits.broken_by(&room.dress, &room.trials, Frame::default()).unwrap();
    assert!(left.iter().all(|b| b.cure.is_none()), "{:?}", left.iter().map(line).collect::<Vec<_>>());
    // Joints with a scale.
    let mut scaled = room.dress.clone();
    let body = std::sync::Arc::make_mut(&mut scaled.body);
    body.skeleton.rest[1] =
        LocalTransform { scale: Vec3::splat(2.0), rotation: Quat::IDENTITY, ..body.skeleton.rest[1] };
    let none = Limits { no_joint_scale: true, ..Limits::default() };
    assert_eq!(
        none.broken_by(&scaled, &room.trials, Frame::default()).unwrap()[0].words,
        "1 joints are scaled, none may be"
    );
}

/// As BVH is written most (common practice, no source).
const CM: Frame = Frame { unit: Unit::Centimetre, up: Up::Y };

#[test]
fn a_clip_goes_out_as_bvh_and_its_joints_are_where_they_were() {
    let bench = wearing_coarse(&[]);
    let room = bench.room();
    let body = &room.dress.body;
    let clip = body.clips.first().unwrap();
    let text = bvh_of(&room.dress, &room.trials, &clip.name, CM).unwrap();
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
    assert!(bvh_of(&room.dress, &room.trials, "range", CM).unwrap().contains("Frame Time: 1\n"));
    let refused = bvh_of(&room.dress, &room.trials, "waltz", CM).unwrap_err().to_string();
    assert!(refused.starts_with("no motion is called “waltz”: there are rest, range"), "{refused}");
}

/// What OpenUSD itself (PyPI: usd-core 26.11) finds wrong with a USD, and how far its own skinning at a time is from
/// the vertices of an OBJ.
fn asked_of_openusd(usd: &str, frame: usize, obj: &str) -> serde_json::Value {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    let folder = tempfile::tempdir().unwrap();
    let [usd_file, obj_file] = ["o.usda", "o.obj"].map(|name| folder.path().join(name));
    std::fs::write(&usd_file, usd).unwrap();
    std::fs::write(&obj_file, obj).unwrap();
    let mut python = std::process::Command::new("python3");
    python.env("PYTHONPATH", format!("{root}/target/usd-core")).arg(format!("{root}/scripts/check-usd.py"));
    let out = python.arg(usd_file).arg(frame.to_string()).arg(obj_file).output().unwrap();
    assert!(out.status.success(), "run scripts/test.sh once: {}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}

/// In a walk, where the body's own shapes are called up by its knees and elbows too.
#[test]
fn openusd_skins_what_goes_out_as_it_is_shown() {
    let room = wearing_coarse_bound(&[("breeches", 1)]).room();
    let body = &room.dress.body;
    let parts = Parts::default();
    let usd = usda_of(&room.dress, &parts).unwrap();
    let clip = &body.clips[0];
    for frame in [0, 10, 25] {
        let time = frame as f32 / 30.0;
        let pose = clip.sample(&body.skeleton, time);
        let trial = Trial { pose, time, is_still: false, ..room.trials.trials[0].clone() };
        let (obj, _) = obj_in(&room.dress, &parts, Some(&trial), "o.mtl").unwrap();
        let told = asked_of_openusd(&usd, frame, &obj);
        assert_eq!(told["errors"], serde_json::json!([]), "{told}");
        let apart: Vec<f64> =
            told["apart_mm"].as_object().unwrap().values().filter_map(|v| v.as_f64()).collect();
        assert_eq!(apart.len(), 2, "{told}");
        assert!(apart.iter().all(|mm| *mm < 0.05), "{told}");
    }
}

#[test]
fn usd_and_obj_say_the_same_as_the_glb() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let room = bench.room();
    let parts = Parts { pieces: vec!["breeches".to_owned()], without_body: true, ..Parts::default() };
    let usd = usda_of(&room.dress, &parts).unwrap();
    let head: Vec<String> = usd.lines().map(|l| l.chars().take(100).collect()).take(26).collect();
    insta::assert_snapshot!(head.join("\n"));
    let (rest, mtl) = obj_of(&room.dress, &parts, &room.trials, None, "b.mtl").unwrap();
    assert!(mtl.starts_with("newmtl ") && rest.contains("\nmtllib b.mtl\n"));
    let again = read("b.obj", rest.as_bytes(), &Companions::new()).unwrap();
    let faces = |mesh: &tin_cloak_workshop::core::mesh::Mesh| mesh.triangles.len();
    assert_eq!(faces(&again.meshes[0].mesh), faces(&room.dress.pieces[0].mesh));
    let posed = |pose| obj_of(&room.dress, &parts, &room.trials, Some(pose), "b.mtl");
    assert_ne!(posed("squat").unwrap().0, rest);
    assert!(posed("handstand").unwrap_err().to_string().contains("no trial pose is called “handstand”"));
}

/// In centimetres with Z up: every point where the frame takes it, and the text says which frame it is. glTF has but
/// one.
#[test]
fn other_forms_go_out_in_the_frame_of_the_other_side() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let room = bench.room();
    let frame = Frame { unit: Unit::Centimetre, up: Up::Z };
    let own = Parts { pieces: vec!["breeches".to_owned()], without_body: true, ..Parts::default() };
    let theirs = Parts { frame, ..own.clone() };
    let places = |parts: &Parts| -> Vec<Vec3> {
        let (obj, _) = obj_of(&room.dress, parts, &room.trials, Some("squat"), "b.mtl").unwrap();
        let of_line = |l: &str| {
            let at: Vec<f32> = l.strip_prefix("v ")?.split(' ').map(|n| n.parse().unwrap()).collect();
            Some(Vec3::from_slice(&at))
        };
        obj.lines().filter_map(of_line).collect()
    };
    let (here, there) = (places(&own), places(&theirs));
    assert_eq!(here.len(), there.len());
    let furthest = here.iter().zip(&there).map(|(a, b)| frame.point(*a).distance(*b)).fold(0.0, f32::max);
    assert!(furthest < 1e-4, "{furthest} cm");
    let tall = |p: &[Vec3], axis: usize| p.iter().map(|p| p[axis]).fold(f32::MIN, f32::max);
    assert!((tall(&there, 2) / tall(&here, 1) - 100.0).abs() < 1e-3, "up is Z");

    // A skeleton in it moves its meshes as here: every vertex of the document in a pose.
    let document = document_of(&room.dress, &own).unwrap();
    let moved = |d: &tin_cloak_workshop::Document| {
        let (part, skeleton) = (&d.meshes[0], d.skeleton.as_ref().unwrap());
        let clip = d.clips.first().unwrap();
        let matrices = skeleton.skin_matrices(&clip.sample(skeleton, 0.3));
        let mut posed = part.mesh.positions.clone();
        linear_blend(&part.mesh.positions, part.skin.as_ref().unwrap(), &matrices, &mut posed);
        posed
    };
    let (here, there) = (moved(&document), moved(&document.in_frame(frame)));
    let furthest = here.iter().zip(&there).map(|(a, b)| frame.point(*a).distance(*b)).fold(0.0, f32::max);
    assert!(furthest < 1e-3, "{furthest} cm");

    let usd = usda_of(&room.dress, &theirs).unwrap();
    let obj = obj_of(&room.dress, &theirs, &room.trials, None, "b.mtl").unwrap().0;
    let head = |text: &str, lines: usize| text.lines().take(lines).collect::<Vec<_>>().join("\n");
    let refused = glb_of(&room.dress, &theirs).unwrap_err();
    let limits = Limits::of_json("theirs.json", b"{\"unit\": \"cm\", \"up\": \"Z\"}").unwrap();
    let beyond = limits.broken_by(&room.dress, &room.trials, Frame::default()).unwrap();
    assert_eq!(beyond[0].frame, Some(frame));
    assert!(limits.broken_by(&room.dress, &room.trials, frame).unwrap().is_empty());
    let told = format!("{}: {}", beyond[0].of, beyond[0].words);
    insta::assert_snapshot!([head(&usd, 9), head(&obj, 2), refused.to_string(), told].join("\n---\n"));
}

#[test]
fn a_small_table_of_weights() {
    let bench = wearing_coarse_bound(&[("boots", 1)]);
    let table = weights_csv(&bench.room().dress, "boots").unwrap();
    let shared = table.lines().enumerate().filter(|(n, line)| *n == 0 || line.contains('.'));
    insta::assert_snapshot!(shared.take(8).map(|(_, line)| line).collect::<Vec<_>>().join("\n"));
}

/// A piece that is not bound yet goes out without weights: the file is proved, and no OBJ is written of it.
#[test]
fn a_dress_with_a_piece_unbound_is_proved_without_an_obj() {
    let bench = wearing_coarse(&[("boots", 1), ("breeches", 2)]);
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![1] }));
    let (_, proof) = prove(&bench.room(), None, &|_| true).unwrap();
    assert!(proof.is_equal() && proof.obj.0 == 0, "{}", proof.line());
    assert!(proof.line().ends_with("0 cells alike"), "{}", proof.line());
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![2] }));
    let (_, proof) = prove(&bench.room(), None, &|_| true).unwrap();
    assert!(
        proof.is_equal() && proof.obj.0 > 0 && proof.line().contains("as OBJ within"),
        "{}",
        proof.line()
    );
}
