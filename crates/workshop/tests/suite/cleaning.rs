//! Weights taken from other pieces and cleaned, on the demo's own files.

use tin_cloak_testkit::{wearing, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::bind::clean::WeightGoes;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::mirror_partner;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{
    BindingStep, Chosen, Clean, HandChange, IntakeStep, JointChoice, Pick, Piece, PieceKind, SourcePart,
    Step, Takes, What,
};

/// Wick with pieces on, as cloth, bound.
fn bound(pieces: &[(&str, u16)]) -> Bench {
    let bench = wearing(pieces);
    bench.bind_all();
    bench
}

fn clean(piece: u32, clean: Clean) -> Step {
    Step::Binding(BindingStep::Clean { piece, clean, chosen: Chosen::Everything, locked: Vec::new() })
}

fn weight(piece: &Piece, v: usize, joint: JointId) -> f32 {
    piece.bound.as_ref().unwrap().skin.row(v).find(|e| e.0 == joint).map_or(0.0, |e| e.1)
}

#[test]
fn weights_are_cleaned_in_steps_that_say_what_they_did() {
    let bench = bound(&[("quilted tunic", 1)]);
    let board = bench.board();
    assert_eq!(
        bench.run(clean(1, Clean::Smooth { strength: 0.5, times: 3 })),
        "Smooth weights of quilted tunic, 0.5 × 3"
    );
    let said = bench.open().effect().notes;
    assert!(said[0].contains("vertices changed") && said[0].contains("the furthest goes"), "{said:?}");
    assert_ne!(bench.board(), board, "measured anew");
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.board(), board);

    bench.run(clean(1, Clean::Limit { most: 2 }));
    assert_eq!(bench.piece(1).bound.unwrap().skin.max_influences(), 2);
    assert!(bench
        .refused(clean(1, Clean::Limit { most: 2 }))
        .contains("nothing on “quilted tunic” needs that"));
    assert!(bench.refused(clean(1, Clean::Limit { most: 0 })).contains("1 to 8"));

    // A joint loses all to its parent; a locked one keeps what it has.
    let skeleton = bench.open().room.dress.body.skeleton.clone();
    let (twist, arm) =
        (skeleton.find("upper_arm_twist_left").unwrap(), skeleton.find("upper_arm_left").unwrap());
    let before = bench.piece(1);
    let joints = vec!["upper_arm_twist_left".to_owned()];
    let off = Clean::RemoveJoints { joints: joints.clone(), goes: WeightGoes::ToParent };
    let locked = Step::Binding(BindingStep::Clean {
        piece: 1,
        clean: off.clone(),
        chosen: Chosen::Everything,
        locked: joints,
    });
    assert!(bench.refused(locked).contains("needs that"));
    bench.run(clean(1, off));
    let after = bench.piece(1);
    for v in 0..after.rest.len() {
        assert_eq!(weight(&after, v, twist), 0.0);
        let both = weight(&before, v, twist) + weight(&before, v, arm);
        assert!((weight(&after, v, arm) - both).abs() < 1e-5);
    }
    let nowhere = Clean::RemoveJoints { joints: vec!["tail".into()], goes: WeightGoes::ToOthers };
    assert!(bench.refused(clean(1, nowhere)).contains("no joint “tail”"));
}

#[test]
fn one_side_takes_the_weights_of_the_other() {
    let bench = bound(&[("quilted tunic", 1)]);
    bench.run(clean(1, Clean::Mirror { from_left: true, blend_mm: 10.0, joints: Vec::new() }));
    let piece = bench.piece(1);
    let skeleton = bench.open().room.dress.body.skeleton.clone();
    let tree = tin_cloak_workshop::core::query::Bvh::over_points(&piece.rest);
    let mut compared = 0;
    for v in (0..piece.rest.len()).filter(|&v| piece.rest[v].x < -0.02) {
        let image = piece.rest[v] * Vec3::new(-1.0, 1.0, 1.0);
        let Some(other) = tree.closest(image, 1e-4) else { continue };
        compared += 1;
        for (joint, w) in piece.bound.as_ref().unwrap().skin.row(v) {
            let partner = mirror_partner(&skeleton, joint).unwrap_or(joint);
            assert!((w - weight(&piece, other.triangle as usize, partner)).abs() < 0.01);
        }
    }
    assert!(compared > 500, "{compared}");
}

