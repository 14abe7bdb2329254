//! Tests of `mend/volume.rs`.

use tin_cloak_core::clearance::Layer;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::mend::*;
use tin_cloak_core::shapes::{outfit, Arm};
use tin_cloak_core::skeleton::LocalTransform;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::JointId;

/// A tube about two joints in a row and one at the end, so that each of the first two has a bone.
fn sleeve() -> (Layer, Skeleton) {
    let arm = Arm::new();
    let mut layer = outfit(&arm.surface, &[]).layers.remove(0);
    layer.skin = arm.skin.clone().into();
    let end = LocalTransform { translation: Vec3::Y * 0.3, ..LocalTransform::IDENTITY };
    let mut rest = arm.skeleton.rest.clone();
    rest.push(end);
    let names = ["upper", "lower", "end"].map(str::to_owned).to_vec();
    let parents = vec![None, Some(JointId(0)), Some(JointId(1))];
    (layer, Skeleton::at_rest(names, parents, rest).unwrap())
}

fn twisted(turn: f32) -> Pose {
    let mut pose = Pose::rest(3);
    pose.rotations[1] = Quat::from_rotation_y(turn);
    pose
}

/// Distance of the thinnest ring from the bone.
fn thinnest(points: &[Vec3]) -> f32 {
    points.iter().map(|p| p.x.hypot(p.z)).fold(f32::INFINITY, f32::min)
}

#[test]
fn a_twist_keeps_its_girth_and_less_of_it_too() {
    let (mut layer, skeleton) = sleeve();
    let lost = lost_volume(&[layer.clone()], &skeleton, &[twisted(2.0), twisted(0.6)], 0.001);
    assert_eq!(lost.len(), 1);
    let driver = lost[0].driver;
    assert!(
        driver.joint == JointId(1)
            && driver.axis.abs_diff_eq(Vec3::Y, 1e-5)
            && (driver.full - 2.0).abs() < 1e-5
    );
    // Nearly half of both: drawn in to the cosine of half the turn.
    let expected = 0.05 * (1.0 - 1f32.cos());
    assert!((lost[0].most - expected).abs() < 0.002, "{} {expected}", lost[0].most);
    let shape = Morph::from_dense("kept".into(), &lost[0].layers[0].offsets);
    layer.morphs = vec![Morph { driver: Some(driver), ..shape }];
    let posed = |layer: &Layer, turn: f32, with: bool| {
        let pose = twisted(turn);
        let amount = if with { driver.amount(&pose) } else { 0.0 };
        let mut at = vec![Vec3::ZERO; layer.rest.len()];
        layer.pose_into(&skeleton.skin_matrices(&pose), &[amount], &mut Vec::new(), &mut at);
        at
    };
    assert!(thinnest(&posed(&layer, 2.0, false)) < 0.03);
    assert!((thinnest(&posed(&layer, 2.0, true)) - 0.05).abs() < 1e-4);
    // Between, within 4 mm of it, and nowhere further off than without it.
    let off = |points: &[Vec3]| points.iter().map(|p| (p.x.hypot(p.z) - 0.05).abs()).fold(0.0, f32::max);
    for turn in [0.4, 0.8, 1.2, 1.6] {
        let (with, without) = (off(&posed(&layer, turn, true)), off(&posed(&layer, turn, false)));
        assert!(with <= without && with < 0.004, "{turn}: {with} m, {without} m without");
    }
    assert_eq!(posed(&layer, -1.0, true), posed(&layer, -1.0, false), "the other way it is as it was");
}

#[test]
fn a_bend_is_no_twist() {
    let (layer, skeleton) = sleeve();
    let mut bent = Pose::rest(3);
    bent.rotations[1] = Quat::from_rotation_x(1.4);
    assert!(lost_volume(&[layer], &skeleton, &[bent], 0.001).is_empty());
}
