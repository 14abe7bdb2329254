//! The built-in trial poses: every joint through its real range.
//!
//! Ranges are the normal ranges of motion of an adult as handbooks give them (American Academy
//! of Orthopaedic Surgeons, “Joint Motion: Method of Measuring and Recording”, 1965; figures
//! from memory): shoulder flexion and abduction 180°, extension 60°; elbow 150°; wrist flexion
//! 80°; hip flexion 120°, extension 30°, abduction 45°; knee 135°; spine flexion 80°, extension
//! 25°, side bend 35°, rotation 45°; neck rotation 80°, flexion 45°, extension 45°; foot 50° down;
//! fingers 90°, 100° and 80° from the root on, thumb 50° and 80°; forearm 80° either way about its length, hip 45°.
//! Poses stay a little inside them.

use super::aim::PoseBuilder;
use super::hand::Hand;
use super::humanoid::{Humanoid, Limbs};
use super::motion_range::MotionRanges;
use super::names::SideOfBody;
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::Vec3;

/// A pose with the name people see.
#[derive(Clone, Debug, PartialEq)]
pub struct NamedPose {
    /// Its name.
    pub name: String,
    /// Seconds into its clip; 0 for a still pose.
    pub time: f32,
    /// The pose.
    pub pose: Pose,
}

/// The poses a skeleton can do, and the names of those it cannot, with why.
#[derive(Clone, Debug, PartialEq)]
pub struct RangePoses {
    /// The poses; the first is rest.
    pub poses: Vec<NamedPose>,
    /// Name and reason of each pose left out.
    pub skipped: Vec<(String, String)>,
}

/// A joint that is missing: the reason a pose is skipped.
type Missing = &'static str;
type Recipe = fn(&mut PoseBuilder) -> Result<(), Missing>;

const POSES: &[(&str, Recipe)] = &[
    ("arms hanging", |b| arms(b, |f| f.down + f.out * 0.12)),
    ("arms out", |b| arms(b, |f| f.out)),
    ("arms forward", |b| arms(b, |f| f.ahead + f.out * 0.1)),
    ("arms up", |b| arms(b, |f| -f.down + f.out * 0.2)),
    ("arms across", |b| {
        arms(b, |f| f.ahead - f.out * 0.35 + f.down * 0.15)?;
        elbows(b, 70.0)
    }),
    ("arms back", |b| arms(b, |f| f.down - f.ahead * 0.9 + f.out * 0.25)),
    ("left arm up", |b| arm(b, SideOfBody::Left, |f| -f.down + f.out * 0.2 + f.ahead * 0.2)),
    ("right arm up", |b| arm(b, SideOfBody::Right, |f| -f.down + f.out * 0.2 + f.ahead * 0.2)),
    ("elbows bent", |b| elbows(b, 130.0)),
    ("hands to face", |b| {
        arms(b, |f| f.ahead + f.down * 0.3 + f.out * 0.2)?;
        elbows(b, 140.0)
    }),
    ("wrists bent", |b| wrists(b, 60.0)),
    ("fists", |b| fists(b, 0.85)),
    ("shrug", |b| shrug(b, 22.0)),
    ("left hip forward", |b| hip(b, SideOfBody::Left, 95.0, 40.0)),
    ("right hip forward", |b| hip(b, SideOfBody::Right, 95.0, 40.0)),
    ("legs apart", legs_apart),
    ("left leg back", |b| hip(b, SideOfBody::Left, -25.0, 10.0)),
    ("right knee bent", |b| hip(b, SideOfBody::Right, 0.0, 120.0)),
    ("feet pointed", |b| feet(b, 40.0)),
    ("squat", |b| squat(b, 100.0, 115.0)),
    ("step", step),
    ("bow", |b| bow(b, 65.0)),
    ("lean back", |b| bow(b, -20.0)),
    ("lean left", |b| spine(b, |b, j, n| b.lean(j, -30.0 / n))),
    ("lean right", |b| spine(b, |b, j, n| b.lean(j, 30.0 / n))),
    ("twist left", |b| spine(b, |b, j, n| b.twist(j, 40.0 / n))),
    ("twist right", |b| spine(b, |b, j, n| b.twist(j, -40.0 / n))),
    ("look back", |b| head(b, |b, j, n| b.twist(j, 75.0 / n))),
    ("look up", |b| head(b, |b, j, n| b.bend(j, -40.0 / n))),
    ("forearms turned", |b| forearms_turned(b, 70.0)),
    ("thighs turned out", |b| thighs_turned(b, 40.0)),
    ("kneeling", kneeling),
    ("sitting", |b| sitting(b, 90.0)),
    ("lying back", lying_back),
    ("hand on the other shoulder", hand_on_the_other_shoulder),
];

