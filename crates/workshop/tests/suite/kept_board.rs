//! The board behind the steps: kept by content, never measured twice, the newest step first.

use std::sync::Arc;
use std::time::Duration;
use tin_cloak_testkit::{wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::{
    measured_afresh, BindingStep, Board, BrushStroke, Chosen, Clean, EaseOptions, IntakeStep, PieceKind,
    PlaceOptions, Reach, SeatingStep, Step, TrialStep, Turn, Workshop,
};

/// Cloth, cloth over it, and a plate of two walls over both.
fn three_layers() -> Bench {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("tin breastplate", 3)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Stiff }));
    bench.bind_all();
    bench
}

fn smooth(piece: u32, strength: f32) -> Step {
    let clean = Clean::Smooth { strength, times: 2 };
    Step::Binding(BindingStep::Clean { piece, clean, chosen: Chosen::Everything, locked: Vec::new() })
}

fn stroke(vertex: u32, strength: f32) -> Step {
    let reach = Reach { radius_mm: 60.0, dabs: vec![vertex], mirrored: true };
    let stroke = BrushStroke {
        stroke: Stroke::PullOut,
        strength,
        firm_percent: 0.0,
        reach,
        in_pose: None,
        into_shape: None,
    };
    Step::Seating(SeatingStep::Brush { piece: 2, stroke })
}

/// Cells measured while `work` is done: what is through, and what of it is seen.
fn measured_by(bench: &Bench, work: impl FnOnce()) -> (usize, usize) {
    let before = bench.shop.cells_measured();
    work();
    let after = bench.shop.cells_measured();
    (after.0 - before.0, after.1 - before.1)
}

fn assert_is_fresh(bench: &Bench, kept: &Board) {
    let room = bench.room();
    let fresh = measured_afresh(&room, &|_| true).unwrap();
    assert_eq!(kept.poses, fresh.poses);
    for (pose, (ours, theirs)) in kept.poses.iter().zip(kept.cells.iter().zip(&fresh.cells)) {
        for (row, (a, b)) in ours.iter().zip(theirs).enumerate() {
            assert_eq!(a, b, "{}, row {row}", pose.name);
        }
    }
}

#[test]
fn a_step_measures_only_the_rows_it_touched_and_undo_redo_compare_and_restart_nothing() {
    let bench = three_layers();
    let mut first = None;
    let (through, _) = measured_by(&bench, || first = Some(bench.board()));
    let first = first.unwrap();
    assert!(first.is_whole() && first.pairs.len() >= 5, "{:?}", first.pairs);
    // Poses that move no joint of two layers share their cell.
    assert!(through <= first.size() && through * 2 > first.size(), "{through} of {}", first.size());

    bench.run(smooth(3 - 1, 0.5));
    let mut second = None;
    let (through, sight) = measured_by(&bench, || second = Some(bench.board()));
    let touched = first.pairs.iter().filter(|p| p.ids.contains(&2)).count();
    assert!(through > 0 && through <= touched * first.poses.len(), "{through} for {touched} rows");
    assert!(sight <= first.size());
    let second = second.unwrap();
    for (p, column) in second.cells.iter().enumerate() {
        for (r, cell) in column.iter().enumerate().filter(|(r, _)| !second.pairs[*r].ids.contains(&2)) {
            let (now, then) = (cell.as_ref().unwrap(), first.cells[p][r].as_ref().unwrap());
            // What is through there stays; of what is seen the layer between may have changed something.
            assert_eq!(now.poking + now.sunk + now.buried, then.poking + then.sunk + then.buried);
        }
    }
    let effect = bench.open().effect();
    assert_eq!(effect.deepest_after_mm, Some(second.deepest_mm()));
    assert_eq!((effect.better, effect.worse), second.better_and_worse(&first));
    let change = |p: usize, r: usize| {
        let (now, then) = (second.cells[p][r].as_ref().unwrap(), first.cells[p][r].as_ref().unwrap());
        if now.is_bad() {
            now.depth_mm() - then.depth_mm()
        } else {
            0.0
        }
    };
    let all = (0..second.poses.len()).flat_map(|p| (0..second.pairs.len()).map(move |r| (p, r)));
    let worst = all.map(|(p, r)| change(p, r)).fold(0.0, f32::max);
    let told = effect.worst_new.map(|w| (second.find(&w).unwrap(), w.by_mm));
    assert_eq!(told.map_or(0.0, |(_, by_mm)| by_mm), if worst > 0.05 { worst } else { 0.0 });
    assert!(told.is_none_or(|((p, r), by_mm)| change(p, r) == by_mm));

    let nothing = measured_by(&bench, || {
        bench.shop.undo(bench.fitting).unwrap();
        assert!(bench.board() == first);
        bench.shop.redo(bench.fitting).unwrap();
        assert!(bench.board() == second);
        // Any earlier step, to compare with.
        let cursor = bench.open().fitting.cursor;
        let then = bench.shop.room(bench.fitting, Some(cursor - 1)).unwrap();
        assert!(bench.shop.board(&then).unwrap() == Some(Arc::clone(&first)));
        // The same by another way: nobody asks how a shape came about.
        bench.shop.undo(bench.fitting).unwrap();
        bench.run(smooth(2, 0.5));
        assert!(bench.board() == second);
    });
    assert_eq!(nothing, (0, 0));

    let again = Workshop::open(bench.folder.path()).unwrap();
    assert!(again.measure_now(bench.fitting).unwrap() == second);
    assert_eq!(again.cells_measured(), (0, 0));
}

