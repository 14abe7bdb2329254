//! Weights that pieces bring: kept where their joints are the body's, matched by hand where not.

use std::sync::Arc;
use tin_cloak_formats::{write_glb, GlbPart, GlbScene};
use tin_cloak_testkit::{wardrobe, wearing_coarse, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::skeleton::Skeleton;
use tin_cloak_workshop::core::trial::{JointRange, FREE};
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{
    export_glb, fit_files, read, AssetRole, BindOptions, BindingStep, Board, BoardPair, Chosen, Clean,
    Companions, DressedFile, FollowedShapes, IntakeStep, Method, NamedFile, PieceFile, PieceKind, Step,
    TrialSays, TrialStep, TrialWish, Turn, Workshop,
};

fn named(name: &str) -> NamedFile {
    let file = wardrobe().iter().find(|f| f.name == name).unwrap();
    NamedFile { name: file.name.to_owned(), bytes: file.bytes.clone() }
}

/// Cloth, a plate and a lantern with a joint of its own, bound and cleaned.
fn worn() -> Bench {
    let bench =
        wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("tin breastplate", 3), ("lantern", 4)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Stiff }));
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 4, kind: PieceKind::Stiff }));
    bench.bind_all();
    let clean = Clean::Smooth { strength: 0.4, times: 2 };
    bench.run(Step::Binding(BindingStep::Clean {
        piece: 2,
        clean,
        chosen: Chosen::Everything,
        locked: Vec::new(),
    }));
    // A pose set by hand, a range set by hand, and what the plate leaves of another.
    let arm = bench.room().dress.body.skeleton.find("upper_arm_left").unwrap();
    let turns = vec![Turn { joint: arm.0, bend: 40.0, both_sides: true, ..Turn::default() }];
    bench.run(Step::Trial(TrialStep::KeepPose { name: "reaching".into(), pose: 3, turns }));
    let range = |forward| Some(JointRange { forward, ..FREE });
    bench.run(Step::Trial(TrialStep::SetRange {
        joint: "upper_leg_left".into(),
        range: range([-5.0, 30.0]),
        piece: None,
    }));
    bench.run(Step::Trial(TrialStep::SetRange {
        joint: "upper_arm_left".into(),
        range: range([-20.0, 35.0]),
        piece: Some(3),
    }));
    bench
}

/// A dressed file, brought in again and put on as its marks say.
fn again(bytes: &[u8]) -> Bench {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let assets = shop.bring_in("dressed.glb", bytes, &Companions::new()).unwrap();
    let marks = read("dressed.glb", bytes, &Companions::new()).unwrap().meshes;
    let body = assets.iter().find(|a| a.role == "body").unwrap();
    let fitting = shop.begin("again", body.id).unwrap();
    for asset in assets.iter().filter(|a| a.role == "piece") {
        let mark = marks.iter().find(|m| m.name == asset.mesh).unwrap().mark.clone().unwrap();
        let step = shop.piece_step(asset.id, mark.layer.unwrap(), mark.kind.unwrap()).unwrap();
        shop.run_now(fitting, step).unwrap();
    }
    Bench { shop, fitting, folder }
}

fn assert_same(ours: &Board, theirs: &Board) {
    let names = |b: &Board| b.poses.iter().map(|p| (p.group.clone(), p.name.clone())).collect::<Vec<_>>();
    assert_eq!(names(ours), names(theirs));
    let pairs = |b: &Board| b.pairs.iter().map(|p| (p.outer.clone(), p.inner.clone())).collect::<Vec<_>>();
    assert_eq!(pairs(ours), pairs(theirs));
    for ((p, r, a), (_, _, b)) in ours.measured().zip(theirs.measured()) {
        let (name, apart) = (&ours.poses[p].name, (a.depth_mm() - b.depth_mm()).abs());
        assert!(apart < 0.015, "{name}, row {r}: {} for {} mm", b.depth_mm(), a.depth_mm());
    }
}

