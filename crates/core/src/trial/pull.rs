//! A joint of a person pulled to a place, with the joints above it going along within their ranges.
//!
//! Damped least squares (Wampler, “Manipulator inverse kinematic solutions based on vector formulations and damped
//! least-squares methods”, 1986), each joint held within its range after each round.

use super::humanoid::{Humanoid, Limbs};
use super::motion_range::{JointRange, MotionRanges};
use super::names::SideOfBody;
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::{Mat3, Mat4, Quat, Vec3};

/// At most so many rounds; the place is reached when what is left is less than this, metres.
const ROUNDS: usize = 80;
const REACHED: f32 = 2e-4;
/// No further in a round, metres.
const STRIDE: f32 = 0.06;
/// Where the limb is stretched the damping keeps it from flinging about, metres.
const DAMPING: f32 = 0.03;
/// How much joints of the trunk, and shoulder blades, go along: the rest is the limb's.
const TRUNK: f32 = 0.12;
const BLADE: f32 = 0.35;
/// A straight elbow or knee that is pulled in is bent by so much first, degrees: straight, it would not know where to.
const UNLOCKED: f32 = 6.0;
/// Limbs that are pulled at once are pulled so often in turn.
const TOGETHER: usize = 8;

/// A skeleton that can be pulled at: the person in it, and how far its joints turn.
#[derive(Clone, Copy)]
pub struct Pulling<'a> {
    /// The joints.
    pub skeleton: &'a Skeleton,
    /// Who is who.
    pub person: &'a Humanoid,
    /// How joints turn.
    pub ranges: &'a MotionRanges,
    /// How far they may.
    pub limits: &'a [(JointId, JointRange)],
}

/// A joint and how far it is pulled, in model space, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pulled {
    /// The joint.
    pub joint: JointId,
    /// How far.
    pub by: Vec3,
}

/// The joints that go along with one that is pulled, each with its share, from the trunk outwards, and the joint whose
/// place counts.
struct Chain {
    joints: Vec<(JointId, f32)>,
    tip: JointId,
}

