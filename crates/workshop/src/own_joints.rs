//! Joints that pieces bring or are given.

use crate::steps::{FittingState, PieceId};
use crate::{Body, Trial, WorkshopError};
use glam::{Quat, Vec3};
use serde::{Deserialize, Serialize};
use tin_cloak_core::bind::Falloff;
use tin_cloak_core::intake::JointRole;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::JointId;

/// A joint of a piece's own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OwnJoint {
    /// Its name; no other joint has it.
    pub name: String,
    /// The joint it hangs from.
    pub parent: String,
    /// The piece it belongs to.
    pub piece: PieceId,
    /// Where it is at rest, metres.
    pub place: Vec3,
    /// The end of its bone at rest.
    pub tip: Vec3,
    /// What it turns about: unit.
    pub axis: Vec3,
    /// Least and most degrees about the axis.
    pub range: [f32; 2],
    /// Cloth of its piece follows it as far from its bone as this, millimetres; 0 for none.
    pub reach_mm: f32,
}

impl OwnJoint {
    /// Refused when a name, a number or the parent makes no sense on `skeleton`.
    pub(crate) fn checked(&self, skeleton: &Skeleton) -> Result<(), WorkshopError> {
        let name = self.name.trim();
        if name.is_empty() || name.len() > 60 || name.contains(',') || name != self.name {
            return Err(WorkshopError::BadName { most: 60 });
        }
        if skeleton.find(&self.parent).is_none() {
            return Err(WorkshopError::NoSuchJoint { joint: self.parent.clone() });
        }
        let [least, most] = self.range;
        let turns = least <= most && least >= -180.0 && most <= 180.0;
        let places = self.place.is_finite() && self.tip.is_finite() && self.axis.is_normalized();
        let near = self.place.abs().max_element() < 100.0 && self.tip.abs().max_element() < 100.0;
        if !(turns && places && near && (0.0..=2000.0).contains(&self.reach_mm)) {
            return Err(WorkshopError::BadOwnJoint);
        }
        Ok(())
    }

    /// What it takes of cloth, when it does.
    pub(crate) fn falloff(&self, skeleton: &Skeleton) -> Option<Falloff> {
        let joint = skeleton.find(&self.name).filter(|_| self.reach_mm > 0.0)?;
        Some(Falloff { joint, from: self.place, to: self.tip, reach: self.reach_mm * 0.001 })
    }
}

/// The body with the joints of its pieces behind its own.
pub(crate) fn with_own_joints(mut body: Body, joints: &[OwnJoint]) -> Result<Body, WorkshopError> {
    for joint in joints {
        let missing = || WorkshopError::NoSuchJoint { joint: joint.parent.clone() };
        let parent = body.skeleton.find(&joint.parent).ok_or_else(missing)?;
        body.skeleton = body.skeleton.with_joint(&joint.name, parent, joint.place);
        body.set_roles.push((joint.name.clone(), JointRole::Deforms));
    }
    Ok(body)
}

/// All joints of pieces turned to one end of their ranges, and to the other.
pub(crate) fn own_joint_trials(body: &Body, state: &FittingState) -> Vec<Trial> {
    if state.joints.is_empty() {
        return Vec::new();
    }
    let skeleton = &body.skeleton;
    let turned = |end: usize, name: &str| {
        let mut pose = Pose::rest(skeleton.len());
        for joint in &state.joints {
            let Some(j) = skeleton.find(&joint.name) else { continue };
            pose.rotations[j.index()] = turn_about(skeleton, j, joint.axis, joint.range[end]);
        }
        Trial { name: name.to_owned(), group: "range".to_owned(), time: 0.0, pose, held: Vec::new() }
    };
    vec![turned(0, "own joints back"), turned(1, "own joints out")]
}

/// A turn about an axis of model space, in the joint's own rest frame.
fn turn_about(skeleton: &Skeleton, joint: JointId, axis: Vec3, degrees: f32) -> Quat {
    let own = skeleton.world(&Pose::rest(skeleton.len()))[joint.index()].to_scale_rotation_translation().1;
    (own.inverse() * Quat::from_axis_angle(axis, degrees.to_radians()) * own).normalize()
}
