//! Ranges of motion: how far a joint turns forward, sideways and about its own length.
//!
//! A joint's turn is split into the swing of what hangs below it away from the anatomical
//! neutral direction (arms hanging, legs straight) and a twist about its own length. The swing is
//! measured as a rotation vector (Grassia, “Practical Parameterization of Rotations Using the
//! Exponential Map”, Journal of Graphics Tools 3, 1998) with a forward and a sideways part, so
//! that nothing jumps when an arm is straight out, as Euler angles do. Both parts together stay
//! within the ellipse whose half axes are the limits of their quarter (hinges: each by itself).
//!
//! Defaults are the normal ranges of an adult (American Academy of Orthopaedic Surgeons, “Joint
//! Motion: Method of Measuring and Recording”, 1965; figures from memory).

use super::{Hand, Humanoid, Limbs, SideOfBody};
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::{Mat4, Quat, Vec3};
use serde::{Deserialize, Serialize};

/// How far a joint turns, degrees from the anatomical neutral: `[least, most]` each.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct JointRange {
    /// Flexion is positive, extension negative.
    pub forward: [f32; 2],
    /// Away from the body's middle is positive (of the trunk: to the left).
    pub sideways: [f32; 2],
    /// About its own length: outward is positive (of the trunk: to the left).
    pub turn: [f32; 2],
}

/// Nothing is kept from turning by these.
pub const FREE: JointRange =
    JointRange { forward: [-180.0, 180.0], sideways: [-180.0, 180.0], turn: [-180.0, 180.0] };

impl JointRange {
    /// What both allow.
    pub fn within(self, other: Self) -> Self {
        let both = |a: [f32; 2], b: [f32; 2]| {
            let low = a[0].max(b[0]);
            [low, a[1].min(b[1]).max(low)]
        };
        Self {
            forward: both(self.forward, other.forward),
            sideways: both(self.sideways, other.sideways),
            turn: both(self.turn, other.turn),
        }
    }

    /// By how many degrees angles (forward, sideways, turn) are further than this; 0 within it.
    pub fn beyond(self, [forward, sideways, turn]: [f32; 3]) -> f32 {
        let outside = |x: f32, [least, most]: [f32; 2]| (least - x).max(x - most);
        let parts = [(forward, self.forward), (sideways, self.sideways), (turn, self.turn)];
        parts.into_iter().map(|(x, range)| outside(x, range)).fold(0.0, f32::max)
    }

    /// True when each is a range of finite degrees up to a half turn that holds some angle.
    pub fn makes_sense(&self) -> bool {
        let sane = |r: [f32; 2]| r[0] <= r[1] && r.iter().all(|x| x.is_finite() && x.abs() <= 180.0);
        sane(self.forward) && sane(self.sideways) && sane(self.turn)
    }

    /// The smallest range that holds both this and `angles`.
    pub fn reaching(self, angles: [f32; 3]) -> Self {
        let grown = |r: [f32; 2], x: f32| [r[0].min(x), r[1].max(x)];
        Self {
            forward: grown(self.forward, angles[0]),
            sideways: grown(self.sideways, angles[1]),
            turn: grown(self.turn, angles[2]),
        }
    }
}

/// A joint's own axes in model space at rest.
#[derive(Clone, Copy, Debug)]
struct Axes {
    joint: JointId,
    /// Direction of what hangs below, at rest.
    bone: Vec3,
    /// The same in the anatomical neutral.
    neutral: Vec3,
    /// Turning about it bends forward, leans sideways, twists outward.
    forward: Vec3,
    sideways: Vec3,
    outward: f32,
    default: JointRange,
}

/// How the joints of a person turn.
#[derive(Clone, Debug)]
pub struct MotionRanges {
    axes: Vec<Axes>,
    /// World rotation of each joint at rest.
    own: Vec<Quat>,
}

const fn range(forward: [f32; 2], sideways: [f32; 2], turn: [f32; 2]) -> JointRange {
    JointRange { forward, sideways, turn }
}

