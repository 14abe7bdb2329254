//! Tests of `deform/dual_quaternion.rs`.

use tin_cloak_core::deform::*;
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// Kavan et al. 2007, figure 1: a half twist collapses a linear blend to the axis (the
/// “candy wrapper”), while the dual quaternion blend keeps the distance from it.
#[test]
fn a_half_twist_keeps_its_radius() {
    let skin = Skin::from_rows(&[vec![(JointId(0), 0.5), (JointId(1), 0.5)]], 2).unwrap();
    let matrices = [Mat4::IDENTITY, Mat4::from_rotation_y(std::f32::consts::PI * 0.999)];
    let (mut linear, mut dual) = ([Vec3::ZERO], [Vec3::ZERO]);
    linear_blend(&[Vec3::X], &skin, &matrices, &mut linear);
    dual_quaternion_blend(&[Vec3::X], &skin, &matrices, &mut dual);
    assert!(linear[0].length() < 0.01);
    assert!((dual[0].length() - 1.0).abs() < 1e-5);
}

#[test]
fn one_joint_is_its_rigid_motion() {
    let m = Mat4::from_rotation_translation(Quat::from_rotation_x(0.7), Vec3::new(1.0, -2.0, 3.0));
    let skin = Skin::uniform(1, &[(JointId(0), 1.0)], 1).unwrap();
    let mut posed = [Vec3::ZERO];
    let p = Vec3::new(0.3, 0.2, -0.5);
    dual_quaternion_blend(&[p], &skin, &[m], &mut posed);
    assert!((posed[0] - m.transform_point3(p)).length() < 1e-5);
}
