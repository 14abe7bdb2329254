//! Tests of `clearance/strain.rs`.

use tin_cloak_core::clearance::*;
use tin_cloak_core::glam::Quat;
use tin_cloak_core::glam::Vec3;

#[test]
fn a_turned_cube_has_no_stiffness_error_and_a_sheared_one_has() {
    let cube: Vec<Vec3> =
        (0..8).map(|i| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32)).collect();
    let turn = Quat::from_rotation_y(2.0) * Quat::from_rotation_x(0.4);
    let turned: Vec<Vec3> = cube.iter().map(|p| turn * *p + Vec3::X).collect();
    assert!(stiffness_error(&cube, &turned) < 1e-5);
    let sheared: Vec<Vec3> = cube.iter().map(|p| *p + Vec3::X * p.y * 0.2).collect();
    assert!(stiffness_error(&cube, &sheared) > 0.05);
}
