//! Trial poses with joints turned by hand.

use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::state::turn::Turn;
use glam::{EulerRot, Mat3, Mat4, Quat, Vec3};
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::trial::Humanoid;
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_core::JointId;

impl Room {
    /// The trial pose with the turns made by hand.
    ///
    /// # Errors
    /// When the pose or a joint is not there.
    pub fn pose_of(&self, pose: usize, turns: &[Turn]) -> Result<Pose, WorkshopError> {
        let trial = self.trials.trials.get(pose);
        let trial = trial.ok_or(WorkshopError::Missing { what: "pose", id: pose as i64 })?;
        let mut pose = trial.pose.clone();
        if turns.is_empty() {
            return Ok(pose);
        }
        let skeleton = &self.dress.body.skeleton;
        let person = Humanoid::find(skeleton);
        let rest = skeleton.world(&Pose::rest(skeleton.len()));
        for t in turns {
            let j = usize::from(t.joint);
            let missing = WorkshopError::Missing { what: "joint", id: i64::from(t.joint) };
            let matrix = rest.get(j).ok_or(missing)?;
            let about = |axis: Vec3, degrees: f32| Quat::from_axis_angle(axis, degrees.to_radians());
            let finite = |x: f32| if x.is_finite() { x.clamp(-360.0, 360.0) } else { 0.0 };
            let turn = about(person.forward, finite(t.lean))
                * about(person.up, finite(t.twist))
                * about(person.leftward(), finite(t.bend));
            let own = matrix.to_scale_rotation_translation().1;
            let turn = own.inverse() * turn * own;
            let joint = Some(JointId(t.joint)).filter(|_| t.both_sides);
            let partner = joint.and_then(|j| mirror_partner(skeleton, j));
            pose.rotations[j] = (pose.rotations[j] * turn).normalize();
            pose.translations[j] += from_mm(above(skeleton, &rest, j).inverse() * shift_of(t));
            if let Some(p) = partner {
                let image = skeleton.mirrored_rotation(JointId(t.joint), turn, p);
                pose.rotations[p.index()] = (pose.rotations[p.index()] * image).normalize();
            }
        }
        Ok(pose)
    }

    /// The turns by hand that make a trial pose another one, of joints that are not the same in both.
    ///
    /// # Errors
    /// When the pose is not there.
    pub fn turns_to(&self, pose: usize, wanted: &Pose) -> Result<Vec<Turn>, WorkshopError> {
        let base = self.pose_of(pose, &[])?;
        let skeleton = &self.dress.body.skeleton;
        let person = Humanoid::find(skeleton);
        let rest = skeleton.world(&Pose::rest(skeleton.len()));
        let frame = Quat::from_mat3(&Mat3::from_cols(person.leftward(), person.up, person.forward));
        let one = |j: usize| {
            let own = rest[j].to_scale_rotation_translation().1;
            let turn = own * (base.rotations[j].inverse() * wanted.rotations[j]) * own.inverse();
            let (lean, twist, bend) = (frame.inverse() * turn * frame).to_euler(EulerRot::ZYX);
            let shift = above(skeleton, &rest, j) * (wanted.translations[j] - base.translations[j]);
            let [bend, twist, lean] = [bend, twist, lean].map(f32::to_degrees);
            let turn =
                Turn { joint: j as u16, bend, twist, lean, both_sides: false, shift_mm: to_mm(shift).into() };
            (turn.is_any()).then_some(turn)
        };
        Ok((0..skeleton.len()).filter_map(one).collect())
    }

    /// Matrices and amounts of a trial pose with joints turned by hand.
    ///
    /// # Errors
    /// When the pose or a joint is not there.
    pub fn joints_in(&self, pose: usize, turns: &[Turn]) -> Result<TrialPose, WorkshopError> {
        let (turned, body) = (self.pose_of(pose, turns)?, &self.dress.body);
        let amounts = self.trials.trials[pose].amounts(body, &turned);
        Ok(TrialPose { matrices: body.skeleton.skin_matrices(&turned), amounts })
    }

    /// The same with shapes of the body called up by hand: number and amount.
    ///
    /// # Errors
    /// When the pose, a joint or a shape is not there, or an amount makes no sense.
    pub fn pose_with(
        &self,
        pose: usize,
        turns: &[Turn],
        shapes: &[(usize, f32)],
    ) -> Result<TrialPose, WorkshopError> {
        let mut pose = self.joints_in(pose, turns)?;
        let own = self.dress.body.own_shapes().len();
        for &(shape, amount) in shapes {
            if shape >= own {
                return Err(WorkshopError::Missing { what: "shape", id: shape as i64 });
            }
            if !(-1.0..=2.0).contains(&amount) {
                return Err(WorkshopError::BadAmount);
            }
            pose.amounts.resize(pose.amounts.len().max(own), 0.0);
            pose.amounts[shape] += amount;
        }
        Ok(pose)
    }
}

/// How what a joint hangs from is turned at rest.
fn above(skeleton: &Skeleton, rest: &[Mat4], joint: usize) -> Quat {
    let parent = skeleton.parents[joint];
    parent.map_or(Quat::IDENTITY, |p| rest[p.index()].to_scale_rotation_translation().1)
}

/// Millimetres in model space; nothing of what is no number.
fn shift_of(turn: &Turn) -> Vec3 {
    let shift = Vec3::from(turn.shift_mm);
    if shift.is_finite() {
        shift.clamp_length_max(LONGEST_SHIFT_MM)
    } else {
        Vec3::ZERO
    }
}

const LONGEST_SHIFT_MM: f32 = 5000.0;
