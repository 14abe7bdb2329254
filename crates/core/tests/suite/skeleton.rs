//! Tests of `skeleton.rs`.

use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::skeleton::*;
use tin_cloak_core::JointId;

fn two_joints() -> Skeleton {
    let at = |t| LocalTransform { translation: t, ..LocalTransform::IDENTITY };
    Skeleton::at_rest(
        vec!["root".into(), "tip".into()],
        vec![None, Some(JointId(0))],
        vec![at(Vec3::Y), at(Vec3::Y)],
    )
    .unwrap()
}

#[test]
fn rest_pose_moves_nothing() {
    let skeleton = two_joints();
    for m in skeleton.skin_matrices(&Pose::rest(2)) {
        assert!(m.abs_diff_eq(Mat4::IDENTITY, 1e-6));
    }
}

#[test]
fn a_quarter_turn_of_the_root_swings_the_tip() {
    let skeleton = two_joints();
    let mut pose = Pose::rest(2);
    pose.rotations[0] = Quat::from_rotation_z(std::f32::consts::FRAC_PI_2);
    let tip = skeleton.world(&pose)[1].w_axis.truncate();
    assert!((tip - Vec3::new(-1.0, 1.0, 0.0)).length() < 1e-6);
}

#[test]
fn a_skeleton_in_other_units_poses_the_same_points() {
    let skeleton = two_joints();
    let turn = Quat::from_rotation_x(-std::f32::consts::FRAC_PI_2);
    let placed = skeleton.placed(0.01, turn);
    let mut pose = Pose::rest(2);
    pose.rotations = vec![Quat::from_rotation_z(0.4), Quat::from_rotation_x(-0.9)];
    for (a, b) in skeleton.skin_matrices(&pose).iter().zip(placed.skin_matrices(&pose)) {
        for p in [Vec3::ZERO, Vec3::new(0.3, 1.7, -0.2)] {
            let expected = turn * (a.transform_point3(p) * 0.01);
            assert!(expected.distance(b.transform_point3(turn * (p * 0.01))) < 1e-6);
        }
    }
}

#[test]
fn a_joint_added_moves_as_its_parent_until_it_turns() {
    let turned = |t, r| LocalTransform { translation: t, rotation: r, scale: Vec3::splat(0.01) };
    let skeleton = Skeleton::at_rest(
        vec!["root".into(), "arm".into()],
        vec![None, Some(JointId(0))],
        vec![
            turned(Vec3::Y, Quat::from_rotation_x(-1.2)),
            LocalTransform {
                scale: Vec3::splat(100.0),
                ..turned(Vec3::X * 30.0, Quat::from_rotation_z(0.8))
            },
        ],
    )
    .unwrap();
    let place = Vec3::new(0.4, 1.2, 0.1);
    let more = skeleton.with_joint("hinge", JointId(1), place);
    let mut pose = Pose::rest(3);
    pose.rotations[1] = Quat::from_rotation_y(0.9);
    let matrices = more.skin_matrices(&pose);
    assert!(matrices[2].abs_diff_eq(matrices[1], 1e-4), "{:?} {:?}", matrices[2], matrices[1]);
    pose.rotations[2] = Quat::from_rotation_x(0.5);
    let matrices = more.skin_matrices(&pose);
    let moved = matrices[2].transform_point3(place);
    assert!(moved.distance(matrices[1].transform_point3(place)) < 1e-4);
    assert!(!matrices[2].abs_diff_eq(matrices[1], 1e-2));
}

#[test]
fn a_turn_mirrored_twice_is_itself() {
    let at = |t, r| LocalTransform { translation: t, rotation: r, ..LocalTransform::IDENTITY };
    let frame = Quat::from_rotation_y(0.7) * Quat::from_rotation_x(0.2);
    let skeleton = Skeleton::at_rest(
        vec!["left".into(), "right".into()],
        vec![None, None],
        vec![at(Vec3::X, frame), at(-Vec3::X, Quat::from_rotation_z(-1.1))],
    )
    .unwrap();
    let turn = Quat::from_euler(tin_cloak_core::glam::EulerRot::XYZ, 0.5, -0.3, 0.8);
    let image = skeleton.mirrored_rotation(JointId(0), turn, JointId(1));
    let back = skeleton.mirrored_rotation(JointId(1), image, JointId(0));
    assert!(back.angle_between(turn) < 1e-3);
}

#[test]
fn a_child_before_its_parent_is_refused() {
    let error = Skeleton::at_rest(
        vec!["a".into(), "b".into()],
        vec![Some(JointId(1)), None],
        vec![LocalTransform::IDENTITY; 2],
    );
    assert!(matches!(error, Err(SkeletonError::ParentOrder { name }) if name == "a"));
}
