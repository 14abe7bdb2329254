//! Joints swung through their ranges, and poses at random within them.

use super::aim::PoseBuilder;
use super::hand::Hand;
use super::humanoid::Humanoid;
use super::motion_range::{JointRange, MotionRanges};
use super::names::SideOfBody;
use super::range::NamedPose;
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::Quat;
use serde::{Deserialize, Serialize};

/// About which of its axes a joint is swung.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum SwingAxis {
    /// Bent and stretched.
    Forward,
    /// Away from the middle and towards it.
    Sideways,
    /// About its own length.
    Turn,
}

impl SwingAxis {
    /// All, in the order of a joint's range.
    pub const ALL: [Self; 3] = [Self::Forward, Self::Sideways, Self::Turn];

    /// In names of groups.
    pub fn word(self) -> &'static str {
        match self {
            Self::Forward => "forward",
            Self::Sideways => "sideways",
            Self::Turn => "turn",
        }
    }

    /// The part of a range that it is about.
    pub fn angles_in(self, range: JointRange) -> [f32; 2] {
        match self {
            Self::Forward => range.forward,
            Self::Sideways => range.sideways,
            Self::Turn => range.turn,
        }
    }
}

/// How a joint is swung.
#[derive(Clone, Copy, Debug)]
pub struct Swing {
    /// The joint.
    pub joint: JointId,
    /// One that swings with it, of the other side.
    pub partner: Option<JointId>,
    /// About which axis.
    pub axis: SwingAxis,
    /// From where to where, degrees from the anatomical neutral.
    pub degrees: [f32; 2],
    /// In so many poses.
    pub steps: usize,
    /// What goes along by nature: the shoulder blade a degree for two of the arm from where it rests
    /// (Inman, Saunders & Abbott, “Observations on the function of the shoulder joint”, 1944; from memory),
    /// the joints of spine and neck alike, all fingers of a hand by the same share of their ranges.
    pub coupled: bool,
}

/// A joint that is no known part of a person is swung so far either way, degrees (common practice, no
/// source).
pub const UNKNOWN: [f32; 2] = [-45.0, 45.0];

/// The poses of a swing, named by the angle.
///
/// ```
/// use tin_cloak_core::shapes::Arm;
/// use tin_cloak_core::trial::{swing_poses, Swing, SwingAxis};
/// use tin_cloak_core::JointId;
///
/// let (joint, axis) = (JointId(1), SwingAxis::Turn);
/// let swing = Swing { joint, partner: None, axis, degrees: [-30.0, 30.0], steps: 3, coupled: true };
/// let poses = swing_poses(&Arm::new().skeleton, swing);
/// assert_eq!(poses.iter().map(|p| p.name.as_str()).collect::<Vec<_>>(), ["−30°", "0°", "30°"]);
/// ```
pub fn swing_poses(skeleton: &Skeleton, swing: Swing) -> Vec<NamedPose> {
    let (person, ranges) = (Humanoid::find(skeleton), MotionRanges::new(skeleton));
    let rest = skeleton.world(&Pose::rest(skeleton.len()));
    let [least, most] = swing.degrees;
    let apart = (most - least) / (swing.steps.max(2) - 1) as f32;
    let one = |step: usize| {
        let angle = least + apart * step as f32;
        let mut builder = PoseBuilder::new(skeleton, &person, &rest);
        for joint in std::iter::once(swing.joint).chain(swing.partner) {
            for (joint, angle) in along_with(&builder, &ranges, joint, swing.axis, angle, swing.coupled) {
                put(&mut builder, &ranges, joint, swing.axis, angle, swing.coupled);
            }
        }
        let name = format!("{:.*}°", if apart < 1.0 { 2 } else { 0 }, angle).replace('-', "−");
        let name =
            if ["−0°", "−0.00°", "0.00°"].contains(&name.as_str()) { "0°".to_owned() } else { name };
        NamedPose { name, time: 0.0, pose: builder.pose }
    };
    (0..swing.steps).map(one).collect()
}

/// The joints that share a swing, and by how much each: the whole column of the spine or the neck, all
/// fingers of the hand, else the joint alone.
fn along_with(
    builder: &PoseBuilder,
    ranges: &MotionRanges,
    joint: JointId,
    axis: SwingAxis,
    angle: f32,
    coupled: bool,
) -> Vec<(JointId, f32)> {
    if !coupled {
        return vec![(joint, angle)];
    }
    let person = builder.person;
    let neck: Vec<JointId> = person.neck.iter().copied().chain(person.head).collect();
    if let Some(column) = [&person.spine, &neck].into_iter().find(|c| c.contains(&joint)) {
        return column.iter().map(|&j| (j, angle)).collect();
    }
    let sides = [SideOfBody::Left, SideOfBody::Right].into_iter();
    let mut hands = sides.filter_map(|side| Hand::new(builder.skeleton, person, builder.rest, side));
    match hands.find(|hand| axis != SwingAxis::Turn && hand.joints().any(|j| j == joint)) {
        Some(hand) => closing(&hand, ranges, joint, axis, angle),
        None => vec![(joint, angle)],
    }
}

