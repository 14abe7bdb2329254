//! Fittings copied, pieces and fittings named anew.

use tin_cloak_testkit::wearing_coarse_bound;
use tin_cloak_workshop::{
    export_glb, read, Companions, IntakeStep, SeatingStep, Step, Target, TrialChange, TrialStep,
};

/// Two ways on from one step are both kept: each has the steps that led to it and its own board.
#[test]
fn a_copy_goes_its_own_way() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    bench.try_no_clips();
    let here = bench.open().fitting.cursor;
    let before = bench.board().bad_cells();
    bench.run(Step::Trial(TrialStep::SetTolerance { tolerance_mm: 4.0 }));
    let other = bench.shop.copy(bench.fitting, Some(here)).unwrap();
    let copy = bench.shop.fitting(other).unwrap();
    assert_eq!(copy.fitting.cursor, here);
    assert_eq!(copy.fitting.name, "Wick (2)");
    assert_eq!(copy.steps.len() as i64, here);
    assert_eq!(copy.room.state.tolerance_mm, 0.5);
    // Nothing is measured again, and a step there leaves the first as it is.
    assert_eq!(bench.shop.measure_now(other).unwrap().bad_cells(), before);
    bench.shop.run_now(other, Step::Intake(IntakeStep::RemovePiece { piece: 1 })).unwrap();
    assert_eq!(bench.room().dress.pieces.len(), 1);
    assert_eq!(bench.room().state.tolerance_mm, 4.0);
    // Undone it is what it was copied from; the next one has a number of its own.
    bench.shop.undo(other).unwrap();
    assert_eq!(bench.shop.room(other, None).unwrap().dress.pieces.len(), 1);
    let third = bench.shop.copy(other, None).unwrap();
    assert_eq!(bench.shop.fitting(third).unwrap().fitting.name, "Wick (3)");
    assert!(bench.shop.copy(bench.fitting, Some(999)).is_err());
    assert!(bench.shop.copy(999, None).is_err());
    assert_eq!(bench.shop.fittings().unwrap().len(), 3, "what was refused left nothing");
    bench.shop.rename(third, "  Wick, loose ").unwrap();
    assert_eq!(bench.shop.fitting(third).unwrap().fitting.name, "Wick, loose");
    assert!(bench.shop.rename(third, " ").is_err());
}

/// A piece's name goes out, and what is said of it by name goes along.
#[test]
fn a_piece_is_called_otherwise() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let (outer, inner) = ("quilted tunic".to_owned(), "breeches".to_owned());
    let change = TrialChange::PairTolerance { outer, inner, tolerance_mm: Some(3.0) };
    bench.run(Step::Trial(TrialStep::ChangeTrials { change }));
    let before = bench.board().bad_cells();
    let call = |piece, name: &str| Step::Intake(IntakeStep::RenamePiece { piece, name: name.to_owned() });
    assert_eq!(bench.run(call(1, " long breeches ")), "Call breeches long breeches");
    let board = bench.board();
    assert!(board.pairs.iter().any(|p| p.outer == "quilted tunic" && p.inner == "long breeches"));
    assert!(board.pairs.iter().all(|p| p.inner != "breeches" && p.outer != "breeches"));
    assert_eq!(board.bad_cells(), before);
    let plan = &bench.room().state.plan;
    assert_eq!(plan.tolerance_of("quilted tunic", "long breeches"), Some(3.0));
    assert!(plan
        .counts
        .iter()
        .all(|r| !matches!(&r.target, Target::Pair { inner, .. } if inner == "breeches")));
    let out = read("x.glb", &export_glb(&bench.room().dress).unwrap(), &Companions::new()).unwrap();
    assert!(out.meshes.iter().any(|m| m.name == "long breeches"));
    for (taken, why) in
        [("quilted tunic", "called “quilted tunic”"), ("Wick", "called “Wick”"), ("", "1 to 60")]
    {
        let told = bench.refused(call(1, taken));
        assert!(told.contains(why), "{told}");
    }
    // A step on it says its new name.
    let said = bench.run(Step::Seating(SeatingStep::FollowShapes {
        pieces: vec![1],
        follow: true,
        shapes: Vec::new(),
    }));
    assert!(said.contains("long breeches"), "{said}");
}
