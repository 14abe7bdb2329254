//! Shapes that a turn of a joint calls up on a piece.

use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_core::deform::Driver;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_store::BlobId;

/// What a piece does when a joint is turned so far.
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
}

impl Corrective {
    /// What calls it up on a skeleton; nothing when the joint is not there.
    pub fn driver(&self, skeleton: &Skeleton) -> Option<Driver> {
        let joint = skeleton.find(&self.joint)?;
        Some(Driver { joint, axis: self.axis, from: self.from, full: self.full })
    }
}