#[test]
fn a_piece_that_changes_its_layer_is_measured_as_what_it_is_now() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    assert!(bench.board().deepest_mm() > 0.5);
    // Beside the tunic, over it, beneath it; then the tunic beside the breeches, and over them again.
    for (piece, layer) in [(1, 2), (1, 3), (1, 1), (2, 1), (2, 2)] {
        bench.run(Step::Intake(IntakeStep::MoveToLayer { piece, layer }));
        let board = bench.board();
        assert!(board.is_whole());
        assert_is_fresh(&bench, &board);
    }
    // What a cell of covered layers told is not told of a mere contact.
    let depths = |b: &Board| b.measured().map(|(_, _, cell)| cell.depth_mm()).fold(0.0, f32::max);
    assert!(depths(&bench.board()) > 0.5);
}

#[test]
fn steps_that_show_nothing_measure_nothing() {
    let bench = three_layers();
    bench.board();
    let nothing = measured_by(&bench, || {
        bench.run(Step::Intake(IntakeStep::SetPlace {
            piece: 2,
            place: tin_cloak_workshop::core::intake::Place::Torso,
        }));
        bench.board();
        bench.run(Step::Intake(IntakeStep::RemovePiece { piece: 3 }));
        assert!(bench.board().is_whole());
        bench.shop.undo(bench.fitting).unwrap();
        bench.board();
    });
    // Without the plate other things are seen; what is through was known.
    assert_eq!(nothing.0, 0);
    let pose = Step::Trial(TrialStep::KeepPose {
        name: "bent".into(),
        pose: 3,
        turns: vec![Turn { joint: 4, bend: 20.0, ..Turn::default() }],
    });
    let (through, _) = measured_by(&bench, || {
        bench.run(pose);
        assert!(bench.board().is_whole());
    });
    assert!(through <= 6, "one column: {through}");
}

#[test]
fn after_fifty_steps_at_random_the_kept_board_is_a_fresh_one_to_the_bit() {
    let bench = three_layers();
    let vertices = bench.rest(2).len() as u32;
    // A linear congruential generator: the same walk every time (Knuth, “The Art of Computer
    // Programming”, volume 2, 3.3.4, the multiplier of MMIX).
    let mut seed = 20_261_126u64;
    let mut roll = |most: u32| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) as u32 % most
    };
    for n in 0..50 {
        let piece = 1 + roll(2);
        let options = PlaceOptions { shift_mm: [0.0, roll(5) as f32 - 2.0, 0.0], ..PlaceOptions::NONE };
        let ease = EaseOptions { least_mm: 1.0 + roll(3) as f32, most_mm: None };
        let step = match roll(12) {
            0 => smooth(piece, 0.1 + roll(8) as f32 * 0.1),
            1 => Step::Intake(IntakeStep::MoveToLayer { piece: 3, layer: 2 + roll(3) as u16 }),
            2 => Step::Seating(SeatingStep::Place { piece, options }),
            3 => Step::Binding(BindingStep::Bind { pieces: vec![piece] }),
            4 => Step::Seating(SeatingStep::Ease { piece, chosen: Chosen::Everything, options: ease }),
            5 => Step::Trial(TrialStep::KeepPose {
                name: format!("pose {}", roll(3)),
                pose: roll(20) as usize,
                turns: Vec::new(),
            }),
            6 => Step::Intake(IntakeStep::SetKind {
                piece: 3,
                kind: [PieceKind::Stiff, PieceKind::Mixed][roll(2) as usize],
            }),
            7 | 8 => {
                let _ = bench.shop.undo(bench.fitting);
                continue;
            }
            9 => {
                let _ = bench.shop.redo(bench.fitting);
                continue;
            }
            _ => stroke(roll(vertices), roll(60) as f32 * 0.1),
        };
        // Refusals (nothing to clean, say) are part of the walk.
        let _ = bench.shop.run_now(bench.fitting, step);
        // Now and then the hand rests.
        if n % 13 == 5 {
            bench.board();
        }
    }
    bench.bind_all();
    let kept = bench.board();
    assert!(kept.is_whole());
    assert_is_fresh(&bench, &kept);
    let again = Workshop::open(bench.folder.path()).unwrap();
    assert!(again.measure_now(bench.fitting).unwrap() == kept);
}

