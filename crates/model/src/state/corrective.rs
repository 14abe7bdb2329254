//! Shapes that a turn of a joint calls up on a piece or the body, or what is worn over a piece.

use crate::state::made_of::MadeOf;
use crate::state::names::PieceId;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_core::deform::Driver;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_store::BlobId;

/// What a piece does when a joint is turned so far, or while something is worn over it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Corrective {
    /// Its name; pieces that do something in the same turn have it alike.
    pub name: String,
    /// The joint's name.
    pub joint: String,
    /// Unit axis in the joint's own frame at rest.
    pub axis: Vec3,
    /// Turn at which it begins, radians.
    pub from: f32,
    /// Turn at which it is there in full, radians.
    pub full: f32,
    /// Offsets of all vertices there.
    pub offsets: BlobId,
    /// So much of these is what it does: 1 for all.
    #[serde(default = "all_of_it", skip_serializing_if = "is_all_of_it")]
    pub amount: f32,
    /// What the piece is drawn in under: it is so while all of these are worn, whatever is turned. None for a shape of
    /// a turn.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub by: Vec<PieceId>,
    /// The piece, and what lies beneath it (over it, where it is drawn in), when it was made.
    #[serde(default, skip_serializing_if = "MadeOf::is_empty")]
    pub made_of: MadeOf,
}

/// As much of a shape as there is.
pub(super) fn all_of_it() -> f32 {
    1.0
}

pub(super) fn is_all_of_it(amount: &f32) -> bool {
    *amount == 1.0
}

impl Corrective {
    /// Of a piece that is drawn in under others.
    pub fn of_tuck(name: String, by: Vec<PieceId>, offsets: BlobId) -> Self {
        let Driver { axis, from, full, .. } = Driver::always();
        let made_of = MadeOf::default();
        let amount = all_of_it();
        Self { name, joint: String::new(), axis, from, full, offsets, amount, by, made_of }
    }

    /// What calls it up on a skeleton; nothing when the joint is not there, or what it lies under is not all worn.
    pub fn driver(&self, skeleton: &Skeleton, is_worn: impl Fn(PieceId) -> bool) -> Option<Driver> {
        if !self.by.is_empty() {
            return self.by.iter().all(|id| is_worn(*id)).then(Driver::always);
        }
        let joint = skeleton.find(&self.joint)?;
        Some(Driver { joint, axis: self.axis, from: self.from, full: self.full })
    }
}