#[test]
fn our_own_dressed_file_comes_in_again_as_it_went_out() {
    let bench = worn();
    let bytes = export_glb(&bench.room().dress).unwrap();
    let second = again(&bytes);
    let notes = second.open().effect().notes;
    assert!(notes.iter().any(|n| n.contains("keeps its weights")), "{notes:?}");
    assert_eq!(second.room().state.joints.len(), bench.room().state.joints.len());
    for (a, b) in bench.room().dress.pieces.iter().zip(&second.room().dress.pieces) {
        assert_eq!((&a.name, a.layer, a.kind), (&b.name, b.layer, b.kind));
        let name = &a.name;
        let (a, b) = (&a.bound.as_ref().unwrap().skin, &b.bound.as_ref().unwrap().skin);
        let (ours, theirs) =
            (bench.room().dress.body.skeleton.clone(), second.room().dress.body.skeleton.clone());
        for joint in (0..ours.len() as u16).map(JointId) {
            let other = theirs.find(&ours.names[joint.index()]).unwrap();
            let (x, y) = (a.column(joint), b.column(other));
            let apart = x.iter().zip(&y).map(|(x, y)| (x - y).abs()).fold(0.0, f32::max);
            assert!(apart < 1e-5, "{name}, joint {}: {apart}", joint.0);
        }
    }
    let state = second.room().state.clone();
    assert_eq!((state.ranges.len(), state.poses.len(), state.pieces[2].limits.len()), (1, 1, 1));
    assert_same(&bench.board(), &second.board());
    // And once more: nothing is added each time.
    let bytes = export_glb(&second.room().dress).unwrap();
    assert_eq!(again(&bytes).room().dress.body.skeleton.len(), bench.room().dress.body.skeleton.len());
}

/// The command line says of the file what the page says of the fitting.
#[test]
fn the_page_and_the_command_line_measure_alike() {
    let bench = worn();
    let file = NamedFile { name: "dressed.glb".into(), bytes: export_glb(&bench.room().dress).unwrap() };
    let board = bench.board();
    for (wish, of) in [(TrialWish::Range, "range"), (TrialWish::Clips, "clips")] {
        let (report, _) = DressedFile::open(&file, None, &wish, &TrialSays::default())
            .unwrap()
            .measured(&|_| true)
            .unwrap();
        let is_range = |group: &str| ["rest", "range", "by hand"].contains(&group);
        let ours: Vec<usize> =
            (0..board.poses.len()).filter(|p| is_range(&board.poses[*p].group) == (of == "range")).collect();
        assert_eq!(report.poses.len(), ours.len(), "{of}");
        for (theirs, &p) in report.poses.iter().zip(&ours) {
            assert_eq!(theirs.name, board.poses[p].name);
            for entry in &theirs.pairs {
                let is_it = |b: &BoardPair| (&b.outer, &b.inner) == (&entry.outer, &entry.inner);
                let row = board.pairs.iter().position(is_it);
                let depth = row.map_or(0.0, |r| board.cells[p][r].as_ref().unwrap().depth_mm());
                let said = entry.cell.depth_mm();
                assert!((said - depth).abs() < 0.015, "{of} {}: {said} for {depth}", theirs.name);
            }
        }
    }
}

/// A tunic bound to Wick, on joints of other names; `off` lets them stand in no order somewhere else.
fn strange(off: bool) -> Vec<u8> {
    let file = named("quilted tunic.glb");
    let tunic = PieceFile { file, layer: Some(1), kind: None, joint: None, keeps: None, mesh: None };
    let bytes = fit_files(&named("wick.glb"), None, &[tunic], &BindOptions::default(), &FollowedShapes::None)
        .unwrap()
        .0;
    let document = read("fit.glb", &bytes, &Companions::new()).unwrap();
    let old = document.skeleton.unwrap();
    let names = (0..old.len()).map(|j| format!("q{j}")).collect();
    let skeleton = if off {
        let mut rest = old.rest.clone();
        rest.iter_mut().enumerate().for_each(|(j, r)| r.translation = Vec3::new(9.0, j as f32, 0.0));
        Skeleton::at_rest(names, vec![None; old.len()], rest).unwrap()
    } else {
        Skeleton::new(names, old.parents, old.rest, old.inverse_bind).unwrap()
    };
    let part = document.meshes.iter().find(|m| m.name == "quilted tunic").unwrap();
    let part = GlbPart {
        name: &part.name,
        mesh: &part.mesh,
        skin: part.skin.as_ref(),
        morphs: &[],
        amounts: &[],
        mark: None,
        look: &part.look,
        colour: [0.5; 3],
    };
    write_glb(&GlbScene { parts: vec![part], skeleton: Some(&skeleton), clips: &[] }).unwrap()
}

fn put_on(bytes: &[u8]) -> Bench {
    let bench = wearing_coarse(&[]);
    let asset = bench.shop.bring_in("strange.glb", bytes, &Companions::new()).unwrap()[0].id;
    bench.shop.sort(asset, AssetRole::Piece).unwrap();
    bench.run(bench.shop.piece_step(asset, 1, PieceKind::Soft).unwrap());
    bench
}

