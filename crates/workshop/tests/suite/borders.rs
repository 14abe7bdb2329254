//! What no file and no click may do: lose work, or leave something that cannot be opened again.

use std::sync::Arc;
use tin_cloak_testkit::{wardrobe, wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::{Quat, Vec3};
use tin_cloak_workshop::core::trial::TrackValues;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{
    export_glb, read, sort_document, BindingStep, Chosen, Clean, Companions, Dress, DressedFile, Grade,
    IntakeStep, MapKind, NamedFile, OwnJoint, PieceKind, Step, TrialSays, TrialStep, TrialWish, Turn,
    ViewRequest, Workshop,
};

/// Wick, whose first clip has a rotation of zero as the first key of one joint.
fn wick_with_a_zero_key() -> Vec<u8> {
    let file = wardrobe().iter().find(|f| f.name == "wick.glb").unwrap();
    let document = read(file.name, &file.bytes, &Companions::new()).unwrap();
    let mut body = sort_document(file.name, document, None).unwrap().0;
    for track in &mut body.clips[0].tracks {
        if let TrackValues::Rotation(keys) = &mut track.values {
            keys[0] = Quat::from_xyzw(0.0, 0.0, 0.0, 0.0);
            break;
        }
    }
    export_glb(&Dress {
        body: Arc::new(body),
        pieces: Vec::new(),
        said: Arc::default(),
        masked: Arc::default(),
    })
    .unwrap()
}

fn bring(shop: &Workshop, name: &str, bytes: &[u8]) -> i64 {
    shop.bring_in(name, bytes, &Companions::new()).unwrap()[0].id
}

#[test]
fn a_clip_that_cannot_be_played_is_told_and_costs_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let bytes = wick_with_a_zero_key();
    let fitting = shop.begin("Wick", bring(&shop, "wick.glb", &bytes)).unwrap();
    let tunic = wardrobe().iter().find(|f| f.name == "quilted tunic.glb").unwrap();
    let step = shop.piece_step(bring(&shop, tunic.name, &tunic.bytes), 1, PieceKind::Soft).unwrap();
    shop.run_now(fitting, step).unwrap();
    shop.run_now(fitting, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
    let clean = Clean::Smooth { strength: 0.3, times: 1 };
    shop.run_now(
        fitting,
        Step::Binding(BindingStep::Clean { piece: 1, clean, chosen: Chosen::Everything, locked: Vec::new() }),
    )
    .unwrap();

    let room = shop.room(fitting, None).unwrap();
    let (skipped, why) = room.trials.skipped.iter().find(|s| s.1.contains("zero")).unwrap();
    assert!(why.contains("the rotation of") && room.trials.trials.iter().all(|t| t.group != *skipped));
    let findings = room.findings();
    let of_body = &findings.iter().find(|(subject, _)| *subject == 0).unwrap().1;
    let told = of_body.iter().find(|f| f.sentence.contains("cannot be played")).unwrap();
    assert_eq!(told.grade, Grade::Trouble);
    let board = shop.measure_now(fitting).unwrap();
    assert!(board.measured().all(|(_, _, cell)| cell.depth_mm().is_finite()));
    // The Shelf and the fitting after a restart.
    drop((shop, room));
    let again = Workshop::open(folder.path()).unwrap();
    assert!(again.listed().unwrap().iter().all(|(_, summary)| summary.is_ok()));
    assert_eq!(again.room(fitting, None).unwrap().dress.pieces.len(), 1);
}

#[test]
fn the_command_line_refuses_what_it_cannot_try() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let mut dress = bench.room().dress.clone();
    let bytes = wick_with_a_zero_key();
    let document = read("wick.glb", &bytes, &Companions::new()).unwrap();
    assert_eq!(document.unsound_clips.len(), 1);
    // A dressed file with the same fault.
    let body = Arc::make_mut(&mut dress.body);
    let track = body.clips[1].tracks.iter_mut().find(|t| matches!(t.values, TrackValues::Rotation(_)));
    let TrackValues::Rotation(keys) = &mut track.unwrap().values else { panic!("a rotation") };
    keys[2] = Quat::from_xyzw(0.0, 0.0, 0.0, f32::NAN);
    let file = NamedFile { name: "dressed.glb".into(), bytes: export_glb(&dress).unwrap() };
    let refused =
        DressedFile::open(&file, None, &TrialWish::Clips, &TrialSays::default()).err().unwrap().to_string();
    assert!(refused.contains("light the lamp") || refused.contains("night round"), "{refused}");
    assert!(refused.contains("cannot be played") && refused.contains("no number"), "{refused}");
    let (report, _) = DressedFile::open(&file, None, &TrialWish::Range, &TrialSays::default())
        .unwrap()
        .measured(&|_| true)
        .unwrap();
    assert!(!report.poses.is_empty());
    // As a motion it is refused as well.
    let motion = TrialWish::Motion(NamedFile { name: "walk.glb".into(), bytes });
    let sound = NamedFile { name: "d.glb".into(), bytes: export_glb(&bench.room().dress).unwrap() };
    assert!(DressedFile::open(&sound, None, &motion, &TrialSays::default())
        .err()
        .unwrap()
        .to_string()
        .contains("cannot be played"));
}

