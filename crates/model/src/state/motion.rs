//! Motions from other files and ranges of motion, as a state keeps them.

use crate::state::names::FileRef;
use serde::{Deserialize, Serialize};
use tin_cloak_core::trial::JointRange;

/// A motion that a fitting is tried with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MotionState {
    /// Its file; `mesh` is its name.
    pub source: FileRef,
    /// Joint of the motion and joint of the body that follows it.
    pub pairs: Vec<(String, String)>,
}

/// How far a joint may turn.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RangeState {
    /// By name.
    pub joint: String,
    /// Degrees from the anatomical neutral.
    pub range: JointRange,
}

/// Puts a range in the place of the joint's last; none takes it off.
pub fn set_range(list: &mut Vec<RangeState>, joint: &str, range: Option<JointRange>) {
    list.retain(|r| r.joint != joint);
    list.extend(range.map(|range| RangeState { joint: joint.to_owned(), range }));
}
