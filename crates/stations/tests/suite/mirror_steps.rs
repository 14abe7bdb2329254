//! Tests of `seating/mirror_steps.rs`.

use tin_cloak_stations::seating::mirror_steps::other_side;

#[test]
fn a_name_changes_sides() {
    assert_eq!(other_side("left pauldron"), "right pauldron");
    assert_eq!(other_side("GauntletRight"), "GauntletLeft");
    assert_eq!(other_side("pouch"), "pouch, other side");
}
