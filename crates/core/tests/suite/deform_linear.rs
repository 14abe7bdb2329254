//! Tests of `deform/linear.rs`.

use tin_cloak_core::deform::*;
use tin_cloak_core::glam::Quat;
use tin_cloak_core::glam::{Mat4, Vec3};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

#[test]
fn half_way_between_two_joints_is_the_mean_of_both() {
    let rows = vec![vec![(JointId(0), 1.0), (JointId(1), 1.0)]];
    let skin = Skin::from_rows(&rows, 2).unwrap();
    let turn = Mat4::from_quat(Quat::from_rotation_z(std::f32::consts::FRAC_PI_2));
    let mut posed = vec![Vec3::ZERO];
    linear_blend(&[Vec3::X], &skin, &[Mat4::IDENTITY, turn], &mut posed);
    assert!((posed[0] - Vec3::new(0.5, 0.5, 0.0)).length() < 1e-6);
}
