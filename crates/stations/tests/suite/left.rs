//! Tests of `mending/left.rs`.

use tin_cloak_stations::mending::left::*;

const FIRST: Left = Left { cells: 10, torn: 4.0, mm: 200.0 };

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
