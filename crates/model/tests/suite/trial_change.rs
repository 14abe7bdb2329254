//! Changes of a trial plan: each is one thing, said in a sentence, and leaves what else is set.

use tin_cloak_core::trial::SwingAxis;
use tin_cloak_model::state::trial_change::TrialChange;
use tin_cloak_model::state::trial_plan::{Counts, Frames, Target, TrialPlan};

fn bow() -> Target {
    Target::Group { group: "bow".into() }
}

fn all() -> Vec<TrialChange> {
    let (outer, inner) = ("coat".to_owned(), "Wick".to_owned());
    let pair = |tolerance_mm| TrialChange::PairTolerance {
        outer: outer.clone(),
        inner: inner.clone(),
        tolerance_mm,
    };
    let (joint, steps) = ("head".to_owned(), 5);
    vec![
        TrialChange::Count { target: bow(), counts: Counts::Aside, note: " never seen ".into() },
        pair(Some(2.0)),
        TrialChange::HiddenCounts { on: true },
        TrialChange::BodyShapes { on: true },
        TrialChange::Ground { on: true },
        TrialChange::OnTheWay { on: true },
        TrialChange::DrivenShapes { on: false },
        TrialChange::TakenOff { pieces: vec!["cloak".into()] },
        TrialChange::FramesOfClips { frames: Frames::Rate(30) },
        TrialChange::Swing { joint, axis: Some(SwingAxis::ALL[0]), steps, both_sides: false, coupled: true },
        TrialChange::Random { poses: 8, seed: 3 },
        TrialChange::CountAgain { target: bow() },
        pair(None),
        TrialChange::TakenOff { pieces: Vec::new() },
        TrialChange::Random { poses: 0, seed: 3 },
    ]
}

#[test]
fn each_change_is_told_and_comes_back_from_what_is_kept() {
    let (mut plan, mut told) = (TrialPlan::default(), Vec::new());
    for change in all() {
        let kept = serde_json::to_string(&change).unwrap();
        assert_eq!(serde_json::from_str::<TrialChange>(&kept).unwrap(), change);
        let (next, said) = change.made_in(plan.clone()).unwrap();
        assert!(next != plan, "{said}");
        assert!(next.checked().is_ok(), "{said}");
        (plan, told) = (next, told.into_iter().chain([said]).collect());
    }
    insta::assert_snapshot!(told.join("\n"), @r"
    Trials: all of bow left aside (never seen)
    Trials: coat over Wick lets 2 mm pass
    Trials: what nobody sees counts
    Trials: with the body's shapes
    Trials: with the ground
    Trials: with what lies on the way to the built-in poses
    Trials: without the shapes that poses drive
    Trials: as seen without cloak
    Trials: frames of clips, 30 a second
    Trials: swing head through its range
    Trials: 8 poses at random, seed 3
    Trials: all of bow counts again
    Trials: coat over Wick lets pass what all do
    Trials: all of it worn
    Trials: 0 poses at random, seed 3
    ");
    assert!(
        plan.ground && plan.on_the_way && plan.driven_off && plan.hidden_counts,
        "what was set before stays"
    );
    assert_eq!((plan.sweeps.len(), plan.counts.len(), plan.tolerances.len()), (1, 0, 0));
}

/// In whichever order two hands set two things, both are set.
#[test]
fn two_hands_do_not_take_back_what_the_other_sets() {
    let made = |changes: &[&TrialChange]| {
        changes.iter().fold(TrialPlan::default(), |plan, change| change.made_in(plan).unwrap().0)
    };
    let apart = |change: &TrialChange| !matches!(change, TrialChange::CountAgain { .. });
    let list = all();
    let first: Vec<&TrialChange> = list[..11].iter().filter(|c| apart(c)).collect();
    for one in &first {
        for other in first.iter().filter(|other| other != &one) {
            assert_eq!(made(&[one, other]), made(&[other, one]), "{one:?} {other:?}");
        }
    }
}

#[test]
fn what_is_not_there_is_not_taken_back() {
    let gone = TrialChange::CountAgain { target: bow() }.made_in(TrialPlan::default()).unwrap_err();
    assert_eq!(gone, "all of bow is not set apart: look at the list again");
    let no_swing = TrialChange::NoSwing { group: "head turn".into() };
    let gone = no_swing.made_in(TrialPlan::default()).unwrap_err();
    assert_eq!(gone, "head turn is not swung: look at the list again");
    let axes =
        TrialChange::Swing { joint: "head".into(), axis: None, steps: 5, both_sides: false, coupled: true };
    let (plan, _) = axes.made_in(TrialPlan::default()).unwrap();
    let (plan, _) = axes.made_in(plan).unwrap();
    assert_eq!(plan.sweeps.len(), 3, "swung about all three axes, each once");
    let group = plan.sweeps[0].group();
    assert_eq!(TrialChange::NoSwing { group }.made_in(plan).unwrap().0.sweeps.len(), 2);
}