/// The built-in poses for `skeleton`: rest first, then about two dozen through the joints'
/// ranges. A pose that needs a joint the skeleton lacks is skipped and said.
///
/// ```
/// use tin_cloak_core::{shapes::Arm, trial::range_poses};
///
/// // Two joints are no person: only rest is left, and each pose says what it lacks.
/// let range = range_poses(&Arm::new().skeleton);
/// assert_eq!(range.poses[0].name, "rest");
/// assert!(!range.skipped.is_empty());
/// ```
pub fn range_poses(skeleton: &Skeleton) -> RangePoses {
    let person = Humanoid::find(skeleton);
    let rest = skeleton.world(&Pose::rest(skeleton.len()));
    let still = |name: &str, pose| NamedPose { name: name.to_owned(), time: 0.0, pose };
    let mut poses = vec![still("rest", Pose::rest(skeleton.len()))];
    let mut skipped = Vec::new();
    for (name, recipe) in POSES {
        let mut builder = PoseBuilder::new(skeleton, &person, &rest);
        match recipe(&mut builder) {
            Ok(()) => poses.push(still(name, builder.pose)),
            Err(missing) => skipped.push(((*name).to_owned(), format!("no {missing} was found"))),
        }
    }
    RangePoses { poses, skipped }
}

/// Directions of one side, as the character sees them.
struct BodyFrame {
    out: Vec3,
    ahead: Vec3,
    down: Vec3,
}

fn frame(b: &PoseBuilder, side: SideOfBody) -> BodyFrame {
    let left = b.person.leftward();
    let out = if side == SideOfBody::Left { left } else { -left };
    BodyFrame { out, ahead: b.person.forward, down: -b.person.up }
}

const SIDES: [SideOfBody; 2] = [SideOfBody::Left, SideOfBody::Right];

fn arm(b: &mut PoseBuilder, side: SideOfBody, to: impl Fn(&BodyFrame) -> Vec3 + Copy) -> Result<(), Missing> {
    let limbs = *b.person.side(side);
    let (upper, lower) = limbs.upper_arm.zip(limbs.lower_arm).ok_or("upper and lower arm")?;
    let f = frame(b, side);
    let direction = to(&f).normalize();
    // Above the horizontal the shoulder girdle gives about a third of the way.
    let above = direction.dot(-f.down).max(0.0);
    if let Some(shoulder) = limbs.shoulder {
        raise_shoulder(b, shoulder, side, 30.0 * above);
    }
    b.aim(upper, lower, direction);
    Ok(())
}

fn raise_shoulder(b: &mut PoseBuilder, shoulder: JointId, side: SideOfBody, degrees: f32) {
    b.lean(shoulder, if side == SideOfBody::Left { degrees } else { -degrees });
}

fn arms(b: &mut PoseBuilder, to: impl Fn(&BodyFrame) -> Vec3 + Copy) -> Result<(), Missing> {
    SIDES.into_iter().try_for_each(|side| arm(b, side, to))
}

/// Bends the elbows so that the forearms swing forward (of the arms at rest).
fn elbows(b: &mut PoseBuilder, degrees: f32) -> Result<(), Missing> {
    let ahead = b.person.forward;
    SIDES.into_iter().try_for_each(|side| elbow(b, side, degrees, ahead))
}

/// Bends an elbow so that the forearm swings `towards` (of the arm at rest).
fn elbow(b: &mut PoseBuilder, side: SideOfBody, degrees: f32, towards: Vec3) -> Result<(), Missing> {
    let Limbs { lower_arm, hand, upper_arm, .. } = *b.person.side(side);
    let (lower, hand) = lower_arm.zip(hand).ok_or("lower arm and hand")?;
    let upper = upper_arm.ok_or("upper arm")?;
    let along = b.rest_direction(upper, lower);
    let square = (towards - along * towards.dot(along)).normalize_or(b.person.up);
    let angle = degrees.to_radians();
    b.aim(lower, hand, along * angle.cos() + square * angle.sin());
    Ok(())
}

/// Turns a bone about its own length: inward on both sides where `degrees` is above 0.
fn turn_about(b: &mut PoseBuilder, side: SideOfBody, bone: [JointId; 2], degrees: f32) {
    let sign = if side == SideOfBody::Left { 1.0 } else { -1.0 };
    let along = b.rest_direction(bone[0], bone[1]);
    b.turn(bone[0], glam::Quat::from_axis_angle(along, sign * degrees.to_radians()));
}

