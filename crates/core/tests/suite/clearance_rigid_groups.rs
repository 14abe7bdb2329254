//! Tests of `clearance/moves_as_one.rs`.

use tin_cloak_core::clearance::rigid_groups::*;
use tin_cloak_core::glam::Mat4;
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::shapes::{outfit, sphere};

#[test]
fn a_body_on_one_joint_moves_as_one_and_where_a_shape_changes_it_bends() {
    let mut outfit = outfit(&sphere(0.1, 8), &[]);
    let pose = |at: Vec3, amount: f32| TrialPose {
        matrices: vec![Mat4::from_rotation_z(at.x) * Mat4::from_translation(at)],
        amounts: vec![amount],
    };
    let mut offsets = vec![Vec3::ZERO; outfit.layers[0].rest.len()];
    offsets[0] = Vec3::X * 0.01;
    outfit.layers[0].morphs = vec![tin_cloak_core::deform::Morph::from_dense("bump".into(), &offsets)];
    let topology = &outfit.layers[0].topology;
    let beside = topology.neighbours.row(0)[0];
    let far = (0..topology.vertices() as u32).find(|v| *v != 0 && !topology.neighbours.row(0).contains(v));
    let with = |amount: f32, v: u32| {
        let (from, to) = (pose(Vec3::ZERO, 0.0), pose(Vec3::X, amount));
        let as_one = RigidGroups::between(&outfit, &[true], &from, &to);
        as_one.place(0, topology, [v; 3])
    };
    assert_eq!([with(0.0, 0), with(0.0, beside)], [1, 1]);
    assert_eq!([with(1.0, 0), with(1.0, beside), with(1.0, far.unwrap_or(0))], [BENDS, BENDS, 1]);
}

#[test]
fn joints_that_keep_their_place_to_each_other_are_one() {
    let from = [Mat4::IDENTITY, Mat4::from_translation(Vec3::Y), Mat4::IDENTITY];
    let turn = Mat4::from_rotation_x(0.3);
    let to = [turn, turn * from[1], Mat4::from_translation(Vec3::Z)];
    assert_eq!(joints_as_one(&from, &to), [1, 1, 2]);
}
