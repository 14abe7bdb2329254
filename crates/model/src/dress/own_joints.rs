//! The skeleton with the joints of the pieces behind it, and the poses they are tried in.

use crate::dress::body::Body;
use crate::dress::trials::{range_trials, Trial, TrialSet, RANGE};
use crate::error::WorkshopError;
use crate::state::own_joint::OwnJoint;
use glam::{Quat, Vec3};
use tin_cloak_core::intake::JointRole;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::JointId;

/// The body with the joints of its pieces behind its own.
pub fn with_own_joints(mut body: Body, joints: &[OwnJoint]) -> Result<Body, WorkshopError> {
    for joint in joints {
        // A body that comes from a dressed file has them already.
        if body.skeleton.find(&joint.name).is_none() {
            let missing = || WorkshopError::NoSuchJoint { joint: joint.parent.clone() };
            let parent = body.skeleton.find(&joint.parent).ok_or_else(missing)?;
            body.skeleton = body.skeleton.with_joint(&joint.name, parent, joint.place);
        }
        body.set_roles.push((joint.name.clone(), JointRole::Deforms));
    }
    body.own_joints = joints.to_vec();
    Ok(body)
}

/// Rest, the built-in poses, and those of the pieces' own joints.
pub fn body_trials(body: &Body) -> TrialSet {
    let mut set = range_trials(body);
    set.trials.extend(own_joint_trials(body));
    set
}

/// All joints of pieces turned to one end of their ranges, and to the other.
fn own_joint_trials(body: &Body) -> Vec<Trial> {
    if body.own_joints.is_empty() {
        return Vec::new();
    }
    let skeleton = &body.skeleton;
    let turned = |end: usize, name: &str| {
        let mut pose = Pose::rest(skeleton.len());
        for joint in &body.own_joints {
            let Some(j) = skeleton.find(&joint.name) else { continue };
            pose.rotations[j.index()] = turn_about(skeleton, j, joint.axis, joint.range[end]);
        }
        Trial::still(RANGE, name.to_owned(), pose)
    };
    vec![turned(0, "own joints back"), turned(1, "own joints out")]
}

/// A turn about an axis of model space, in the joint's own rest frame.
fn turn_about(skeleton: &Skeleton, joint: JointId, axis: Vec3, degrees: f32) -> Quat {
    let own = skeleton.world(&Pose::rest(skeleton.len()))[joint.index()].to_scale_rotation_translation().1;
    (own.inverse() * Quat::from_axis_angle(axis, degrees.to_radians()) * own).normalize()
}