fn forearms_turned(b: &mut PoseBuilder, degrees: f32) -> Result<(), Missing> {
    for side in SIDES {
        let limbs = *b.person.side(side);
        let (lower, hand) = limbs.lower_arm.zip(limbs.hand).ok_or("lower arm and hand")?;
        turn_about(b, side, [lower, hand], degrees);
    }
    Ok(())
}

fn thighs_turned(b: &mut PoseBuilder, degrees: f32) -> Result<(), Missing> {
    for side in SIDES {
        let limbs = *b.person.side(side);
        let (upper, lower) = limbs.upper_leg.zip(limbs.lower_leg).ok_or("upper and lower leg")?;
        turn_about(b, side, [upper, lower], -degrees);
    }
    Ok(())
}

/// Turned inward in the shoulder, so that the elbow's hinge brings the hand across.
fn hand_on_the_other_shoulder(b: &mut PoseBuilder) -> Result<(), Missing> {
    let across = |f: &BodyFrame| f.ahead - f.out * 0.3 + f.down * 0.1;
    arm(b, SideOfBody::Left, across)?;
    let f = frame(b, SideOfBody::Left);
    let upper = b.person.left.upper_arm.ok_or("upper arm")?;
    b.turn(upper, glam::Quat::from_axis_angle(across(&f).normalize(), 65.0f32.to_radians()));
    elbow(b, SideOfBody::Left, 80.0, f.ahead)
}

fn wrists(b: &mut PoseBuilder, degrees: f32) -> Result<(), Missing> {
    for side in SIDES {
        let limbs = *b.person.side(side);
        let (lower, hand) = limbs.lower_arm.zip(limbs.hand).ok_or("hand")?;
        let along = b.rest_direction(lower, hand);
        let axis = along.cross(b.person.forward).normalize_or(b.person.up);
        b.turn(hand, glam::Quat::from_axis_angle(axis, degrees.to_radians()));
    }
    Ok(())
}

/// Every finger closed by a share of its range.
fn fists(b: &mut PoseBuilder, share: f32) -> Result<(), Missing> {
    let ranges = MotionRanges::new(b.skeleton);
    for side in SIDES {
        let hand = Hand::new(b.skeleton, b.person, b.rest, side).ok_or("hand with fingers")?;
        for joint in hand.joints() {
            let Some(range) = ranges.default_of(joint) else { continue };
            if let Some(turn) = ranges.turn_at(joint, [range.forward[1] * share, 0.0, 0.0]) {
                b.turn(joint, turn);
            }
        }
    }
    Ok(())
}

fn feet(b: &mut PoseBuilder, degrees: f32) -> Result<(), Missing> {
    for side in SIDES {
        let foot = b.person.side(side).foot.ok_or("foot")?;
        b.bend(foot, degrees);
    }
    Ok(())
}

fn shrug(b: &mut PoseBuilder, degrees: f32) -> Result<(), Missing> {
    for side in SIDES {
        let shoulder = b.person.side(side).shoulder.ok_or("shoulder")?;
        raise_shoulder(b, shoulder, side, degrees);
    }
    Ok(())
}

fn hip(b: &mut PoseBuilder, side: SideOfBody, flex: f32, knee: f32) -> Result<(), Missing> {
    let limbs = *b.person.side(side);
    let (upper, lower) = limbs.upper_leg.zip(limbs.lower_leg).ok_or("upper and lower leg")?;
    b.bend(upper, -flex);
    b.bend(lower, knee);
    Ok(())
}

fn legs_apart(b: &mut PoseBuilder) -> Result<(), Missing> {
    for (side, sign) in [(SideOfBody::Left, 1.0), (SideOfBody::Right, -1.0)] {
        let upper = b.person.side(side).upper_leg.ok_or("upper leg")?;
        b.lean(upper, 32.0 * sign);
    }
    Ok(())
}

fn squat(b: &mut PoseBuilder, flex: f32, knee: f32) -> Result<(), Missing> {
    for side in SIDES {
        hip(b, side, flex, knee)?;
        if let Some(foot) = b.person.side(side).foot {
            b.bend(foot, flex - knee);
        }
    }
    if let Some(hips) = b.person.hips {
        b.bend(hips, 15.0);
        lower_by(b, |thigh, shin| thigh * rise(flex - 15.0) + shin * rise(knee - flex + 15.0));
    }
    spine(b, |b, j, n| b.bend(j, 15.0 / n)).or(Ok(()))
}