const UPPER_ARM: JointRange = range([-60.0, 180.0], [-50.0, 180.0], [-70.0, 90.0]);
const LOWER_ARM: JointRange = range([0.0, 150.0], [-10.0, 10.0], [-80.0, 80.0]);
const HAND: JointRange = range([-70.0, 80.0], [-30.0, 30.0], [-10.0, 10.0]);
const UPPER_LEG: JointRange = range([-30.0, 120.0], [-30.0, 45.0], [-45.0, 45.0]);
const LOWER_LEG: JointRange = range([0.0, 135.0], [-10.0, 10.0], [-10.0, 10.0]);
const FOOT: JointRange = range([-50.0, 20.0], [-15.0, 15.0], [-15.0, 35.0]);
/// Of a long finger from its root on, and of the thumb.
const FINGER: [JointRange; 3] = [
    range([-30.0, 90.0], [-15.0, 20.0], [-5.0, 5.0]),
    range([0.0, 100.0], [-5.0, 5.0], [-5.0, 5.0]),
    range([0.0, 80.0], [-5.0, 5.0], [-5.0, 5.0]),
];
const THUMB: [JointRange; 3] = [
    range([-15.0, 30.0], [-10.0, 50.0], [-20.0, 20.0]),
    range([0.0, 50.0], [-10.0, 10.0], [-5.0, 5.0]),
    range([-10.0, 80.0], [-5.0, 5.0], [-5.0, 5.0]),
];
const SPINE: JointRange = range([-25.0, 80.0], [-35.0, 35.0], [-45.0, 45.0]);
const NECK: JointRange = range([-45.0, 45.0], [-45.0, 45.0], [-80.0, 80.0]);

fn shared(whole: JointRange, joints: usize) -> JointRange {
    let part = |r: [f32; 2]| r.map(|x| x / joints as f32);
    range(part(whole.forward), part(whole.sideways), part(whole.turn))
}

impl MotionRanges {
    /// Of the joints of `skeleton` that are known parts of a person.
    pub fn new(skeleton: &Skeleton) -> Self {
        let person = Humanoid::find(skeleton);
        let rest = skeleton.world(&Pose::rest(skeleton.len()));
        let mut axes = Vec::new();
        for side in [SideOfBody::Left, SideOfBody::Right] {
            limb_axes(&person, side, &rest, &mut axes);
            if let Some(hand) = Hand::new(skeleton, &person, &rest, side) {
                finger_axes(&person, &hand, &rest, &mut axes);
            }
        }
        let column = |joints: &[JointId], whole: JointRange, axes: &mut Vec<Axes>| {
            for &joint in joints {
                axes.extend(axes_of(
                    &person,
                    joint,
                    Along { bone: person.up, neutral: person.up },
                    Towards { bends_to: person.forward, leans_to: person.leftward(), outward: 1.0 },
                    shared(whole, joints.len()),
                ));
            }
        };
        column(&person.spine, SPINE, &mut axes);
        let neck: Vec<JointId> = person.neck.iter().copied().chain(person.head).collect();
        column(&neck, NECK, &mut axes);
        let own = rest.iter().map(|m| m.to_scale_rotation_translation().1).collect();
        let mut found = Self { axes, own };
        // A figure that rests outside a range is not to be bent into it.
        for i in 0..found.axes.len() {
            let at_rest = found.axes[i].angles(Quat::IDENTITY);
            found.axes[i].default = found.axes[i].default.reaching(at_rest);
        }
        found
    }

    /// The handbook's range of a joint; none when it is no part of a person.
    pub fn default_of(&self, joint: JointId) -> Option<JointRange> {
        self.axes.iter().find(|a| a.joint == joint).map(|a| a.default)
    }

    fn turn_of(&self, joint: JointId, pose: &Pose) -> Quat {
        let own = self.own[joint.index()];
        own * pose.rotations[joint.index()] * own.inverse()
    }

    /// Forward, sideways and turn of a joint in `pose`, degrees; none when it is no part of a
    /// person.
    pub fn angles(&self, joint: JointId, pose: &Pose) -> Option<[f32; 3]> {
        let axes = self.axes.iter().find(|a| a.joint == joint)?;
        Some(axes.angles(self.turn_of(joint, pose)))
    }