#[test]
fn what_is_not_finite_is_never_kept() {
    let bench = wearing_coarse(&[("breeches", 1)]);
    // A turn that is no number is no turn: what is kept can be read again, to the bit.
    let turns = vec![Turn { joint: 3, bend: f32::NAN, twist: f32::INFINITY, ..Turn::default() }];
    let outcome = bench
        .shop
        .run_now(bench.fitting, Step::Trial(TrialStep::KeepPose { name: "odd".into(), pose: 0, turns }));
    let state = bench.room().state.clone();
    assert!(outcome.is_err() || state.poses[0].pose.rotations.iter().all(|q| q.is_finite()));
    let Bench { shop, fitting, folder } = bench;
    drop(shop);
    let again = Workshop::open(folder.path()).unwrap();
    assert_eq!(again.room(fitting, None).unwrap().state, state);
    assert!(again.listed().unwrap().iter().all(|(_, s)| s.is_ok()));
}

/// All that is numbered by vertex goes along when faces are left out after binding.
#[test]
fn faces_left_out_after_binding_take_their_numbers_with_them() {
    let bench = wearing_coarse(&[("scale cloak", 1)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 1, kind: PieceKind::Mixed }));
    bench.bind_all();
    let before = bench.piece(1);
    let bound = before.bound.clone().unwrap();
    assert!(!bound.filled.is_empty());
    bench.run(Step::Intake(IntakeStep::LeaveOutUnseen { piece: 1 }));
    let after = bench.piece(1);
    assert!(after.topology.triangles.len() < before.topology.triangles.len());
    let left = after.bound.clone().unwrap();
    let at = |p: &Vec3| before.rest.iter().position(|q| q == p).unwrap();
    for (v, place) in after.rest.iter().enumerate() {
        let was = at(place) as u32;
        // Vertices of one place may differ; compare where there is but one.
        if before.rest.iter().filter(|q| *q == place).count() == 1 {
            assert_eq!(left.filled.contains(&(v as u32)), bound.filled.contains(&was), "vertex {v}");
            assert!(left.skin.row(v).eq(bound.skin.row(was as usize)));
        }
    }
    assert!((left.matched_share - (1.0 - left.filled.len() as f32 / after.rest.len() as f32)).abs() < 1e-5);
    for map in [MapKind::Matched, MapKind::Sides, MapKind::Weights, MapKind::Clearance] {
        let view = ViewRequest { map, ..ViewRequest::default() };
        let parts = bench.room().view(&view).unwrap();
        let values = parts[1].map.as_ref().map(Vec::len);
        assert!(values.is_none_or(|n| n == after.mesh.positions.len()), "{map:?}");
    }
    bench.shop.undo(bench.fitting).unwrap();
    assert!(bench.piece(1).bound.unwrap() == bound);
}