/// By how much the end of a bone of length 1 that hung down is higher, turned so far.
fn rise(degrees: f32) -> f32 {
    1.0 - degrees.to_radians().cos()
}

/// Lowers the hips by what the lengths of thigh and shin say, so that the feet stay on the ground.
fn lower_by(b: &mut PoseBuilder, drop: impl Fn(f32, f32) -> f32) {
    let limbs = b.person.left;
    let legs = limbs.upper_leg.zip(limbs.lower_leg).zip(limbs.foot);
    if let (Some(hips), Some(((upper, lower), foot))) = (b.person.hips, legs) {
        let length = |x: JointId, y: JointId| b.rest[x.index()].w_axis.distance(b.rest[y.index()].w_axis);
        let drop = drop(length(upper, lower), length(lower, foot));
        let down = -b.person.up * drop;
        b.shift(hips, down);
    }
}

/// On the right knee, the left foot before it.
fn kneeling(b: &mut PoseBuilder) -> Result<(), Missing> {
    hip(b, SideOfBody::Left, 90.0, 90.0)?;
    hip(b, SideOfBody::Right, -5.0, 95.0)?;
    if let Some(foot) = b.person.right.foot {
        b.bend(foot, 35.0);
    }
    lower_by(b, |_, shin| shin);
    Ok(())
}

fn sitting(b: &mut PoseBuilder, flex: f32) -> Result<(), Missing> {
    SIDES.into_iter().try_for_each(|side| hip(b, side, flex, flex))?;
    lower_by(b, |thigh, _| thigh * rise(flex));
    Ok(())
}

/// Reclined: the trunk laid back, hips and knees half bent, the chin on the chest.
fn lying_back(b: &mut PoseBuilder) -> Result<(), Missing> {
    SIDES.into_iter().try_for_each(|side| hip(b, side, 45.0, 60.0))?;
    let hips = b.person.hips.ok_or("hips")?;
    b.bend(hips, -60.0);
    lower_by(b, |thigh, shin| thigh + shin * 0.5);
    spine(b, |b, j, n| b.bend(j, 15.0 / n)).or(Ok(()))?;
    head(b, |b, j, n| b.bend(j, 25.0 / n)).or(Ok(()))
}

fn step(b: &mut PoseBuilder) -> Result<(), Missing> {
    hip(b, SideOfBody::Left, 35.0, 20.0)?;
    hip(b, SideOfBody::Right, -15.0, 30.0)?;
    arm(b, SideOfBody::Left, |f| f.down - f.ahead * 0.45 + f.out * 0.34)?;
    arm(b, SideOfBody::Right, |f| f.down + f.ahead * 0.5 + f.out * 0.34)?;
    spine(b, |b, j, n| b.twist(j, 8.0 / n)).or(Ok(()))
}

/// Splits a move over the spine; `n` is how many joints share it.
fn spine(b: &mut PoseBuilder, each: fn(&mut PoseBuilder, JointId, f32)) -> Result<(), Missing> {
    let joints = b.person.spine.clone();
    if joints.is_empty() {
        return Err("spine");
    }
    joints.iter().for_each(|&j| each(b, j, joints.len() as f32));
    Ok(())
}

fn bow(b: &mut PoseBuilder, degrees: f32) -> Result<(), Missing> {
    let joints = b.person.spine.clone();
    if joints.is_empty() {
        return Err("spine");
    }
    // A bow comes from the hips as much as from the back.
    let from_hips = if degrees > 0.0 { degrees * 0.4 } else { 0.0 };
    let legs = b.person.left.upper_leg.zip(b.person.right.upper_leg);
    if let (Some(hips), Some((left, right))) = (b.person.hips, legs) {
        b.bend(hips, from_hips);
        b.bend(left, -from_hips);
        b.bend(right, -from_hips);
    }
    let share = (degrees - from_hips) / joints.len() as f32;
    joints.iter().for_each(|&j| b.bend(j, share));
    Ok(())
}

fn head(b: &mut PoseBuilder, each: fn(&mut PoseBuilder, JointId, f32)) -> Result<(), Missing> {
    let mut joints = b.person.neck.clone();
    joints.extend(b.person.head);
    if joints.is_empty() {
        return Err("neck or head");
    }
    joints.iter().for_each(|&j| each(b, j, joints.len() as f32));
    Ok(())
}