#[test]
fn joints_of_other_names_are_known_by_their_places() {
    let bench = put_on(&strange(false));
    let note = bench.open().effect().notes.join("; ");
    assert!(note.contains("keeps its weights: 22 of the 22"), "{note}");
    assert!(bench.room().state.joints.is_empty());
    let names = &bench.room().dress.body.skeleton.names.clone();
    let came = bench.room().state.pieces[0].recipe.came.clone();
    assert!(
        came.iter().all(|(own, of_body)| names[own[1..].parse::<usize>().unwrap()] == *of_body),
        "{came:?}"
    );
}

#[test]
fn joints_nobody_knows_are_matched_by_hand() {
    let bench = put_on(&strange(true));
    let note = bench.open().effect().notes.join("; ");
    assert!(note.contains("wait at Binding"), "{note}");
    let piece = bench.piece(1);
    assert!(piece.bound.is_none());
    let came = piece.came.unwrap();
    let names = bench.room().dress.body.skeleton.names.clone();
    let by_hand = |own: String| (own.clone(), names[own[1..].parse::<usize>().unwrap()].clone());
    let own = came.carrying().into_iter().map(|j| came.skeleton.names[j.index()].clone());
    let pairs = own.map(by_hand).collect();
    let refused = bench.refused(Step::Binding(BindingStep::MatchCame {
        piece: 1,
        pairs: vec![("q3".into(), "tail".into())],
    }));
    assert!(refused.contains("tail"), "{refused}");
    bench.run(Step::Binding(BindingStep::MatchCame { piece: 1, pairs }));
    let bound = bench.piece(1).bound.unwrap();
    assert_eq!(bound.method, Method::Came.word());
    let skeleton = bench.room().dress.body.skeleton.clone();
    assert!(bound.skin.column(skeleton.find("upper_arm_left").unwrap()).iter().any(|w| *w > 0.9));
    // It is cleaned and changed like any other, and can be bound anew and as it came again.
    let clean = Clean::Smooth { strength: 0.5, times: 1 };
    bench.run(Step::Binding(BindingStep::Clean {
        piece: 1,
        clean,
        chosen: Chosen::Everything,
        locked: Vec::new(),
    }));
    bench.run(Step::Binding(BindingStep::ChooseMethod { piece: 1, options: BindOptions::default() }));
    assert_eq!(bench.piece(1).bound.unwrap().method, Method::Both.word());
    let options = BindOptions { method: Method::Came, ..BindOptions::default() };
    bench.run(Step::Binding(BindingStep::ChooseMethod { piece: 1, options }));
    assert!(bench.piece(1).bound.unwrap().skin != bound.skin, "what was cleaned is done again");
    bench.run(Step::Binding(BindingStep::ForgetCleaning { piece: 1 }));
    assert!(bench.piece(1).bound.unwrap().skin == bound.skin);
}

#[test]
fn fit_keeps_weights_where_the_joints_are_known() {
    let dressed = NamedFile { name: "dressed.glb".into(), bytes: export_glb(&worn().room().dress).unwrap() };
    let one = |file: NamedFile, mesh: &str, keeps: Option<bool>| {
        let mesh = Some(mesh.to_owned());
        let piece = PieceFile { file, layer: None, kind: None, joint: None, keeps, mesh };
        fit_files(&named("wick.glb"), None, &[piece], &BindOptions::default(), &FollowedShapes::None)
            .map(|made| made.1)
    };
    let method = |keeps| one(dressed.clone(), "quilted tunic", keeps).unwrap().pieces[0].method.clone();
    assert_eq!(
        (method(None), method(Some(true)), method(Some(false))),
        ("came".into(), "came".into(), "both".into())
    );
    let report = one(dressed.clone(), "lantern", None).unwrap();
    assert_eq!(report.pieces.len(), 1);
    let missing = one(dressed.clone(), "hat", None).unwrap_err().to_string();
    assert!(missing.contains("hat") && missing.contains("lantern"), "{missing}");
    let strange = NamedFile { name: "strange.glb".into(), bytes: strange(true) };
    let refused = one(strange, "quilted tunic", Some(true)).unwrap_err().to_string();
    assert!(refused.contains("q3") && refused.contains("weights=new"), "{refused}");
    let bare = one(named("breeches.glb"), "breeches", Some(true)).unwrap_err().to_string();
    assert!(bare.contains("came without weights"), "{bare}");
}