#[test]
fn a_harness_takes_its_weights_from_the_tunic_beneath() {
    let bench = bound(&[("quilted tunic", 1), ("tin breastplate", 2)]);
    let take = |piece, from: Option<u32>| {
        let takes = from.map_or(Takes::Body, |id| Takes::Pieces(vec![id]));
        Step::Binding(BindingStep::TakeFrom { piece, takes, part: SourcePart::Whole })
    };
    let said = bench.run(take(2, Some(1)));
    assert_eq!(
        said,
        "Let tin breastplate take its weights from quilted tunic; bound again as its recipe says"
    );
    assert!(bench.refused(take(1, Some(2))).contains("from itself"));
    assert!(bench.refused(take(1, Some(1))).contains("from itself"));
    // Every joint of the plate is one of the tunic's, and close by they agree.
    let (plate, tunic) = (bench.piece(2), bench.piece(1));
    let of_tunic = |joint: JointId| (0..tunic.rest.len()).any(|v| weight(&tunic, v, joint) > 0.0);
    for v in (0..plate.rest.len()).step_by(97) {
        assert!(plate.bound.as_ref().unwrap().skin.row(v).all(|e| of_tunic(e.0)));
    }
    // Without its source bound, it cannot be; all together they are, whatever their order.
    let bench = wearing(&[("quilted tunic", 1), ("tin breastplate", 2)]);
    bench.run(take(2, Some(1)));
    let alone = Step::Binding(BindingStep::Bind { pieces: vec![2] });
    assert!(bench.refused(alone).contains("which is not bound"));
    bench.run(Step::Intake(IntakeStep::MoveToLayer { piece: 1, layer: 3 }));
    bench.run(Step::Binding(BindingStep::Bind { pieces: Vec::new() }));
    assert!(bench.piece(1).bound.is_some() && bench.piece(2).bound.is_some());
    // The source taken off, the body gives.
    bench.run(Step::Intake(IntakeStep::RemovePiece { piece: 1 }));
    assert_eq!(bench.open().room.state.pieces[0].recipe.takes, Takes::Body);
}

#[test]
fn a_plate_that_moves_as_one_is_not_cleaned() {
    let bench = wearing(&[("tin breastplate", 1)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 1, kind: PieceKind::Stiff }));
    bench.bind_all();
    let smooth = clean(1, Clean::Smooth { strength: 0.5, times: 1 });
    assert!(bench.refused(smooth).contains("moves as one"));
}

#[test]
fn a_piece_follows_only_the_joints_it_may() {
    let bench = wearing(&[("oilskin coat", 1), ("boots", 2)]);
    bench.cure(1, "in centimetres");
    bench.bind_all();
    let skeleton = bench.room().dress.body.skeleton.clone();
    let find = |name: &str| skeleton.find(name).unwrap();
    let follows = |id: u32, joint: JointId| {
        let piece = bench.piece(id);
        (0..piece.rest.len()).any(|v| weight(&piece, v, joint) > 0.0)
    };
    // The knee pole carries weight on the body, but gives none.
    let pole = find("knee_pole_left");
    assert!(bench.room().dress.body.welded_skin.column(pole).iter().any(|w| *w > 0.0));
    assert!(!follows(1, pole) && !follows(2, pole) && follows(1, find("upper_arm_left")));
    // As a cape is held, by neck and upper spine alone.
    let choose = |only: bool, names: &[&str]| {
        Step::Binding(BindingStep::ChooseJoints {
            piece: 1,
            choice: Some(JointChoice { only, joints: names.iter().map(|n| (*n).to_owned()).collect() }),
        })
    };
    let said = bench.run(choose(true, &["neck", "spine_3"]));
    assert_eq!(said, "Let oilskin coat follow neck, spine_3 alone; bound again as its recipe says");
    let held = [find("neck"), find("spine_3")];
    let joints = (0..skeleton.len()).map(|j| JointId(j as u16));
    assert!(joints.filter(|j| follows(1, *j)).all(|j| held.contains(&j)));
    bench.run(choose(false, &["upper_arm_twist_left"]));
    assert!(!follows(1, find("upper_arm_twist_left")) && follows(1, find("upper_arm_twist_right")));
    assert!(bench.refused(choose(true, &["tail"])).contains("no joint “tail”"));
    let all: Vec<&str> = skeleton.names.iter().map(String::as_str).collect();
    assert!(bench.refused(choose(false, &all)).contains("no joint is left"));
}

/// What follows the other side's joints is found, and the cure binds it with sides apart.
#[test]
fn what_follows_the_other_side_is_found_and_cured() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let words = "follow joints of the other side";
    assert!(bench.found(1, words).is_none());
    // The left thigh given to the right leg.
    let change =
        HandChange::Move { from: "upper_leg_left".into(), to: "upper_leg_right".into(), both: false };
    let picks = vec![Pick::add(What::Joint { joint: "upper_leg_left".into(), over: 0.5 })];
    let clean = Clean::ByHand { change, firm_percent: None };
    let chosen = Chosen::Picks(picks);
    bench.run(Step::Binding(BindingStep::Clean { piece: 1, clean, chosen, locked: Vec::new() }));
    let found = bench.found(1, words).unwrap();
    let count: usize = found.sentence.split(' ').next().unwrap().parse().unwrap();
    assert!(count > 50 && found.place.is_some_and(|p| p.x > 0.05), "{found:?}");
    // Bound anew what was done by hand is done again: it is told still, and not offered twice.
    bench.cure(1, words);
    assert_eq!(bench.room().recipe_of(1).unwrap().options.apart_mm, Some(20.0));
    assert!(bench.found(1, words).is_none_or(|f| f.cure.is_none()));
}