impl Pulling<'_> {
    /// `pose` with joints moved, as far as the ranges allow: a hand takes arm, shoulder blade and spine along, a foot
    /// its leg and keeps its sole as it is, the head the spine; of the hips the feet stay where they are. None for a
    /// joint that is no part of a person's limbs, trunk or head.
    ///
    /// ```
    /// use tin_cloak_core::glam::Vec3;
    /// use tin_cloak_core::skeleton::Pose;
    /// use tin_cloak_core::trial::{Humanoid, Limbs, MotionRanges, Pulled, Pulling};
    /// use tin_cloak_core::{shapes::Arm, JointId};
    ///
    /// let skeleton = Arm::new().skeleton.with_joint("hand", JointId(1), Vec3::Y * 0.6);
    /// let mut person = Humanoid::find(&skeleton);
    /// let [upper_arm, lower_arm, hand] = [0, 1, 2].map(|j| Some(JointId(j)));
    /// person.left = Limbs { upper_arm, lower_arm, hand, ..Limbs::default() };
    /// let ranges = MotionRanges::new(&skeleton);
    /// let pulling = Pulling { skeleton: &skeleton, person: &person, ranges: &ranges, limits: &[] };
    /// let pull = Pulled { joint: JointId(2), by: Vec3::new(0.2, -0.2, 0.1) };
    /// let pose = pulling.moved(&Pose::rest(3), &[pull]).unwrap();
    /// let hand = skeleton.world(&pose)[2].w_axis.truncate();
    /// assert!(hand.distance(Vec3::new(0.2, 0.4, 0.1)) < 1e-3);
    /// ```
    pub fn moved(&self, pose: &Pose, pulls: &[Pulled]) -> Option<Pose> {
        let mut moved = pose.clone();
        for hips in pulls.iter().filter(|p| Some(p.joint) == self.person.hips) {
            moved = self.hips_moved(&moved, hips.joint, hips.by);
        }
        let before = self.skeleton.world(&moved);
        let limb = |pull: &Pulled| {
            let chain = self.chain_to(pull.joint)?;
            let target = place_of(&before, chain.tip) + pull.by;
            Some((chain, target))
        };
        let limbs = pulls.iter().filter(|p| Some(p.joint) != self.person.hips).map(limb);
        let limbs: Vec<(Chain, Vec3)> = limbs.collect::<Option<_>>()?;
        // They share the trunk: one after the other, until none takes the others along.
        for _ in 0..if limbs.len() > 1 { TOGETHER } else { 1 } {
            for (chain, target) in &limbs {
                self.reach(&mut moved, chain, *target);
            }
        }
        limbs.iter().for_each(|(chain, _)| self.keep_sole(pose, &mut moved, chain.tip));
        Some(moved)
    }

    /// The hips go, the feet stay.
    fn hips_moved(&self, pose: &Pose, hips: JointId, by: Vec3) -> Pose {
        let before = self.skeleton.world(pose);
        let mut moved = pose.clone();
        let above = self.skeleton.parents[hips.index()].map_or(Mat4::IDENTITY, |p| before[p.index()]);
        moved.translations[hips.index()] += above.inverse().transform_vector3(by);
        for side in [SideOfBody::Left, SideOfBody::Right] {
            let Some(chain) = self.person.side(side).foot.and_then(|foot| self.chain_to(foot)) else {
                continue;
            };
            self.reach(&mut moved, &chain, place_of(&before, chain.tip));
            self.keep_sole(pose, &mut moved, chain.tip);
        }
        moved
    }

    fn chain_to(&self, joint: JointId) -> Option<Chain> {
        let joint = self.part_of_person(joint)?;
        let trunk = self.person.spine.iter().map(|j| (*j, TRUNK));
        for side in [SideOfBody::Left, SideOfBody::Right] {
            let Limbs { shoulder, upper_arm, lower_arm, hand, upper_leg, lower_leg, foot, toe, .. } =
                *self.person.side(side);
            let with_trunk = trunk.clone().chain(shoulder.map(|j| (j, BLADE)));
            if Some(joint) == shoulder {
                return Some(Chain { joints: with_trunk.collect(), tip: upper_arm? });
            }
            let arm: Vec<JointId> = [upper_arm, lower_arm, hand].into_iter().flatten().collect();
            if let Some(own) = limb_to(joint, &arm) {
                return Some(Chain { joints: with_trunk.chain(own.joints).collect(), tip: own.tip });
            }
            let leg: Vec<JointId> = [upper_leg, lower_leg, foot].into_iter().flatten().collect();
            let joint = if Some(joint) == toe { foot? } else { joint };
            if let Some(own) = limb_to(joint, &leg) {
                return Some(own);
            }
        }
        let column: Vec<JointId> = [&self.person.spine[..], &self.person.neck].concat();
        limb_to(joint, &column.into_iter().chain(self.person.head).collect::<Vec<_>>())
    }

    /// The joint of a person that one is, or hangs from, as fingers do from a hand and helpers from an arm.
    fn part_of_person(&self, joint: JointId) -> Option<JointId> {
        let known = self.person.joints();
        let above = |j: &JointId| self.skeleton.parents[j.index()];
        std::iter::successors(Some(joint), above).find(|j| known.contains(j))
    }

    /// The limb by itself as far as it gets, then with the trunk going along.
    fn reach(&self, pose: &mut Pose, chain: &Chain, target: Vec3) {
        let limb: Vec<(JointId, f32)> = chain.joints.iter().filter(|j| j.1 > TRUNK).copied().collect();
        self.reach_by(pose, &Chain { joints: limb, tip: chain.tip }, target);
        self.reach_by(pose, chain, target);
    }

    fn reach_by(&self, pose: &mut Pose, chain: &Chain, target: Vec3) {
        let own: Vec<(JointId, JointRange)> =
            self.limits.iter().filter(|l| chain.joints.iter().any(|j| j.0 == l.0)).copied().collect();
        self.unlock(pose, chain, target);
        for _ in 0..ROUNDS {
            let world = self.skeleton.world(pose);
            let tip = place_of(&world, chain.tip);
            let left = target - tip;
            if left.length() < REACHED {
                return;
            }
            let stride = left.clamp_length_max(STRIDE);
            let mut system = Mat3::from_diagonal(Vec3::splat(DAMPING * DAMPING));
            for (joint, share) in &chain.joints {
                let arm = tip - place_of(&world, *joint);
                let outer = Mat3::from_cols(arm * arm.x, arm * arm.y, arm * arm.z);
                system += (Mat3::from_diagonal(Vec3::splat(arm.length_squared())) - outer) * (share * share);
            }
            let force = system.inverse() * stride;
            for (joint, share) in &chain.joints {
                let arm = tip - place_of(&world, *joint);
                let turn = Quat::from_scaled_axis(arm.cross(force) * (share * share));
                let own = world[joint.index()].to_scale_rotation_translation().1;
                let at = &mut pose.rotations[joint.index()];
                *at = (*at * (own.inverse() * turn * own)).normalize();
            }
            self.ranges.hold(pose, &own);
        }
    }

    /// Bends straight joints in the middle of a limb that is pulled in.
    fn unlock(&self, pose: &mut Pose, chain: &Chain, target: Vec3) {
        let world = self.skeleton.world(pose);
        for joint in chain.joints.iter().rev().take(1).filter(|_| chain.joints.len() > 1).map(|j| j.0) {
            let (tip, at) = (place_of(&world, chain.tip), place_of(&world, joint));
            let is_pulled_in = (target - tip).dot(tip - at) < 0.0;
            let Some([forward, sideways, turn]) = self.ranges.angles(joint, pose) else { continue };
            if !is_pulled_in || forward.abs() >= UNLOCKED {
                continue;
            }
            let Some(to) = self.ranges.turn_at(joint, [UNLOCKED, sideways, turn]) else { continue };
            let own = self.skeleton.world(&Pose::rest(self.skeleton.len()))[joint.index()];
            let own = own.to_scale_rotation_translation().1;
            pose.rotations[joint.index()] = (own.inverse() * to * own).normalize();
        }
    }

    /// A foot keeps its sole as it was in `before`, as far as its ankle can.
    fn keep_sole(&self, before: &Pose, moved: &mut Pose, tip: JointId) {
        let sides = [SideOfBody::Left, SideOfBody::Right];
        if !sides.iter().any(|s| self.person.side(*s).foot == Some(tip)) {
            return;
        }
        let turn_in = |pose: &Pose| self.skeleton.world(pose)[tip.index()].to_scale_rotation_translation().1;
        let (was, is) = (turn_in(before), turn_in(moved));
        let at = &mut moved.rotations[tip.index()];
        *at = (*at * (is.inverse() * was)).normalize();
        let own: Vec<(JointId, JointRange)> = self.limits.iter().filter(|l| l.0 == tip).copied().collect();
        self.ranges.hold(moved, &own);
    }
}

/// The joints of a limb above one of them, all of which go along, with that one as the tip; of the first one the next.
fn limb_to(joint: JointId, limb: &[JointId]) -> Option<Chain> {
    let at = limb.iter().position(|j| *j == joint)?.max(1);
    let tip = *limb.get(at)?;
    Some(Chain { joints: limb[..at].iter().map(|j| (*j, 1.0)).collect(), tip })
}

fn place_of(world: &[Mat4], joint: JointId) -> Vec3 {
    world[joint.index()].w_axis.truncate()
}