/// All fingers of a hand by the same share of their ranges as `joint`; spread, only at their roots.
fn closing(
    hand: &Hand,
    ranges: &MotionRanges,
    joint: JointId,
    axis: SwingAxis,
    angle: f32,
) -> Vec<(JointId, f32)> {
    let end = |j: JointId| ranges.default_of(j).map(|r| axis.angles_in(r)[usize::from(angle > 0.0)]);
    let share = end(joint).filter(|end| end.abs() > 1.0).map_or(0.0, |end| angle / end);
    let roots = hand.fingers.iter().map(|f| f[0]);
    let moved: Vec<JointId> = match axis {
        SwingAxis::Sideways => roots.chain(hand.thumb.first().copied()).collect(),
        _ => hand.joints().collect(),
    };
    let others = moved.into_iter().filter(|j| *j != joint).filter_map(|j| Some((j, end(j)? * share)));
    std::iter::once((joint, angle)).chain(others).collect()
}

fn put(
    builder: &mut PoseBuilder,
    ranges: &MotionRanges,
    joint: JointId,
    axis: SwingAxis,
    angle: f32,
    coupled: bool,
) {
    let at = SwingAxis::ALL.map(|a| if a == axis { angle } else { 0.0 });
    let Some(turn) = ranges.turn_at(joint, at) else {
        return match axis {
            SwingAxis::Forward => builder.bend(joint, angle),
            SwingAxis::Sideways => builder.lean(joint, angle),
            SwingAxis::Turn => builder.twist(joint, angle),
        };
    };
    let blade = blade_turn(builder, ranges, joint, at).filter(|_| coupled);
    if let Some((shoulder, blade)) = blade {
        builder.turn(shoulder, blade);
        return builder.turn(joint, blade.inverse() * turn);
    }
    builder.turn(joint, turn);
}

/// Of an arm raised above where it rests: its shoulder, and the turn of that.
fn blade_turn(
    builder: &PoseBuilder,
    ranges: &MotionRanges,
    joint: JointId,
    at: [f32; 3],
) -> Option<(JointId, Quat)> {
    let person = builder.person;
    let sides = [(&person.left, 1.0), (&person.right, -1.0)];
    let (limbs, sign) = sides.into_iter().find(|(l, _)| l.upper_arm == Some(joint))?;
    let shoulder = limbs.shoulder?;
    let raised = |[forward, sideways, _]: [f32; 3]| forward.hypot(sideways);
    let rest = raised(ranges.angles(joint, &Pose::rest(builder.pose.rotations.len()))?);
    let share = (raised(at) - rest).max(0.0) / 3.0;
    Some((shoulder, Quat::from_axis_angle(person.forward, (share * sign).to_radians())))
}

/// So many poses with every joint of `limits` somewhere in its range, the same for a seed.
///
/// ```
/// use tin_cloak_core::{shapes::Arm, trial::random_poses};
///
/// let skeleton = Arm::new().skeleton;
/// assert_eq!(random_poses(&skeleton, &[], 4, 7), random_poses(&skeleton, &[], 4, 7));
/// ```
pub fn random_poses(
    skeleton: &Skeleton,
    limits: &[(JointId, JointRange)],
    poses: usize,
    seed: u64,
) -> Vec<NamedPose> {
    let ranges = MotionRanges::new(skeleton);
    let (person, rest) = (Humanoid::find(skeleton), skeleton.world(&Pose::rest(skeleton.len())));
    let one = |number: usize| {
        let mut state = seed.wrapping_add((number as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15));
        let mut builder = PoseBuilder::new(skeleton, &person, &rest);
        for &(joint, range) in limits {
            let at = SwingAxis::ALL.map(|axis| {
                let [least, most] = axis.angles_in(range);
                least + (most - least) * share(&mut state)
            });
            if let Some(turn) = ranges.turn_at(joint, at) {
                builder.turn(joint, turn);
            }
        }
        let mut pose = builder.pose;
        ranges.hold(&mut pose, limits);
        NamedPose { name: format!("random {}", number + 1), time: 0.0, pose }
    };
    (0..poses).map(one).collect()
}

/// The next of a row of numbers from 0 to 1 (Steele, Lea & Flood, “Fast splittable pseudorandom number
/// generators”, 2014).
pub(super) fn share(state: &mut u64) -> f32 {
    *state = state.wrapping_add(0x9E37_79B9_7F4A_7C15);
    let mut z = *state;
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    ((z ^ (z >> 31)) >> 40) as f32 / (1u64 << 24) as f32
}
