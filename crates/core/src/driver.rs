//! Drivers: shapes that a pose calls up by itself, such as the point of a bent elbow.

use crate::skeleton::Pose;
use crate::JointId;
use glam::{Quat, Vec3};
use serde::{Deserialize, Serialize};
use std::f32::consts::{PI, TAU};

/// Calls up a shape by how far one joint is turned from rest about one axis.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Driver {
    /// The joint.
    pub joint: JointId,
    /// Unit axis in the joint's own frame at rest.
    pub axis: Vec3,
    /// Turn at which the shape begins, radians.
    pub from: f32,
    /// Turn at which it is there in full, radians; may be below `from` for turns the other way.
    pub full: f32,
}

impl Driver {
    /// Calls a shape up in full in every pose: it begins and ends short of any turn there is.
    pub fn always() -> Self {
        Self { joint: JointId(0), axis: Vec3::X, from: -1.5 * TAU, full: -TAU }
    }

    /// True when no pose is without the shape in full.
    pub fn is_always(&self) -> bool {
        self.from < self.full && self.full <= -PI
    }

    /// Amount of the shape in `pose`, 0 to 1. The turn about the axis is the twist of the
    /// swing–twist parts of the joint's rotation (Dobrowolski, “Swing-twist decomposition in
    /// Clifford algebra”, 2015).
    pub fn amount(&self, pose: &Pose) -> f32 {
        let Some(&q) = pose.rotations.get(self.joint.index()) else { return 0.0 };
        let span = self.full - self.from;
        if span == 0.0 {
            return 0.0;
        }
        ((turn_about(q, self.axis) - self.from) / span).clamp(0.0, 1.0)
    }
}

/// Turn of `q` about `axis`, radians, −π to π.
pub(crate) fn turn_about(q: Quat, axis: Vec3) -> f32 {
    let angle = 2.0 * q.xyz().dot(axis).atan2(q.w);
    (angle + PI).rem_euclid(TAU) - PI
}