    /// The turn of a joint, in model space at rest, that takes it to these angles (forward, sideways, turn;
    /// degrees); none when it is no part of a person.
    pub fn turn_at(&self, joint: JointId, [forward, sideways, turn]: [f32; 3]) -> Option<Quat> {
        let axes = self.axes.iter().find(|a| a.joint == joint)?;
        Some(axes.joined(glam::Vec2::new(forward, sideways), turn))
    }

    /// `pose` with every joint of `limits` held within its range. Returns the joints that had to
    /// be held; a pose within all of them stays as it is to the bit.
    pub fn hold(&self, pose: &mut Pose, limits: &[(JointId, JointRange)]) -> Vec<JointId> {
        let mut held = Vec::new();
        for &(joint, limit) in limits {
            let Some(axes) = self.axes.iter().find(|a| a.joint == joint) else { continue };
            let turn = self.turn_of(joint, pose);
            let (swing, twist) = axes.split(turn);
            let (swing_held, twist_held) = (within_ellipse(swing, limit), within(twist, limit.turn));
            if (swing - swing_held).length() < 0.05 && (twist - twist_held).abs() < 0.05 {
                continue;
            }
            let own = self.own[joint.index()];
            let turn = axes.joined(swing_held, twist_held);
            pose.rotations[joint.index()] = (own.inverse() * turn * own).normalize();
            held.push(joint);
        }
        held
    }
}

fn limb_axes(person: &Humanoid, side: SideOfBody, rest: &[Mat4], axes: &mut Vec<Axes>) {
    let Limbs { upper_arm, lower_arm, hand, upper_leg, lower_leg, foot, toe, .. } = *person.side(side);
    let sign = if side == SideOfBody::Left { 1.0 } else { -1.0 };
    let out = person.leftward() * sign;
    let (ahead, down) = (person.forward, -person.up);
    let between = |a: Option<JointId>, b: Option<JointId>| {
        let at = |j: JointId| rest[j.index()].w_axis.truncate();
        (at(b?) - at(a?)).try_normalize()
    };
    let (arm, fore) = (between(upper_arm, lower_arm), between(lower_arm, hand));
    let (thigh, shin, sole) = (between(upper_leg, lower_leg), between(lower_leg, foot), between(foot, toe));
    let mut add = |joint: Option<JointId>, bone: Option<Vec3>, neutral: Option<Vec3>, bends_to, range| {
        if let (Some(joint), Some(bone), Some(neutral)) = (joint, bone, neutral) {
            let towards = Towards { bends_to, leans_to: out, outward: -sign };
            axes.extend(axes_of(person, joint, Along { bone, neutral }, towards, range));
        }
    };
    add(upper_arm, arm, Some(down), ahead, UPPER_ARM);
    add(lower_arm, fore, arm, ahead, LOWER_ARM);
    add(hand, fore, fore, ahead, HAND);
    add(upper_leg, thigh, Some(down), ahead, UPPER_LEG);
    add(lower_leg, shin, thigh, -ahead, LOWER_LEG);
    add(foot, sole, sole, person.up, FOOT);
}

/// Fingers close towards the palm and spread away from the middle one; the thumb closes across the palm.
fn finger_axes(person: &Humanoid, hand: &Hand, rest: &[Mat4], axes: &mut Vec<Axes>) {
    let at = |j: JointId| rest[j.index()].w_axis.truncate();
    let middle = hand.fingers.len() as f32 * 0.5 - 0.5;
    let one = |joints: &[JointId],
               (closes, spreads): (Vec3, Vec3),
               ranges: [JointRange; 3],
               axes: &mut Vec<Axes>| {
        let bones: Vec<Vec3> =
            joints.windows(2).map(|pair| (at(pair[1]) - at(pair[0])).normalize_or(closes)).collect();
        for (i, &joint) in joints.iter().enumerate() {
            // The last bone's end is no joint: it goes on as the one before.
            let bone = bones[i.min(bones.len() - 1)];
            let neutral = bones[i.clamp(1, bones.len()) - 1];
            let towards = Towards { bends_to: closes, leans_to: spreads, outward: 1.0 };
            axes.extend(axes_of(person, joint, Along { bone, neutral }, towards, ranges[i.min(2)]));
        }
    };
    for (i, finger) in hand.fingers.iter().enumerate() {
        let outward = if i as f32 > middle { -hand.across } else { hand.across };
        one(finger, (hand.palm, outward), FINGER, axes);
    }
    if hand.thumb.len() > 1 {
        one(&hand.thumb, (hand.palm - hand.across, hand.across), THUMB, axes);
    }
}

