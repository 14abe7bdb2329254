//! A snag where it is named: why it is there, what can be done about it, and a joint beside its range.

use tin_cloak_testkit::wearing_coarse_bound;
use tin_cloak_workshop::{snag_acts, snag_verdict, RangeHereOfRoom, Step, TrialStep, Turn};

#[test]
fn the_acts_of_a_snag_are_steps_that_can_be_taken() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let before = bench.board().bad_cells();
    let room = bench.room();
    let snags = bench.shop.worst_snags(&room, 6).unwrap();
    assert!(!snags.is_empty());
    for snag in &snags {
        let verdict = snag_verdict(&room, snag);
        let first = verdict.split(':').next().unwrap().to_owned();
        assert!(["shape", "pose", "mesh", "weights", ""].contains(&&*first), "{verdict}");
        let acts = snag_acts(&room, snag.ids, snag.pose);
        let words: Vec<&str> = acts.iter().map(|a| a.words).collect();
        assert!(words.starts_with(&["Push", "Corrective", "Draw in"]), "{words:?}");
        assert_eq!(acts.iter().filter(|a| a.tried_first).count(), words.len() - 1, "{words:?}");
    }
    // What is for stress only no longer counts, and is measured all the same.
    let worst = &snags[0];
    let acts = snag_acts(&room, worst.ids, worst.pose);
    let stress = acts.last().unwrap();
    assert_eq!(stress.words, "For stress only");
    assert!(matches!(stress.step, Step::Trial(TrialStep::ChangeTrials { .. })));
    bench.run(stress.step.clone());
    let after = bench.board();
    assert!(after.bad_cells() < before, "{} of {before}", after.bad_cells());
    assert!(after.cells[worst.pose].iter().flatten().any(|c| c.depth_mm() > 0.0));
    // A push for that pair and pose lessens it there.
    bench.shop.undo(bench.fitting).unwrap();
    let deep = |pose: usize| {
        let board = bench.board();
        let row = board.pairs.iter().position(|p| p.ids == worst.ids).unwrap();
        board.cells[pose][row].as_ref().unwrap().depth_mm()
    };
    let was = deep(worst.pose);
    bench.run(acts[0].step.clone());
    assert!(deep(worst.pose) < was, "{} of {was}", deep(worst.pose));
}

#[test]
fn a_joint_tells_its_range_and_how_far_beyond_it_is() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    let room = bench.room();
    let joint = room.dress.body.skeleton.find("lower_leg_left").unwrap().0;
    let at_rest = room.range_here(0, &[], joint).unwrap().unwrap();
    assert_eq!(at_rest.beyond, 0.0);
    assert!(at_rest.range.forward[1] - at_rest.range.forward[0] > 90.0);
    // A knee bent forward goes where no knee goes.
    let turned = |bend: f32| {
        let turns = [Turn { joint, bend, ..Turn::default() }];
        room.range_here(0, &turns, joint).unwrap().unwrap().beyond
    };
    let (one, other) = (turned(60.0), turned(-60.0));
    assert!(one.min(other) == 0.0 && one.max(other) > 40.0, "{one} {other}");
    assert!(room.range_here(0, &[], 9999).is_err());
    // What is no part of a person has no range.
    let none =
        (0..room.dress.body.skeleton.len() as u16).find(|j| room.range_here(0, &[], *j).unwrap().is_none());
    assert!(none.is_some());
}
