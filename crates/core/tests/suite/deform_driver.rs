//! Tests of `deform/driver.rs`.

use tin_cloak_core::deform::*;
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::JointId;

fn amount(q: Quat) -> f32 {
    let driver = Driver { joint: JointId(0), axis: Vec3::X, from: 0.5, full: 1.5 };
    driver.amount(&Pose { rotations: vec![q], ..Pose::rest(1) })
}

#[test]
fn a_shape_comes_in_between_its_two_turns() {
    let bent = |a: f32| amount(Quat::from_rotation_x(a));
    assert_eq!(bent(0.2), 0.0);
    assert!((bent(1.0) - 0.5).abs() < 1e-5);
    assert_eq!(bent(2.0), 1.0);
    assert_eq!(bent(-1.0), 0.0);
}

#[test]
fn a_shape_that_is_always_there_is_there_in_full_in_any_turn() {
    let there = |a: f32| {
        let pose = Pose { rotations: vec![Quat::from_rotation_x(a)], ..Pose::rest(1) };
        Driver::always().amount(&pose)
    };
    assert!((-180..=180).step_by(5).all(|degrees| there((degrees as f32).to_radians()) == 1.0));
    assert!(Driver::always().is_always());
}

#[test]
fn a_turn_about_another_axis_does_not_call_it_up() {
    assert_eq!(amount(Quat::from_rotation_y(1.2)), 0.0);
    let both = Quat::from_rotation_y(0.7) * Quat::from_rotation_x(1.0);
    assert!((amount(both) - 0.5).abs() < 1e-5);
    assert!((amount(-both) - 0.5).abs() < 1e-5, "q and −q are the same turn");
}
