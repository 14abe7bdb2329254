//! A fitting's life without page or command line: every use case on a real body and two bare
//! garments (open data, CC0; see `testdata/open-human/README.md`).

use std::path::Path;
use std::sync::Arc;
use tin_cloak_workshop::ProbeOfRoom;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{
    read, Against, BindingStep, Chosen, Companions, IntakeStep, JobState, MapKind, MendOptions, MendingStep,
    PieceKind, Step, Turn, ViewRequest, Workshop, WorkshopError,
};

fn data(name: &str) -> Vec<u8> {
    std::fs::read(format!("{}/../../testdata/open-human/{name}", env!("CARGO_MANIFEST_DIR"))).unwrap()
}

fn bring(shop: &Workshop, name: &str) -> i64 {
    shop.bring_in(name, &data(name), &Companions::new()).unwrap()[0].id
}

/// A workshop with the body begun and the suit put on: (workshop, fitting, piece).
fn dressed(folder: &Path) -> (Arc<Workshop>, i64) {
    let shop = Arc::new(Workshop::open(folder).unwrap());
    let body = bring(&shop, "body.glb");
    let suit = bring(&shop, "bodysuit.glb");
    shop.measure_behind(false);
    let fitting = shop.begin("Sea trial", body).unwrap();
    let step = shop.piece_step(suit, 1, PieceKind::Soft).unwrap();
    shop.run_now(fitting, step).unwrap();
    (shop, fitting)
}

fn bind_all() -> Step {
    Step::Binding(BindingStep::Bind { pieces: Vec::new() })
}

fn push_all() -> Step {
    Step::Mending(MendingStep::PushOut {
        pieces: Vec::new(),
        chosen: Chosen::Everything,
        options: MendOptions::default(),
        against: Against::default(),
        turns: Vec::new(),
    })
}

#[test]
fn every_step_is_measured_kept_and_can_be_taken_back() {
    let folder = tempfile::tempdir().unwrap();
    let (shop, fitting) = dressed(folder.path());
    assert!(
        matches!(shop.run_now(fitting, push_all()), Err(WorkshopError::Job(why)) if why.contains("bind"))
    );

    assert_eq!(shop.run_now(fitting, bind_all()).unwrap(), "Bind bodysuit");
    let before = shop.measure_now(fitting).unwrap();
    let bound = shop.fitting(fitting).unwrap();
    assert!(before.poses.len() >= 25 && before.pairs.iter().filter(|p| !p.is_itself()).count() == 1);
    assert_eq!(bound.effect().deepest_after_mm, Some(before.deepest_mm()));

    shop.run_now(fitting, push_all()).unwrap();
    let after = shop.measure_now(fitting).unwrap();
    let pushed = shop.fitting(fitting).unwrap();
    let poking =
        |b: &tin_cloak_workshop::Board| -> usize { b.measured().map(|(_, _, c)| c.poking + c.sunk).sum() };
    // What rest has is told once, so what is cured there is cured once.
    assert!(poking(&after) * 4 < poking(&before) * 3, "{} became {}", poking(&before), poking(&after));
    assert_eq!(pushed.effect().better, after.better_and_worse(&before).0);

    shop.undo(fitting).unwrap();
    assert_eq!(shop.board(&shop.room(fitting, None).unwrap()).unwrap(), Some(before));
    shop.undo(fitting).unwrap();
    assert!(shop.board(&shop.room(fitting, None).unwrap()).unwrap().is_none());
    shop.redo(fitting).unwrap();
    shop.redo(fitting).unwrap();
    assert_eq!(shop.board(&shop.room(fitting, None).unwrap()).unwrap(), Some(Arc::clone(&after)));
    assert!(matches!(shop.redo(fitting), Err(WorkshopError::NothingToRedo)));

    // A second workshop over the same folder, as after a crash, finds all of it.
    drop(shop);
    let again = Workshop::open(folder.path()).unwrap();
    let open = again.fitting(fitting).unwrap();
    assert_eq!(again.board(&open.room).unwrap(), Some(after));
    let said: Vec<&str> = open.steps.iter().map(|s| s.sentence.as_str()).collect();
    assert_eq!(said, ["Begin with body", "Add bodysuit on layer 1", "Bind bodysuit", "Push out bodysuit"]);
}

#[test]
fn what_is_handed_over_moves_as_it_did_here() {
    let folder = tempfile::tempdir().unwrap();
    let (shop, fitting) = dressed(folder.path());
    shop.run_now(fitting, bind_all()).unwrap();
    let room = shop.fitting(fitting).unwrap().room;
    let (_, bytes) = shop.export(fitting, false).unwrap();
    let out = read("out.glb", &bytes, &Companions::new()).unwrap();
    let skeleton = out.skeleton.as_ref().unwrap();
    assert_eq!(skeleton.names, room.dress.body.skeleton.names);
    let suit = out.meshes.iter().find(|m| m.name == "bodysuit").unwrap();
    assert_eq!(suit.mark.as_ref().map(|m| (m.role.as_str(), m.layer)), Some(("piece", Some(1))));

    // The same pose, posed here and from the file read back.
    let pose = &room.trials.trials[5].pose;
    let here = room.dress.pieces[0].posed(&room.dress.body.skeleton.skin_matrices(pose));
    let here = room.dress.pieces[0].topology.weld.scatter(&here);
    let mut there = suit.mesh.positions.clone();
    tin_cloak_workshop::core::deform::linear_blend(
        &suit.mesh.positions,
        suit.skin.as_ref().unwrap(),
        &skeleton.skin_matrices(pose),
        &mut there,
    );
    let apart = here.iter().zip(&there).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!(apart < 1e-5, "{apart} m");
}

