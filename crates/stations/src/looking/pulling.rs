//! A limb pulled by hand: the turns by hand that follow from it.

use glam::Vec3;
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::trial::{Humanoid, MotionRanges, Pulled, Pulling};
use tin_cloak_core::units::from_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::motions::{limits_of, SaidRanges};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::turn::Turn;

/// What is pulled.
#[derive(Clone, Copy, Debug)]
pub struct Pull {
    /// The joint.
    pub joint: u16,
    /// How far, in model space, millimetres.
    pub by_mm: [f32; 3],
    /// Also its mirror partner, as in a mirror.
    pub both_sides: bool,
}

/// Asked of a room: what becomes of a pose when a limb is pulled.
pub trait PullingOfRoom {
    /// The turns by hand, on top of a trial pose, after a joint has been pulled in the pose that `turns` make of it.
    ///
    /// # Errors
    /// When the pose or the joint is not there, or the joint is none that can be pulled.
    fn pulled(&self, pose: usize, turns: &[Turn], pull: Pull) -> Result<Vec<Turn>, WorkshopError>;
}

impl PullingOfRoom for Room {
    fn pulled(&self, pose: usize, turns: &[Turn], pull: Pull) -> Result<Vec<Turn>, WorkshopError> {
        let body = &self.dress.body;
        let skeleton = &body.skeleton;
        let now = self.pose_of(pose, turns)?;
        let joint = JointId(pull.joint);
        let missing = || WorkshopError::Missing { what: "joint", id: i64::from(pull.joint) };
        let name = skeleton.names.get(joint.index()).ok_or_else(missing)?;
        let (person, ranges) = (Humanoid::find(skeleton), MotionRanges::new(skeleton));
        let limits = limits_of(&ranges, skeleton, &SaidRanges::new(&self.state));
        let pulling = Pulling { skeleton, person: &person, ranges: &ranges, limits: &limits };
        let by = from_mm(Vec3::from(pull.by_mm));
        let by = if by.is_finite() { by.clamp_length_max(FURTHEST) } else { Vec3::ZERO };
        let mut pulls = vec![Pulled { joint, by }];
        if let Some(partner) = mirror_partner(skeleton, joint).filter(|p| pull.both_sides && *p != joint) {
            pulls.push(Pulled { joint: partner, by: Vec3::new(-by.x, by.y, by.z) });
        }
        let not_pulled = || WorkshopError::NotPulled { joint: name.clone() };
        let wanted = pulling.moved(&now, &pulls).ok_or_else(not_pulled)?;
        self.turns_to(pose, &wanted)
    }
}

/// Nobody pulls further, metres.
const FURTHEST: f32 = 5.0;
