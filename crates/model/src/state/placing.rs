//! Where a piece goes and how it is eased, as people say it.

use crate::error::WorkshopError;
use serde::{Deserialize, Serialize};
use tin_cloak_core::seat::Relaxing;

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

/// More often than this brings nothing.
const MOST_TIMES: usize = 50;

impl RelaxOptions {
    /// As the computation takes it.
    ///
    /// # Errors
    /// When a number makes no sense.
    pub fn checked(self) -> Result<Relaxing, WorkshopError> {
        let sane = (1.0..=100.0).contains(&self.percent)
            && (1..=MOST_TIMES).contains(&self.times)
            && (0.0..=50.0).contains(&self.clear_mm);
        let (strength, clear) = (self.percent * 0.01, self.clear_mm * 0.001);
        sane.then_some(Relaxing { strength, times: self.times, clear }).ok_or(WorkshopError::BadRelax)
    }
}
