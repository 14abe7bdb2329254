//! The outfit of one lamplighter on the other.

use std::sync::Arc;
use tin_cloak_testkit::{wardrobe, wearing_bound, Bench};
use tin_cloak_workshop::core::mesh::Alignment;
use tin_cloak_workshop::{
    Chosen, Companions, IntakeStep, JobState, MoveOptions, Room, SeatingStep, Step, StiffSize, TrialStep,
};

fn brought(bench: &Bench, name: &str) -> i64 {
    let tib = || tin_cloak_demo::tib().unwrap();
    let file = wardrobe().iter().find(|f| f.name == name).cloned().unwrap_or_else(tib);
    bench.shop.bring_in(file.name, &file.bytes, &Companions::new()).unwrap()[0].id
}

/// The outfit on Tib: the number of that fitting, and its room.
fn on_tib(bench: &Bench, stiff: StiffSize) -> (i64, Arc<Room>) {
    let tib = brought(bench, "tib.glb");
    let (fitting, job) = bench.shop.wear_on(bench.fitting, tib, stiff).unwrap();
    let state = bench.waited(job);
    assert!(matches!(state, JobState::Done(_)), "{state:?}");
    (fitting, bench.shop.room(fitting, None).unwrap())
}

#[test]
fn clothes_and_armour_go_to_a_body_of_other_mesh_size_and_joints() {
    let bench = wearing_bound(&[("quilted tunic", 1), ("breeches", 1), ("tin breastplate", 2)]);
    let kind = tin_cloak_workshop::PieceKind::Stiff;
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind }));
    let (fitting, room) = on_tib(&bench, StiffSize::ByRegion);
    let notes = bench.shop.fitting(fitting).unwrap().effect().notes;

    assert_eq!(bench.shop.stored(fitting).unwrap().name, "Wick, on Tib");
    let names: Vec<&str> = room.dress.pieces.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(names, ["quilted tunic", "breeches", "tin breastplate"]);
    assert!(room.dress.pieces.iter().all(|p| p.bound.is_some()), "all are bound: {notes:?}");
    assert!(notes[0].contains("found its place here"), "{notes:?}");
    let joints = room.dress.body.skeleton.len();
    assert!(room.dress.pieces.iter().all(|p| p
        .bound
        .as_ref()
        .unwrap()
        .skin
        .joints()
        .iter()
        .all(|j| usize::from(*j) < joints)));

    // A plate is the plate that it was, sized.
    let (was, is) = (bench.piece(3), &room.dress.pieces[2]);
    let fit = Alignment::between(&was.rest, &is.rest).matrix();
    let off = was.rest.iter().zip(&*is.rest).map(|(a, b)| fit.transform_point3(*a).distance(*b));
    assert!(off.fold(0.0, f32::max) < 5e-5);

    // At rest little is through: 1.7 mm is what it comes to, 0.5 what is wanted.
    let board = bench.shop.measure_now(fitting).unwrap();
    let rest = board.poses.iter().position(|p| p.name == "rest").unwrap();
    let deepest = board.cells[rest].iter().flatten().map(|c| c.depth_mm()).fold(0.0, f32::max);
    assert!(deepest <= 2.5, "{deepest} mm at rest: {notes:#?}");

    // One step, taken back as one.
    bench.shop.undo(fitting).unwrap();
    assert!(bench.shop.room(fitting, None).unwrap().dress.pieces.is_empty());
    assert_eq!(bench.room().dress.pieces.len(), 3, "and the first keeps all of it");
}

#[test]
fn what_was_settled_goes_along_by_the_names_of_the_other_joints() {
    use tin_cloak_workshop::core::trial::{JointRange, FREE};
    use tin_cloak_workshop::{BindingStep, Clean, HandAmount, HandChange, HandRest, Pick, What};
    let bench = wearing_bound(&[("quilted tunic", 1)]);
    let joint = "upper_arm_left".to_owned();
    let change =
        HandChange::Give { joint: joint.clone(), amount: HandAmount::Set(0.8), rest: HandRest::Others };
    let clean = Clean::ByHand { change, firm_percent: None };
    let vertices = vec![5u32, 6, 7];
    let chosen = Chosen::Picks(vec![Pick::add(What::Vertices(vertices))]);
    bench.run(Step::Binding(BindingStep::Clean { piece: 1, clean, chosen, locked: Vec::new() }));
    let range = JointRange { forward: [-20.0, 20.0], ..FREE };
    bench.run(Step::Trial(TrialStep::SetRange { joint, range: Some(range), piece: None }));
    let (fitting, room) = on_tib(&bench, StiffSize::ByRegion);
    assert_eq!(room.state.ranges[0].joint, "ArmL");
    let arm = room.dress.body.skeleton.find("ArmL").unwrap();
    let column = room.dress.pieces[0].bound.as_ref().unwrap().skin.column(arm);
    assert!((column[5] - 0.8).abs() < 0.02, "{}", column[5]);
    let notes = bench.shop.fitting(fitting).unwrap().effect().notes;
    assert!(notes.iter().all(|n| !n.contains("not here")), "{notes:?}");
}

#[test]
fn what_cannot_wear_it_is_refused_and_nothing_is_begun() {
    let bench = wearing_bound(&[("breeches", 1)]);
    let tib = brought(&bench, "tib.glb");
    let fittings = || bench.shop.fittings().unwrap().len();
    let before = fittings();

    // A piece with a joint or two is no body that anything can be mapped to.
    let lantern = brought(&bench, "lantern.glb");
    let refused = bench.shop.wear_on(1, lantern, StiffSize::Kept).unwrap_err().to_string();
    assert!(refused.contains("too little of a person in common"), "{refused}");
    let bare = bench.shop.begin("bare", tib).unwrap();
    let refused = bench.shop.wear_on(bare, tib, StiffSize::Kept).unwrap_err().to_string();
    assert!(refused.contains("no pieces"), "{refused}");
    assert_eq!(fittings(), before + 1);
}

#[test]
fn a_piece_moved_by_hand_goes_along_as_it_is_now() {
    let bench = wearing_bound(&[("breeches", 1)]);
    let options = MoveOptions { off_mm: 12.0, ..MoveOptions::default() };
    let chosen = Chosen::Everything;
    bench.run(Step::Seating(SeatingStep::MoveChosen {
        piece: 1,
        chosen,
        options,
        in_pose: None,
        into_shape: None,
    }));
    let (_, room) = on_tib(&bench, StiffSize::ByRegion);
    let gaps = |room: &Room| {
        let gaps = tin_cloak_workshop::GroundOfRoom::rest_gaps(room, 0);
        let mut list: Vec<f32> = gaps.iter().flatten().map(|g| g.clearance).collect();
        list.sort_by(f32::total_cmp);
        list[list.len() / 2]
    };
    let (was, is) = (gaps(&bench.room()), gaps(&room));
    assert!((is / was - 1.0).abs() < 0.2, "half of it lies {was} m off there, {is} here");
}
