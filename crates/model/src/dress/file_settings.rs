//! What a person has said of the poses a dress is tried in, as a state has it and as a file carries it.

use crate::state::choice::Patch;
use crate::state::fitting::{FittingState, KeptPose};
use crate::state::motion::RangeState;
use crate::state::names::{PieceId, LONGEST_NAME};
use crate::state::trial_plan::TrialPlan;
use glam::{Quat, Vec3};
use std::collections::{HashMap, HashSet};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::trial::JointRange;
use tin_cloak_formats::{Mark, MarkedPose};

/// So many poses of a file are tried at most: each costs a column of the board.
pub const MOST_POSES: usize = 500;
/// What a person has said of the poses a dress is tried in.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FileSettings {
    /// Ranges of motion of the body.
    pub ranges: Vec<RangeState>,
    /// Poses set by hand.
    pub poses: Vec<KeptPose>,
    /// What is tried besides, and how it counts.
    pub plan: TrialPlan,
    /// What is kept of pieces under names.
    pub patches: Vec<(PieceId, Vec<Patch>)>,
}

impl FileSettings {
    pub fn of_state(state: &FittingState) -> Self {
        let with_patches = state.pieces.iter().filter(|p| !p.patches.is_empty());
        Self {
            ranges: state.ranges.clone(),
            poses: state.poses.clone(),
            plan: state.plan.clone(),
            patches: with_patches.map(|p| (p.id, p.patches.clone())).collect(),
        }
    }

    /// As the mark of a body says, on `skeleton`. What makes no sense there is left out.
    pub fn of_mark(mark: Option<&Mark>, skeleton: &Skeleton) -> Self {
        let Some(mark) = mark else { return Self::default() };
        // From the last to the first, so that of joints of one name the first is meant, as in `Skeleton::find`.
        let joints: HashMap<&str, usize> =
            skeleton.names.iter().enumerate().rev().map(|(j, name)| (name.as_str(), j)).collect();
        let mut names = HashSet::new();
        let sound = |p: &&MarkedPose| (1..=LONGEST_NAME).contains(&p.name.chars().count());
        let poses = mark.poses.iter().filter(sound).filter(|p| names.insert(&p.name)).take(MOST_POSES);
        let poses = poses.map(|p| unmarked(p, &joints, Pose::rest(skeleton.len()))).collect();
        let plan = mark.plan.as_ref().and_then(|plan| serde_json::from_value(plan.clone()).ok());
        let plan = plan.filter(|plan: &TrialPlan| plan.checked().is_ok()).unwrap_or_default();
        Self { ranges: ranges_of(Some(mark), skeleton), poses, plan, patches: Vec::new() }
    }

    /// Written into the mark of a body.
    pub fn mark(&self, mark: &mut Mark, skeleton: &Skeleton) {
        mark.ranges = marked_ranges(&self.ranges);
        mark.poses = self.poses.iter().map(|p| marked(p, skeleton)).collect();
        let says = self.plan != TrialPlan::default();
        mark.plan = says.then(|| serde_json::to_value(&self.plan).ok()).flatten();
    }
}

/// Of a piece: what it leaves of the ranges.
pub fn marked_ranges(list: &[RangeState]) -> Vec<(String, JointRange)> {
    list.iter().map(|r| (r.joint.clone(), r.range)).collect()
}

/// The ranges of a mark, of joints that are there.
pub fn ranges_of(mark: Option<&Mark>, skeleton: &Skeleton) -> Vec<RangeState> {
    let known = |(joint, range): &(String, JointRange)| {
        let sound = range.makes_sense() && skeleton.find(joint).is_some();
        sound.then(|| RangeState { joint: joint.clone(), range: *range })
    };
    mark.iter().flat_map(|m| &m.ranges).filter_map(known).collect()
}

fn marked(kept: &KeptPose, skeleton: &Skeleton) -> MarkedPose {
    let all = skeleton.names.iter().zip(kept.pose.rotations.iter().zip(&kept.pose.translations));
    let moved = all.filter(|(_, (turn, way))| **turn != Quat::IDENTITY || **way != Vec3::ZERO);
    let joints = moved.map(|(name, (turn, way))| (name.clone(), turn.to_array(), way.to_array()));
    let sizes = skeleton.names.iter().zip(&kept.pose.scales).filter(|(_, size)| **size != Vec3::ONE);
    let sizes = sizes.map(|(name, size)| (name.clone(), size.to_array())).collect();
    MarkedPose { name: kept.name.clone(), joints: joints.collect(), sizes }
}

fn unmarked(marked: &MarkedPose, joints: &HashMap<&str, usize>, mut pose: Pose) -> KeptPose {
    for (name, turn, way) in &marked.joints {
        let (turn, way) = (Quat::from_array(*turn), Vec3::from(*way));
        let sound = turn.is_finite() && turn.length() > 1e-6 && way.is_finite() && way.length() < 1e3;
        if let Some(&joint) = joints.get(name.as_str()).filter(|_| sound) {
            (pose.rotations[joint], pose.translations[joint]) = (turn.normalize(), way);
        }
    }
    for (name, size) in &marked.sizes {
        let size = Vec3::from(*size);
        let sound = size.is_finite() && size.abs().max_element() < 1e3;
        if let Some(&joint) = joints.get(name.as_str()).filter(|_| sound) {
            let all = pose.rotations.len();
            pose.set_scale(joint, all, size);
        }
    }
    KeptPose { name: marked.name.clone(), pose }
}
