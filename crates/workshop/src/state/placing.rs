//! Where a piece goes and how it is eased, as people say it.

use serde::{Deserialize, Serialize};

/// Where a piece goes, as people say it: millimetres, degrees and percent.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PlaceOptions {
    /// To the left, up, forward.
    pub shift_mm: [f32; 3],
    /// About the axes to the left, up and forward, in that order.
    pub turn_degrees: [f32; 3],
    /// An axis each, before the turn.
    pub size_percent: [f32; 3],
    /// The joint about which it turns and grows; its own middle when none is named.
    pub about: Option<u16>,
    /// The joint to which its own middle is brought first.
    #[serde(default)]
    pub onto: Option<u16>,
}

impl PlaceOptions {
    /// Leaves the piece where it is.
    pub const NONE: Self = Self {
        shift_mm: [0.0; 3],
        turn_degrees: [0.0; 3],
        size_percent: [100.0; 3],
        about: None,
        onto: None,
    };
}

/// Relaxing.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct RelaxOptions {
    /// 1 leaves nearly all as it is, 100 asks for nothing but the shape that the piece came in.
    pub percent: f32,
    /// So often, one after the other.
    pub times: usize,
    /// What comes nearer to what lies beneath than this is lifted off it, millimetres.
    pub clear_mm: f32,
}

impl Default for RelaxOptions {
    fn default() -> Self {
        Self { percent: 50.0, times: 2, clear_mm: 1.0 }
    }
}

/// Easing, in millimetres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct EaseOptions {
    /// At least this much clearance.
    pub least_mm: f32,
    /// At most this much, when it is to be drawn in.
    pub most_mm: Option<f32>,
}
