//! Building poses in the character's own directions, whatever the rest pose is.

use super::Humanoid;
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::{Mat4, Quat, Vec3};

/// Turns joints about the character's axes at rest; what hangs below goes along.
pub struct PoseBuilder<'a> {
    pub(super) skeleton: &'a Skeleton,
    /// Who is who.
    pub person: &'a Humanoid,
    pub(super) rest: &'a [Mat4],
    turns: Vec<Quat>,
    /// The pose so far.
    pub pose: Pose,
}

impl<'a> PoseBuilder<'a> {
    /// Starts at rest; `rest` holds the world matrices of the rest pose.
    pub fn new(skeleton: &'a Skeleton, person: &'a Humanoid, rest: &'a [Mat4]) -> Self {
        let joints = skeleton.len();
        Self { skeleton, person, rest, turns: vec![Quat::IDENTITY; joints], pose: Pose::rest(joints) }
    }

    /// Turns `joint` by `turn`, given in model space at rest and carried along by its parents.
    pub fn turn(&mut self, joint: JointId, turn: Quat) {
        let j = joint.index();
        self.turns[j] = turn * self.turns[j];
        let own = self.rest[j].to_scale_rotation_translation().1;
        self.pose.rotations[j] = (own.inverse() * self.turns[j] * own).normalize();
    }

    /// Turns about the axis to the character's left (bending forward is positive), degrees.
    pub fn bend(&mut self, joint: JointId, degrees: f32) {
        self.turn(joint, Quat::from_axis_angle(self.person.leftward(), degrees.to_radians()));
    }

    /// Turns about the upward axis (to the left is positive), degrees.
    pub fn twist(&mut self, joint: JointId, degrees: f32) {
        self.turn(joint, Quat::from_axis_angle(self.person.up, degrees.to_radians()));
    }

    /// Turns about the forward axis (leaning to the right is positive), degrees.
    pub fn lean(&mut self, joint: JointId, degrees: f32) {
        self.turn(joint, Quat::from_axis_angle(self.person.forward, degrees.to_radians()));
    }

    /// Direction from `joint` to `child` at rest.
    pub fn rest_direction(&self, joint: JointId, child: JointId) -> Vec3 {
        let at = |j: JointId| self.rest[j.index()].w_axis.truncate();
        (at(child) - at(joint)).normalize_or_zero()
    }

    /// Turns `joint` by the shortest way so that `child` lies along `direction` (model space
    /// at rest, carried along by the parents).
    pub fn aim(&mut self, joint: JointId, child: JointId, direction: Vec3) {
        let from = self.rest_direction(joint, child);
        let carried: Quat = self.parent_turn_within_limb(joint);
        let to = carried.inverse() * direction.normalize_or(from);
        self.turn(joint, Quat::from_rotation_arc(from, to.normalize_or(from)));
    }

    /// Only the shoulder's own turn is taken off: the arm aims in the chest's frame.
    fn parent_turn_within_limb(&self, joint: JointId) -> Quat {
        for limbs in [&self.person.left, &self.person.right] {
            if limbs.upper_arm == Some(joint) {
                return limbs.shoulder.map_or(Quat::IDENTITY, |s| self.turns[s.index()]);
            }
        }
        Quat::IDENTITY
    }

    /// Moves `joint` by `offset` (model space, metres).
    pub fn shift(&mut self, joint: JointId, offset: Vec3) {
        let parent = self.skeleton.parents[joint.index()];
        let frame = parent.map_or(Mat4::IDENTITY, |p| self.rest[p.index()]);
        self.pose.translations[joint.index()] += frame.inverse().transform_vector3(offset);
    }
}
