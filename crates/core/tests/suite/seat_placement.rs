//! Tests of `seat/placement.rs`.

use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::seat::*;

#[test]
fn the_middle_stays_when_only_turned_and_sized() {
    let middle = Vec3::new(1.0, 2.0, 3.0);
    let turned =
        Placement { middle, turn: Quat::from_rotation_z(1.0), scale: Vec3::splat(0.01), ..Placement::NONE };
    assert_eq!(turned.apply(middle), middle);
    assert!((turned.apply(middle + Vec3::X).distance(middle) - 0.01).abs() < 1e-6);
    assert!(!turned.mirrors() && !turned.is_rigid());
    let moved = turned.apply(middle + Vec3::Y) - middle;
    assert!(moved.abs_diff_eq(turned.linear() * Vec3::Y, 1e-6));
    assert!(Placement { scale: Vec3::new(-1.0, 1.0, 1.0), ..Placement::NONE }.mirrors());
}
