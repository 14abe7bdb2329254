//! Tests of `mending/left.rs`.

use tin_cloak_stations::mending::left::*;

const FIRST: Left = Left { cells: 10, seen: 6.0, torn: 4.0, mm: 200.0 };

#[test]
fn what_is_clear_for_being_torn_is_no_better() {
    // Four e-folds of tearing weigh as a cell.
    assert_eq!(FIRST.bad(), 11.0);
    let torn = Left { cells: 9, torn: 10.0, ..FIRST };
    assert!(!torn.is_better_than(FIRST) && !torn.is_less_than(FIRST));
    assert!(Left { cells: 9, ..FIRST }.is_better_than(FIRST));
    assert!(Left { mm: 199.0, ..FIRST }.is_better_than(FIRST));
    assert!(!FIRST.is_better_than(FIRST));
}

#[test]
fn depth_may_go_before_cells_but_then_it_is_only_less() {
    let shallower = Left { cells: 12, mm: 150.0, ..FIRST };
    assert!(shallower.is_less_than(FIRST) && !shallower.is_better_than(FIRST));
    assert!(!shallower.is_hardly_less_than(FIRST));
    assert!(Left { mm: 198.0, ..FIRST }.is_hardly_less_than(FIRST));
}

/// A slit of a few vertices is a cell like any other for what is told, and weighs little where two states are compared.
#[test]
fn what_shows_through_a_slit_weighs_little() {
    let slit = Left { cells: 11, seen: 6.1, mm: 195.0, ..FIRST };
    assert!(slit.is_less_than(FIRST) && !slit.is_better_than(FIRST));
    let patch = Left { cells: 11, seen: 7.0, mm: 195.0, ..FIRST };
    assert!(!patch.is_less_than(FIRST));
}
