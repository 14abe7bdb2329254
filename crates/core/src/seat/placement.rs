//! Placing a piece: size, then turn, then shift, about a middle.

use glam::{Mat3, Quat, Vec3};
use serde::{Deserialize, Serialize};

/// A similarity about `middle`: p ↦ middle + shift + turn · (scale ∘ (p − middle)).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Placement {
    /// What stays in place when only turned and sized, metres.
    pub middle: Vec3,
    /// Metres.
    pub shift: Vec3,
    /// Unit quaternion.
    pub turn: Quat,
    /// Factor an axis, before the turn.
    pub scale: Vec3,
}

impl Placement {
    /// Leaves everything where it is.
    pub const NONE: Self =
        Self { middle: Vec3::ZERO, shift: Vec3::ZERO, turn: Quat::IDENTITY, scale: Vec3::ONE };

    /// Where `p` goes, metres.
    pub fn apply(&self, p: Vec3) -> Vec3 {
        self.middle + self.shift + self.turn * (self.scale * (p - self.middle))
    }

    /// What it does to a direction.
    pub fn linear(&self) -> Mat3 {
        Mat3::from_quat(self.turn) * Mat3::from_diagonal(self.scale)
    }

    /// True when sizes stay what they are.
    pub fn is_rigid(&self) -> bool {
        self.scale == Vec3::ONE
    }

    /// True when it turns the surface inside out.
    pub fn mirrors(&self) -> bool {
        self.scale.x * self.scale.y * self.scale.z < 0.0
    }
}