/// Where a bone lies: at rest, and in the anatomical neutral.
#[derive(Clone, Copy)]
struct Along {
    bone: Vec3,
    neutral: Vec3,
}

/// Where a bone bends to and leans to, and which way it twists outward (1 or -1).
#[derive(Clone, Copy)]
struct Towards {
    bends_to: Vec3,
    leans_to: Vec3,
    outward: f32,
}

/// Axes of a joint whose bone lies as said; it bends towards the first of the directions and leans towards the second.
fn axes_of(
    person: &Humanoid,
    joint: JointId,
    along: Along,
    towards: Towards,
    default: JointRange,
) -> Option<Axes> {
    let (Along { bone, neutral }, Towards { bends_to, leans_to, outward }) = (along, towards);
    let square = |d: Vec3| (d - neutral * d.dot(neutral)).try_normalize();
    // A forearm that points straight ahead bends up.
    let forward = square(bends_to).filter(|_| bends_to.dot(neutral).abs() < 0.95).or(square(person.up))?;
    let forward = neutral.cross(forward);
    let sideways = neutral.cross(forward);
    let sideways = if sideways.cross(neutral).dot(leans_to) < 0.0 { -sideways } else { sideways };
    Some(Axes { joint, bone, neutral, forward, sideways, outward, default })
}

impl Axes {
    /// Swing (degrees about the forward and the sideways axis) and twist (degrees) of a turn.
    fn split(&self, turn: Quat) -> (glam::Vec2, f32) {
        let to = (turn * self.bone).normalize_or(self.bone);
        let arc = Quat::from_rotation_arc(self.neutral, to).to_scaled_axis();
        let swing = glam::Vec2::new(arc.dot(self.forward), arc.dot(self.sideways));
        let rest = Quat::from_rotation_arc(self.bone, to).inverse() * turn;
        let about = glam::Vec3::new(rest.x, rest.y, rest.z).dot(self.bone);
        let twist = wrapped(2.0 * about.atan2(rest.w).to_degrees()) * self.outward;
        (glam::Vec2::new(swing.x.to_degrees(), swing.y.to_degrees()), twist)
    }

    fn joined(&self, swing: glam::Vec2, twist: f32) -> Quat {
        let arc = self.forward * swing.x.to_radians() + self.sideways * swing.y.to_radians();
        let to = Quat::from_scaled_axis(arc) * self.neutral;
        let about = Quat::from_axis_angle(self.bone, twist.to_radians() * self.outward);
        Quat::from_rotation_arc(self.bone, to.normalize_or(self.bone)) * about
    }

    fn angles(&self, turn: Quat) -> [f32; 3] {
        let (swing, twist) = self.split(turn);
        [swing.x, swing.y, twist]
    }
}

fn wrapped(degrees: f32) -> f32 {
    (degrees + 180.0).rem_euclid(360.0) - 180.0
}

fn within(angle: f32, [least, most]: [f32; 2]) -> f32 {
    angle.clamp(least, most)
}

/// A joint with less play than this to a side, degrees, is a hinge.
const HINGE: f32 = 20.0;

/// The swing shortened until it lies in the ellipse of its quarter. A hinge (and a range that
/// does not hold the neutral) has each axis held by itself: a bent knee keeps its play sideways.
fn within_ellipse(swing: glam::Vec2, limit: JointRange) -> glam::Vec2 {
    let swing = glam::Vec2::new(within(swing.x, limit.forward), within(swing.y, limit.sideways));
    let reach = |angle: f32, [least, most]: [f32; 2]| if angle < 0.0 { -least } else { most };
    let (ahead, aside) = (reach(swing.x, limit.forward), reach(swing.y, limit.sideways));
    if ahead < HINGE || aside < HINGE {
        return swing;
    }
    let sum = (swing.x / ahead).powi(2) + (swing.y / aside).powi(2);
    if sum > 1.0 {
        swing / sum.sqrt()
    } else {
        swing
    }
}
