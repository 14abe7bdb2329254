//! Tests of `measuring/board.rs`.

use tin_cloak_core::clearance::{sum_up, Penetration, Sight};
use tin_cloak_measure::measuring::board::*;
use tin_cloak_measure::measuring::cell::Cell;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::step::WorseCell;
use tin_cloak_model::state::trial_plan::Counts;

/// Two rows (coat over tunic, coat in itself) in a pose for each column of depths, millimetres; 0 is clear.
fn board(columns: &[[Option<f32>; 2]]) -> Board {
    let pair = |ids: [PieceId; 2], inner: &str| BoardPair {
        ids,
        outer: "coat".into(),
        inner: inner.into(),
        at_rest: ids[0] != ids[1],
        tolerance_mm: 0.5,
        ..BoardPair::default()
    };
    let pose =
        |n: usize| BoardPose { name: format!("pose {n}"), group: "range".into(), ..BoardPose::default() };
    let cell = |mm: f32| Cell { deepest_mm: mm, poking: usize::from(mm > 0.0), ..Cell::default() };
    Board {
        pairs: vec![pair([2, 1], "tunic"), pair([2, 2], "coat")],
        poses: (0..columns.len()).map(pose).collect(),
        cells: columns.iter().map(|c| c.map(|mm| mm.map(cell)).to_vec()).collect(),
        tolerance_mm: 0.5,
        ..Board::default()
    }
}

fn worse(board: &Board, column: usize, row: usize) -> WorseCell {
    let BoardPose { group, name: pose, time_s, .. } = board.poses[column].clone();
    WorseCell { ids: board.pairs[row].ids, group, pose, time_s, ..WorseCell::default() }
}

/// An edge that became endless says nothing: its cell cannot be measured, and its figure is no null in a report.
#[test]
fn an_endless_strain_cannot_be_measured() {
    let measure = sum_up(&Penetration::default(), &Sight::default(), f32::INFINITY);
    let cell = Cell::from(&measure);
    assert!(!cell.measurable && cell.worst_strain == 1.0);
}

#[test]
fn the_cell_that_got_worse_the_most_is_a_counted_one_that_both_boards_know() {
    let before = board(&[[Some(2.0), Some(0.0)], [Some(5.0), None], [Some(1.0), Some(1.0)]]);
    let mut after = board(&[[Some(2.5), Some(0.04)], [Some(1.0), Some(9.0)], [Some(4.0), Some(1.0)]]);
    assert_eq!(after.worst_new(&before), Some((2, 0, 3.0)));
    assert_eq!(after.better_and_worse(&before), (1, 2));
    assert_eq!(after.find(&worse(&after, 2, 0)), Some((2, 0)));
    assert_eq!(before.worst_new(&before), None);
    // What is there for stress only is not told of; nor is there a cell where the pose or the row is gone.
    after.poses[2].counts = Counts::Stress;
    assert_eq!(after.worst_new(&before), Some((0, 0, 0.5)));
    let mut gone = worse(&after, 0, 0);
    gone.pose = "kneeling".into();
    assert_eq!(after.find(&gone), None);
    gone = WorseCell { ids: [7, 1], ..worse(&after, 0, 0) };
    assert_eq!(after.find(&gone), None);
}

#[test]
fn rows_of_layers_that_nothing_brings_together_are_left_out() {
    let idle = board(&[[Some(0.0), Some(0.0)], [Some(3.0), None]]).without_idle_rows();
    assert_eq!(idle.pairs.iter().map(BoardPair::label).collect::<Vec<_>>(), ["coat over tunic"]);
    let busy = board(&[[Some(0.0), Some(0.0)], [Some(3.0), Some(1.0)]]).without_idle_rows();
    assert_eq!(busy.pairs[1].label(), "coat in itself");
    assert_eq!((busy.bad_cells(), busy.deepest_mm(), busy.out_mm()), (2, 3.0, 3.0));
    assert_eq!((busy.worst(), busy.missing(), busy.deepest_under(2)), (Some((1, 0)), 0, Some(3.0)));
}

#[test]
fn a_board_as_a_table() {
    let mut told = board(&[[Some(2.0), None], [Some(0.0), Some(7.25)]]);
    told.poses[1].name = "squat, \"deep\"".into();
    told.poses[1].counts = Counts::Stress;
    insta::assert_snapshot!(told.to_csv());
}

#[test]
fn a_cell_weighs_by_what_is_seen_of_it() {
    let cell = |poking_cm2: f32, sunk_cm2: f32| Cell {
        poking: 3,
        deepest_mm: 2.0,
        poking_cm2,
        sunk_cm2,
        ..Cell::default()
    };
    assert_eq!(Cell::default().weight(), 0.0);
    assert_eq!([cell(0.01, 0.0), cell(0.3, 0.2), cell(0.8, 0.9)].map(|c| c.weight()), [0.1, 0.5, 1.0]);
    // Between vertices, in each other: the one is a slit, of the other nobody knows how much shows.
    assert_eq!(Cell { edge_deepest_mm: 2.0, ..Cell::default() }.weight(), 0.1);
    assert_eq!(Cell { contact_mm: 2.0, ..Cell::default() }.weight(), 1.0);
    let mut told = board(&[[Some(2.0), None], [Some(3.0), Some(1.0)]]);
    told.cells[0][0] = Some(cell(0.3, 0.2));
    told.cells[1][0] = Some(cell(4.0, 0.5));
    told.cells[1][1] = Some(cell(0.0, 0.0));
    assert_eq!((told.bad_cells(), told.bad_weight(), told.most_seen_cm2()), (3, 1.6, 4.5));
    // What is there for stress only is neither.
    told.poses[1].counts = Counts::Stress;
    assert_eq!((told.bad_weight(), told.most_seen_cm2()), (0.5, 0.5));
}
