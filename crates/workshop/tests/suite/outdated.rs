//! What was made of something that has changed since: told after the step that changed it, and as long as it is so.

use tin_cloak_testkit::{wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::{
    BindingStep, BrushStroke, Chosen, Clean, HandAmount, HandChange, HandRest, HideOptions, MendingStep,
    OutdatedOfRoom, Pick, Reach, SeatingStep, SourcePart, Step, Takes, TrialStep, Turn, What,
};

const BREECHES: u32 = 1;
const TUNIC: u32 = 2;

fn dressed() -> Bench {
    wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)])
}

fn pull(piece: u32, dab: u32) -> Step {
    let reach = Reach { radius_mm: 30.0, dabs: vec![dab], mirrored: false };
    let stroke = BrushStroke { stroke: Stroke::PullOut, strength: 2.0, reach, ..BrushStroke::default() };
    Step::Seating(SeatingStep::Brush { piece, stroke })
}

fn shift_weights(piece: u32) -> Step {
    let change = HandChange::Give {
        joint: "lower_leg_left".to_owned(),
        amount: HandAmount::Add(-0.1),
        rest: HandRest::Others,
    };
    let picks = vec![Pick::add(What::Joint { joint: "lower_leg_left".to_owned(), over: 0.3 })];
    let clean = Clean::ByHand { change, firm_percent: None };
    Step::Binding(BindingStep::Clean { piece, clean, chosen: Chosen::Picks(picks), locked: Vec::new() })
}

/// Runs a step; what it made older than something is told in its notes, and of all that is so.
fn told_after(bench: &Bench, step: Step) -> Vec<String> {
    let before = bench.room().outdated();
    bench.run(step);
    let now = bench.room().outdated();
    let new: Vec<&String> = now.iter().filter(|t| !before.contains(t)).collect();
    let notes = bench.open().effect().notes;
    assert!(new.iter().all(|t| notes.contains(t)), "{new:?} {notes:?}");
    now
}

#[test]
fn weights_and_shapes_that_were_taken_from_what_has_changed_since_are_told() {
    let bench = dressed();
    let takes = Takes::Pieces(vec![BREECHES]);
    bench.run(Step::Binding(BindingStep::TakeFrom { piece: TUNIC, takes, part: SourcePart::Whole }));
    bench.run(Step::Seating(SeatingStep::FollowShapes {
        pieces: vec![TUNIC],
        follow: true,
        shapes: Vec::new(),
    }));
    assert!(bench.room().outdated().is_empty(), "all is as it was made");

    let told = told_after(&bench, shift_weights(BREECHES));
    assert_eq!(
        told,
        ["took weights from breeches before those changed, and are to be bound again: quilted tunic"]
    );
    assert_eq!(bench.room().older_pieces(), [TUNIC]);
    let told = told_after(&bench, pull(TUNIC, 700));
    assert!(
        told[1].starts_with("the shapes that quilted tunic follows were carried to it before quilted tunic")
    );
    // Leaving out faces numbers anew what was carried: it is as old as it was, and no older.
    let told_before = told_after(
        &bench,
        Step::Seating(SeatingStep::FollowShapes { pieces: vec![TUNIC], follow: true, shapes: Vec::new() }),
    );
    assert_eq!(told_before.len(), 1);
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![TUNIC] }));
    assert!(bench.room().outdated().is_empty());
    // Undone, it is older again.
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.room().outdated(), told_before);
}

#[test]
fn what_was_hidden_is_told_when_a_range_or_a_kept_pose_is_another_by_the_same_name() {
    let bench = dressed();
    let knee = bench.room().dress.body.skeleton.find("lower_leg_left").unwrap();
    let keep = |degrees: f32| {
        let turn = Turn { joint: knee.0, lean: degrees, ..Turn::default() };
        Step::Trial(TrialStep::KeepPose { name: "kneel".to_owned(), pose: 0, turns: vec![turn] })
    };
    bench.run(keep(20.0));
    bench.run(Step::Mending(MendingStep::Hide { options: HideOptions::default() }));
    assert!(bench.room().outdated().is_empty());
    bench.run(Step::Trial(TrialStep::DropPose { name: "kneel".to_owned() }));
    let told = told_after(&bench, keep(110.0));
    assert!(told.iter().any(|t| t.starts_with("what is hidden of ")), "{told:?}");
}
