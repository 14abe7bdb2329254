//! How far a joint is turned in what is looked at, beside its range.

use serde::Serialize;
use tin_cloak_core::trial::{JointRange, MotionRanges};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::turn::Turn;

/// Angles of a joint, degrees.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct RangeHere {
    /// Forward, sideways and turn.
    pub angles: [f32; 3],
    /// From where to where each may go, as the body is dressed.
    pub range: JointRange,
    /// By how much it is turned further than it may; 0 within its range.
    pub beyond: f32,
}

/// Asked of a room: a joint beside its range.
pub trait RangeHereOfRoom {
    /// Of a joint in a trial pose with turns by hand; nothing when it is no known part of a person.
    ///
    /// # Errors
    /// When the pose or the joint is not there.
    fn range_here(&self, pose: usize, turns: &[Turn], joint: u16)
        -> Result<Option<RangeHere>, WorkshopError>;
}

impl RangeHereOfRoom for Room {
    fn range_here(
        &self,
        pose: usize,
        turns: &[Turn],
        joint: u16,
    ) -> Result<Option<RangeHere>, WorkshopError> {
        let skeleton = &self.dress.body.skeleton;
        let (id, now) = (JointId(joint), self.pose_of(pose, turns)?);
        if id.index() >= skeleton.len() {
            return Err(WorkshopError::Missing { what: "joint", id: i64::from(joint) });
        }
        let ranges = MotionRanges::new(skeleton);
        let known = self.range_of(&ranges, id).zip(ranges.angles(id, &now));
        Ok(known.map(|((row, _), angles)| RangeHere {
            angles,
            range: row.worn,
            beyond: row.worn.beyond(angles),
        }))
    }
}