/// A dressed file brought in again, whose body has the joints of the pieces from its file.
fn again(bench: &Bench) -> Bench {
    let bytes = export_glb(&bench.room().dress).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let assets = shop.bring_in("dressed.glb", &bytes, &Companions::new()).unwrap();
    let fitting = shop.begin("again", assets.iter().find(|a| a.role == "body").unwrap().id).unwrap();
    for asset in assets.iter().filter(|a| a.role == "piece") {
        shop.run_now(fitting, shop.piece_step(asset.id, 1, PieceKind::Soft).unwrap()).unwrap();
    }
    Bench { shop, fitting, folder }
}

#[test]
fn a_joint_that_the_bodys_file_has_stays_when_it_is_no_longer_a_pieces() {
    let bench = wearing_coarse(&[("lantern", 1)]);
    let second = again(&bench);
    let joints = second.room().state.joints.clone();
    assert!(!joints.is_empty());
    let (skeleton, skin) =
        (second.room().dress.body.skeleton.clone(), second.piece(1).bound.unwrap().skin.clone());
    second.run(Step::Binding(BindingStep::RemoveJoint { name: joints[0].name.clone() }));
    assert_eq!(second.room().dress.body.skeleton.names, skeleton.names);
    assert!(second.piece(1).bound.unwrap().skin == skin);
    assert_eq!(second.room().state.joints.len(), joints.len() - 1);
    second.run(Step::Intake(IntakeStep::RemovePiece { piece: 1 }));
    assert!(second.room().state.joints.is_empty());
    assert_eq!(second.room().dress.body.skeleton.names, skeleton.names);
}

#[test]
fn a_piece_as_it_came_can_be_given_a_joint() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let second = again(&bench);
    let place = Vec3::new(0.09, 0.75, 0.12);
    second.run(Step::Binding(BindingStep::AddJoint {
        joint: OwnJoint {
            name: "flap".into(),
            parent: "hips".into(),
            piece: 1,
            place,
            tip: place - Vec3::Y * 0.15,
            axis: Vec3::X,
            range: [-20.0, 35.0],
            reach_mm: 120.0,
        },
    }));
    let piece = second.piece(1);
    let bound = piece.bound.unwrap();
    assert_eq!(bound.method, "came");
    let flap = second.room().dress.body.skeleton.find("flap").unwrap();
    let column = bound.skin.column(flap);
    assert!(
        column.iter().any(|w| *w > 0.9) && column.iter().filter(|w| **w > 0.0).count() < column.len() / 4
    );
    let sum = |v: usize| bound.skin.row(v).map(|e| e.1).sum::<f32>();
    assert!((0..column.len()).all(|v| (sum(v) - 1.0).abs() < 1e-5));
    // Far from it nothing has changed.
    let came = piece.came.unwrap();
    let far = (0..column.len()).find(|&v| piece.rest[v].distance(place) > 0.5).unwrap();
    let names = &second.room().dress.body.skeleton.names.clone();
    for (joint, weight) in bound.skin.row(far) {
        let own = came.skeleton.find(&names[joint.index()]).unwrap_or(JointId(0));
        assert!((came.skin.column(own)[far] - weight).abs() < 1e-6);
    }
}

/// Eight who step, undo and redo at once: what is left is what some step left.
#[test]
fn eight_clients_at_once_leave_a_state_that_each_would_know() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let (shop, fitting) = (&bench.shop, bench.fitting);
    std::thread::scope(|s| {
        for client in 0..8u32 {
            s.spawn(move || {
                for turn in 0..5 {
                    let layer = 1 + ((client * 5 + turn) % 90) as u16;
                    match (client + turn) % 3 {
                        0 => drop(
                            shop.run_now(fitting, Step::Intake(IntakeStep::MoveToLayer { piece: 1, layer })),
                        ),
                        1 => drop(shop.undo(fitting)),
                        _ => drop(shop.redo(fitting)),
                    }
                }
            });
        }
    });
    let open = bench.open();
    let numbers: Vec<i64> = open.steps.iter().map(|s| s.seq).collect();
    assert!(numbers.windows(2).all(|w| w[1] == w[0] + 1), "{numbers:?}");
    for step in &open.steps {
        let room = shop.room(fitting, Some(step.seq)).unwrap();
        assert_eq!(room.dress.pieces.len(), room.state.pieces.len());
        if step.seq == open.fitting.cursor {
            assert_eq!(room.state, bench.room().state);
        }
    }
}