#[test]
fn one_job_at_a_time_and_a_stopped_one_changes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let (shop, fitting) = dressed(folder.path());
    let steps = shop.fitting(fitting).unwrap().steps.len();
    let job = shop.start(fitting, bind_all()).unwrap();
    assert!(matches!(shop.start(fitting, bind_all()), Err(WorkshopError::Busy)));
    assert!(matches!(shop.undo(fitting), Err(WorkshopError::Busy)));
    let watched = shop.jobs().get(job).unwrap();
    watched.stop();
    while watched.state() == JobState::Running {
        std::thread::sleep(std::time::Duration::from_millis(2));
    }
    assert_eq!(watched.state(), JobState::Stopped);
    let open = shop.fitting(fitting).unwrap();
    assert_eq!(open.steps.len(), steps);
    assert!(shop.board(&open.room).unwrap().is_none());
}

#[test]
fn pieces_are_filed_moved_and_taken_off() {
    let folder = tempfile::tempdir().unwrap();
    let (shop, fitting) = dressed(folder.path());
    let skirt = bring(&shop, "skirt.obj");
    shop.run_now(fitting, shop.piece_step(skirt, 2, PieceKind::Soft).unwrap()).unwrap();
    let open = shop.fitting(fitting).unwrap();
    let ids: Vec<u32> = (0..2).map(|i| open.room.piece_state(i).id).collect();
    shop.run_now(fitting, Step::Intake(IntakeStep::MoveToLayer { piece: ids[0], layer: 3 })).unwrap();
    let open = shop.fitting(fitting).unwrap();
    let names: Vec<&str> = open.room.dress.pieces.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(names, ["skirt", "bodysuit"], "the dress is sorted from the inside out");

    shop.run_now(fitting, bind_all()).unwrap();
    shop.run_now(fitting, Step::Intake(IntakeStep::SetKind { piece: ids[1], kind: PieceKind::Stiff }))
        .unwrap();
    let open = shop.fitting(fitting).unwrap();
    let bound = open.room.dress.pieces[0].bound.as_ref().unwrap();
    assert_eq!(bound.method, "stiff", "filed anew, it is bound anew");
    shop.run_now(fitting, Step::Intake(IntakeStep::RemovePiece { piece: ids[1] })).unwrap();
    assert_eq!(shop.fitting(fitting).unwrap().room.dress.pieces.len(), 1);
    let gone = shop.run_now(fitting, Step::Intake(IntakeStep::RemovePiece { piece: ids[1] }));
    assert!(matches!(gone, Err(WorkshopError::Job(why)) if why.contains("piece")));
}

#[test]
fn a_pose_turned_by_hand_is_seen_and_probed() {
    let folder = tempfile::tempdir().unwrap();
    let (shop, fitting) = dressed(folder.path());
    shop.run_now(fitting, bind_all()).unwrap();
    let room = shop.fitting(fitting).unwrap().room;
    let person = tin_cloak_workshop::core::trial::Humanoid::find(&room.dress.body.skeleton);
    let elbow = person.left.lower_arm.unwrap();
    let turned = ViewRequest {
        turns: vec![Turn { joint: elbow.0, bend: -60.0, ..Turn::default() }],
        map: MapKind::Clearance,
        ..ViewRequest::default()
    };
    let (rest, bent) = (room.view(&ViewRequest::default()).unwrap(), room.view(&turned).unwrap());
    let moved = |part: usize| {
        rest[part].positions.iter().zip(&bent[part].positions).filter(|(a, b)| a.distance(**b) > 0.01).count()
    };
    assert!(moved(0) > 100, "the body's forearm moves");
    let map = bent[1].map.as_ref().unwrap();
    assert!(map.iter().filter(|m| m.is_finite()).count() > map.len() / 2, "most of the suit is measured");

    // Straight at the chest: the suit is met first, and what lies beneath it is told.
    let hit = room
        .probe(&ViewRequest::default(), person.forward * 3.0 + person.up * 1.3, -person.forward, &[])
        .unwrap()
        .unwrap();
    assert_eq!(hit.name, "bodysuit");
    let sum: f32 = hit.weights.iter().map(|w| w.1).sum();
    assert!(hit.bound && sum > 0.9 && hit.clearance_mm.is_some());

    let missing = ViewRequest { pose: 9999, ..ViewRequest::default() };
    assert!(matches!(room.view(&missing), Err(WorkshopError::Missing { .. })));
    let missing = ViewRequest { joint: 9999, map: MapKind::Weights, ..ViewRequest::default() };
    assert!(matches!(room.view(&missing), Err(WorkshopError::Missing { .. })));
}
