//! Shapes that give bent elbows and knees their volume back.

use crate::figure;
use crate::skeleton::{BodyJoints, BodySide};
use glam::{Mat3, Quat, Vec3};
use tin_cloak_core::deform::{blended_matrix, dual_quaternion_blend, linear_blend, Driver, Morph};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// Share that is given back of what linear blending loses against dual quaternions.
const GIVEN_BACK: f32 = 0.9;
/// Offsets stay below this, metres: at a sharp bend a small gain needs a huge offset at rest.
const LONGEST: f32 = 0.025;

/// One shape a side for elbow and knee, called up by the joint's own turn.
pub(crate) fn correctives(rest: &[Vec3], skin: &Skin, joints: &BodyJoints) -> Vec<Morph> {
    let mut shapes = Vec::new();
    for (side, name, sign) in [(BodySide::Left, "left", 1.0), (BodySide::Right, "right", -1.0f32)] {
        let along = (figure::LOWER_ARM - figure::UPPER_ARM) * Vec3::new(sign, 1.0, 1.0);
        let elbow = along.cross(Vec3::Z).normalize();
        shapes.push(corrective(
            rest,
            skin,
            joints,
            joints.on(side, "lower_arm"),
            elbow * 130.0,
            format!("elbow bent {name}"),
        ));
        shapes.push(corrective(
            rest,
            skin,
            joints,
            joints.on(side, "lower_leg"),
            Vec3::X * 110.0,
            format!("knee bent {name}"),
        ));
    }
    shapes
}

/// The shape that, in the pose with one joint turned (about an axis, by its length in degrees), moves each vertex from
/// where
/// linear blending puts it towards where dual quaternion blending would, carried back to rest.
fn corrective(
    rest: &[Vec3],
    skin: &Skin,
    joints: &BodyJoints,
    joint: JointId,
    turn: Vec3,
    name: String,
) -> Morph {
    let (axis, full) = (turn.normalize(), turn.length().to_radians());
    let mut pose = Pose::rest(joints.skeleton.len());
    pose.rotations[joint.index()] = Quat::from_axis_angle(axis, full);
    let matrices = joints.skeleton.skin_matrices(&pose);
    let (mut linear, mut full_bodied) = (rest.to_vec(), rest.to_vec());
    linear_blend(rest, skin, &matrices, &mut linear);
    dual_quaternion_blend(rest, skin, &matrices, &mut full_bodied);
    let offsets: Vec<Vec3> = (0..rest.len())
        .map(|v| {
            let gain = (full_bodied[v] - linear[v]) * GIVEN_BACK;
            if gain.length() < 1e-5 {
                return Vec3::ZERO;
            }
            let back = Mat3::from_mat4(blended_matrix(skin, v, &matrices)).inverse();
            (back * gain).clamp_length_max(LONGEST)
        })
        .collect();
    let driver = Driver { joint, axis, from: 20f32.to_radians(), full };
    Morph { driver: Some(driver), ..Morph::from_dense(name, &offsets) }
}