#[test]
fn of_ten_quick_touches_the_newest_wins() {
    let bench = three_layers();
    let size = bench.board().size();
    bench.shop.measure_behind(true);
    bench.shop.look_at(bench.fitting, 7);
    let (through, _) = measured_by(&bench, || {
        for n in 0..10 {
            bench.run(stroke(900 + n * 37, 2.0));
        }
        while bench.shop.measuring(bench.fitting).running {
            std::thread::sleep(Duration::from_millis(5));
        }
    });
    let board = bench.shop.board(&bench.room()).unwrap().unwrap();
    assert!(board.is_whole(), "{} cells are missing", board.missing());
    assert!(through * 2 <= size * 3, "{through} cells for a board of {size}");
    assert!(bench.open().effect().deepest_after_mm.is_some());
}

#[test]
fn measuring_can_be_stopped_and_goes_on_where_it_was() {
    let bench = three_layers();
    bench.shop.measure(bench.fitting).unwrap();
    // The pose in view is there first, the others wait a moment for a newer step.
    while bench.shop.board(&bench.room()).unwrap().unwrap().missing() == bench_size(&bench) {
        std::thread::sleep(Duration::from_millis(2));
    }
    bench.shop.stop_measuring(bench.fitting);
    while bench.shop.measuring(bench.fitting).running {
        std::thread::sleep(Duration::from_millis(2));
    }
    let part = bench.shop.board(&bench.room()).unwrap().unwrap();
    assert!(!part.is_whole() && part.missing() < part.size(), "{} of {}", part.missing(), part.size());
    let open = bench.open();
    assert!(open.effect().deepest_after_mm.is_none(), "nothing is claimed of half a board");
    let whole = bench.board();
    // Rows in which nothing is known to meet so far are not there yet: rows are found by who they are of.
    let row = |r: usize| whole.pairs.iter().position(|pair| pair.ids == part.pairs[r].ids).unwrap();
    for (p, r, cell) in part.measured() {
        assert_eq!(whole.cells[p][row(r)].as_ref(), Some(cell));
    }
}

fn bench_size(bench: &Bench) -> usize {
    bench.shop.board(&bench.room()).unwrap().unwrap().size()
}

#[test]
fn the_board_has_the_same_bits_on_any_number_of_threads() {
    let bench = three_layers();
    let room = bench.room();
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| measured_afresh(&room, &|_| true).unwrap().cells.clone())
    };
    let one = on(1);
    assert!(one == on(2), "two threads");
    assert!(one == on(8), "eight threads");
    assert_is_fresh(&bench, &bench.board());
}

#[test]
fn two_fittings_of_the_same_things_measure_them_once() {
    let bench = three_layers();
    let board = bench.board();
    let body = bench.shop.assets().unwrap().into_iter().find(|a| a.role == "body").unwrap();
    let other = bench.shop.begin("again", body.id).unwrap();
    for asset in bench.shop.assets().unwrap().into_iter().filter(|a| a.role == "piece") {
        let layer = 1 + bench.shop.room(other, None).unwrap().state.pieces.len() as u16;
        bench.shop.run_now(other, bench.shop.piece_step(asset.id, layer, PieceKind::Soft).unwrap()).unwrap();
    }
    bench
        .shop
        .run_now(other, Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Stiff }))
        .unwrap();
    bench.shop.run_now(other, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
    let measured = measured_by(&bench, || {
        assert!(bench.shop.measure_now(other).unwrap().cells == board.cells);
    });
    assert_eq!(measured, (0, 0));
}
