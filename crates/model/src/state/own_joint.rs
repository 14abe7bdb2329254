//! Joints that pieces bring or are given.

use crate::error::WorkshopError;
use crate::state::names::PieceId;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_core::bind::Falloff;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::units::from_mm;
use tin_cloak_formats::MarkedJoint;

/// A joint of a piece's own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OwnJoint {
    /// Its name; no other joint has it.
    pub name: String,
    /// The joint it hangs from.
    pub parent: String,
    /// The piece it belongs to.
    pub piece: PieceId,
    /// Where it is at rest, metres.
    pub place: Vec3,
    /// The end of its bone at rest.
    pub tip: Vec3,
    /// What it turns about: unit.
    pub axis: Vec3,
    /// Least and most degrees about the axis.
    pub range: [f32; 2],
    /// Cloth of its piece follows it as far from its bone as this, millimetres; 0 for none.
    pub reach_mm: f32,
}

impl OwnJoint {
    /// The same as a file has it, whose skeleton says where it is.
    pub fn marked(&self) -> MarkedJoint {
        MarkedJoint {
            name: self.name.clone(),
            parent: self.parent.clone(),
            tip: self.tip.to_array(),
            axis: self.axis.to_array(),
            range: self.range,
            reach_mm: self.reach_mm,
        }
    }

    /// The joint as a file says of it.
    pub fn with_mark(self, mark: &MarkedJoint) -> Self {
        let axis = Vec3::from(mark.axis).try_normalize().unwrap_or(self.axis);
        let tip = Vec3::from(mark.tip);
        Self { parent: mark.parent.clone(), tip, axis, range: mark.range, reach_mm: mark.reach_mm, ..self }
    }

    /// Refused when a name, a number or the parent makes no sense on `skeleton`.
    pub fn checked(&self, skeleton: &Skeleton) -> Result<(), WorkshopError> {
        let name = self.name.trim();
        if name.is_empty() || name.len() > 60 || name.contains(',') || name != self.name {
            return Err(WorkshopError::BadName { most: 60 });
        }
        if skeleton.find(&self.parent).is_none() {
            return Err(WorkshopError::NoSuchJoint { joint: self.parent.clone() });
        }
        let [least, most] = self.range;
        let turns = least <= most && least >= -180.0 && most <= 180.0;
        let places = self.place.is_finite() && self.tip.is_finite() && self.axis.is_normalized();
        let near = self.place.abs().max_element() < 100.0 && self.tip.abs().max_element() < 100.0;
        if !(turns && places && near && (0.0..=2000.0).contains(&self.reach_mm)) {
            return Err(WorkshopError::BadOwnJoint);
        }
        Ok(())
    }

    /// What it takes of cloth, when it does.
    pub fn falloff(&self, skeleton: &Skeleton) -> Option<Falloff> {
        let joint = skeleton.find(&self.name).filter(|_| self.reach_mm > 0.0)?;
        Some(Falloff { joint, from: self.place, to: self.tip, reach: from_mm(self.reach_mm) })
    }
}
