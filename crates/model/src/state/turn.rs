//! Joints turned by hand.

use serde::{Deserialize, Serialize};

/// A joint turned by hand, on top of the trial pose: degrees about the character's axes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Turn {
    /// The joint.
    pub joint: u16,
    /// About the axis to the left: forward is positive.
    pub bend: f32,
    /// About the upward axis: to the left is positive.
    pub twist: f32,
    /// About the forward axis: to the right is positive.
    pub lean: f32,
    /// Also its mirror partner, as in a mirror.
    #[serde(default)]
    pub both_sides: bool,
}
