//! Which turn calls up a shape of the body, as a person has said it.

use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_core::deform::Driver;
use tin_cloak_core::skeleton::Skeleton;

/// A turn of a joint: where a shape begins and where it is there in full.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CallingTurn {
    /// The joint, by name.
    pub joint: String,
    /// About this axis of its own, of any length but 0.
    pub axis: [f32; 3],
    /// Here it begins, degrees.
    pub from_degrees: f32,
    /// Here it is there in full, degrees; below `from_degrees` for turns the other way.
    pub full_degrees: f32,
}

impl CallingTurn {
    /// As poses are asked.
    pub fn of(driver: &Driver, skeleton: &Skeleton) -> Option<Self> {
        Some(Self {
            joint: skeleton.names.get(driver.joint.index())?.clone(),
            axis: driver.axis.to_array(),
            from_degrees: driver.from.to_degrees(),
            full_degrees: driver.full.to_degrees(),
        })
    }

    /// On a skeleton; none where it has no such joint, or the turn makes no sense.
    pub fn driver(&self, skeleton: &Skeleton) -> Option<Driver> {
        let joint = skeleton.find(&self.joint)?;
        let axis = Vec3::from(self.axis).try_normalize()?;
        let apart = (self.full_degrees - self.from_degrees).abs();
        let within = [self.from_degrees, self.full_degrees].iter().all(|d| d.abs() <= 180.0);
        let (from, full) = (self.from_degrees.to_radians(), self.full_degrees.to_radians());
        (within && apart >= LEAST_SPAN).then_some(Driver { joint, axis, from, full })
    }

    /// In words: “lowerarm_l about X, 20° to 90°”.
    pub fn in_words(&self) -> String {
        let Self { joint, axis, from_degrees, full_degrees } = self;
        format!("{joint} about {}, {from_degrees:.0}° to {full_degrees:.0}°", axis_in_words(*axis))
    }
}

/// A shape comes on over at least so much of a turn, degrees.
const LEAST_SPAN: f32 = 0.5;

fn axis_in_words(axis: [f32; 3]) -> String {
    let own = [("X", Vec3::X), ("Y", Vec3::Y), ("Z", Vec3::Z)];
    let axis = Vec3::from(axis).normalize_or_zero();
    let known = own.iter().find(|(_, own)| own.dot(axis) > 0.9999).map(|(name, _)| (*name).to_owned());
    let back = || own.iter().find(|(_, own)| own.dot(axis) < -0.9999).map(|(name, _)| format!("−{name}"));
    known.or_else(back).unwrap_or_else(|| format!("{:.2}, {:.2}, {:.2}", axis.x, axis.y, axis.z))
}

/// What was said of a shape of the body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SaidDriver {
    /// The shape, by name.
    pub shape: String,
    /// What calls it up; nothing where no turn does.
    pub turn: Option<CallingTurn>,
}
