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
    /// How far it is shifted in model space, millimetres: hips that are pulled.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub shift_mm: [f32; 3],
}

impl Turn {
    /// Less than this is none, degrees and millimetres.
    const NONE: f32 = 0.01;

    /// True when it turns or shifts anything.
    pub fn is_any(&self) -> bool {
        let all = [self.bend, self.twist, self.lean].into_iter().chain(self.shift_mm);
        all.into_iter().any(|x| x.abs() > Self::NONE)
    }
}

fn is_nothing(shift: &[f32; 3]) -> bool {
    *shift == [0.0; 3]
}
