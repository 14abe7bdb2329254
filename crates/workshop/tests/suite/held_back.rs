//! Poses besides those that are tried: mended for when asked, and held back to judge a plan by.

use tin_cloak_measure::measuring::board::{Board, BoardPair, BoardPose};
use tin_cloak_measure::measuring::cell::Cell;
use tin_cloak_testkit::wearing_coarse_bound;
use tin_cloak_workshop::{
    held_back, Against, BindingStep, Chosen, HeldBack, MeansKind, MendOptions, MendingStep, Method, Step,
    TrialChange, TrialStep,
};

fn push(combined: usize) -> Step {
    Step::Mending(MendingStep::PushOut {
        pieces: Vec::new(),
        chosen: Chosen::Everything,
        options: MendOptions { combined, ..MendOptions::default() },
        against: Against::default(),
        turns: Vec::new(),
    })
}

/// What is tried stays as it is, and the push goes by more than it: something else comes out.
#[test]
fn a_push_for_combined_poses_leaves_what_is_tried_as_it_is() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let plan = bench.room().state.plan.clone();
    let said = bench.run(push(6));
    assert!(said.ends_with("for 6 combined poses too"), "{said}");
    assert_eq!(bench.room().state.plan, plan);
    let for_more = bench.rest(1);
    bench.shop.undo(bench.fitting).unwrap();
    let said = bench.run(push(0));
    assert!(!said.contains("combined"), "{said}");
    assert_ne!(bench.rest(1), for_more);
    assert!(bench.refused(push(501)).contains("at most 500 combined poses"));
}

/// No pose that is held back is one that is tried, or one that mends are made for.
#[test]
fn what_is_held_back_is_not_tried() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    for (poses, seed) in [(0, 1), (20, 911), (20, 5)] {
        bench.run(Step::Trial(TrialStep::ChangeTrials { change: TrialChange::Combined { poses, seed } }));
        let room = bench.room();
        let (tried, held) = (&room.trials.trials, held_back(&room).trials);
        assert!(held.len() > 50, "{}", held.len());
        let is_tried = held.iter().find(|h| tried.iter().any(|t| t.pose == h.pose && t.shapes == h.shapes));
        assert!(is_tried.is_none(), "{:?}", is_tried.map(|t| t.label()));
    }
}

/// Of a piece bound badly a plan says which method measures best, before it pushes anything; what it is judged by is
/// told with each step.
#[test]
fn a_plan_binds_by_what_measures_best() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let plan = bench.planned(&[MeansKind::Bind, MeansKind::Beneath]);
    let tried: Vec<_> = plan.steps.iter().chain(&plan.no_help).collect();
    assert!(tried.iter().any(|t| t.means.words.contains("nearest surface")), "{tried:?}");
    assert!(tried.iter().any(|t| t.means.words.contains("what lies beneath it")), "{tried:?}");
    // Of several ways for one piece no more than one is taken.
    let of_piece = |id: u32| {
        plan.steps.iter().filter(move |t| match &t.means.step {
            Step::Binding(BindingStep::ChooseMethod { piece, .. })
            | Step::Binding(BindingStep::TakeFrom { piece, .. }) => *piece == id,
            _ => false,
        })
    };
    assert!(of_piece(1).count() <= 1 && of_piece(2).count() <= 1, "{:?}", plan.steps);
    for step in &plan.steps {
        let held = step.brought.as_ref().unwrap().held_mm;
        assert!(held.is_some(), "{step:?}");
    }
    let held = plan.held;
    assert!(held.poses > 50 && held.mm.1 <= held.mm.0, "{held:?}");
    let first = Method::Both;
    assert_eq!(bench.room().piece_state(1).recipe.options.method, first, "nothing is changed by making it");
}

/// What is left on the way to built-in poses stands apart: those are poses that every motion goes through.
#[test]
fn what_is_left_on_the_way_is_told_apart() {
    let board = |cells: &[(&str, f32)]| {
        let pose = |(group, _): &(&str, f32)| BoardPose { group: (*group).into(), ..BoardPose::default() };
        let cell = |(_, mm): &(&str, f32)| Cell {
            deepest_mm: *mm,
            poking: usize::from(*mm > 0.0),
            ..Cell::default()
        };
        Board {
            pairs: vec![BoardPair { ids: [1, 0], at_rest: true, tolerance_mm: 0.5, ..BoardPair::default() }],
            poses: cells.iter().map(pose).collect(),
            cells: cells.iter().map(|c| vec![Some(cell(c))]).collect(),
            ..Board::default()
        }
    };
    let was = board(&[("on the way", 3.0), ("on the way", 1.0), ("combined", 6.0)]);
    let is = board(&[("on the way", 0.0), ("on the way", 2.0), ("combined", 3.0)]);
    let said = HeldBack::between(&was, &is).in_words().unwrap();
    insta::assert_snapshot!(said);
    let clear = board(&[("combined", 0.0)]);
    assert_eq!(HeldBack::between(&clear, &clear).in_words(), None);
    let combined = board(&[("combined", 4.0)]);
    let said = HeldBack::between(&combined, &clear).in_words().unwrap();
    assert!(!said.contains("on the way") && said.contains(" 0 % of the depth is left"), "{said}");
}
