//! Tests of `handover/names.rs`.

use tin_cloak_stations::handover::names::outgoing_names;

#[test]
fn names_go_out_once_each_and_name_no_path() {
    let names = ["coat", "coat", "C:\\skin/left", "\u{7}", " hem ", "coat 2"];
    let out = outgoing_names(&names);
    assert_eq!(out, ["coat", "coat 2", "C--skin-left", "unnamed", "hem", "coat 2 2"]);
}
