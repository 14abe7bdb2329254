//! Poses of an arm, a leg and the trunk at once: what a motion does, and no built-in pose.

use super::motion_range::{JointRange, MotionRanges};
use super::range::{range_poses, NamedPose};
use super::swing::share;
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::Quat;

/// Built-in poses by what they move.
const ARMS: [&str; 11] = [
    "arms hanging",
    "arms out",
    "arms forward",
    "arms up",
    "arms across",
    "arms back",
    "left arm up",
    "right arm up",
    "elbows bent",
    "hands to face",
    "shrug",
];
const LEGS: [&str; 7] = [
    "left hip forward",
    "right hip forward",
    "legs apart",
    "left leg back",
    "right knee bent",
    "squat",
    "step",
];
const TRUNK: [&str; 8] =
    ["bow", "lean back", "lean left", "lean right", "twist left", "twist right", "look back", "look up"];
/// Each goes at least so far, as a share of its way.
const LEAST: f32 = 0.3;

/// So many poses, each of one built-in pose of the arms, one of the legs and one of the trunk, 0.3 to 1 of the way
/// there each; the same for a seed. Joints of `limits` are held in their ranges. Where a body has none of a group the
/// others are taken.
///
/// ```
/// use tin_cloak_core::{shapes::Arm, trial::combined_poses};
///
/// // Two joints are no person: nothing can be combined.
/// assert!(combined_poses(&Arm::new().skeleton, &[], 4, 1).is_empty());
/// ```
pub fn combined_poses(
    skeleton: &Skeleton,
    limits: &[(JointId, JointRange)],
    poses: usize,
    seed: u64,
) -> Vec<NamedPose> {
    let ranges = MotionRanges::new(skeleton);
    let range = range_poses(skeleton).poses;
    let of = |names: &[&str]| -> Vec<&NamedPose> {
        range.iter().filter(|p| names.contains(&p.name.as_str())).collect()
    };
    let groups = [of(&ARMS), of(&LEGS), of(&TRUNK)];
    if groups.iter().all(Vec::is_empty) {
        return Vec::new();
    }
    let one = |number: usize| {
        let mut state =
            seed.wrapping_mul(0x9E37_79B9).wrapping_add((number as u64).wrapping_mul(0x0123_4567_89AB));
        let mut pose = Pose::rest(skeleton.len());
        let mut names = Vec::new();
        for group in groups.iter().filter(|g| !g.is_empty()) {
            let which = ((share(&mut state) * group.len() as f32) as usize).min(group.len() - 1);
            let part = group[which].pose.on_the_way(LEAST + (1.0 - LEAST) * share(&mut state));
            // What an earlier one turns is turned on.
            let all = pose.rotations.iter_mut().zip(&part.rotations);
            all.for_each(|(q, more)| {
                *q = if *more == Quat::IDENTITY { *q } else { (*more * *q).normalize() }
            });
            pose.translations.iter_mut().zip(&part.translations).for_each(|(t, more)| *t += *more);
            names.push(group[which].name.as_str());
        }
        ranges.hold(&mut pose, limits);
        NamedPose { name: format!("{} {}", number + 1, names.join(", ")), time: 0.0, pose }
    };
    (0..poses).map(one).collect()
}
