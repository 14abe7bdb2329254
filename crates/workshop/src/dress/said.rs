//! What a person has said of the poses a dress is tried in, as a state has it and as a file carries it.

use crate::state::fitting::{FittingState, KeptPose};
use crate::state::motion::RangeState;
use crate::state::names::LONGEST_NAME;
use crate::state::trial_plan::TrialPlan;
use glam::{Quat, Vec3};
use std::collections::{HashMap, HashSet};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::trial::JointRange;
use tin_cloak_formats::{Mark, MarkedPose};

/// So many poses of a file are tried at most: each costs a column of the board.
const MOST_POSES: usize = 500;
/// What a person has said of the poses a dress is tried in.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Said {
    /// Ranges of motion of the body.
    pub ranges: Vec<RangeState>,
    /// Poses set by hand.
    pub poses: Vec<KeptPose>,
    /// What is tried besides, and how it counts.
    pub plan: TrialPlan,
}

impl Said {
    pub(crate) fn of_state(state: &FittingState) -> Self {
        Self { ranges: state.ranges.clone(), poses: state.poses.clone(), plan: state.plan.clone() }
    }

    /// As the mark of a body says, on `skeleton`. What makes no sense there is left out.
    pub(crate) fn of_mark(mark: Option<&Mark>, skeleton: &Skeleton) -> Self {
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
        Self { ranges: ranges_of(Some(mark), skeleton), poses, plan }
    }

    /// Written into the mark of a body.
    pub(crate) fn mark(&self, mark: &mut Mark, skeleton: &Skeleton) {
        mark.ranges = marked_ranges(&self.ranges);
        mark.poses = self.poses.iter().map(|p| marked(p, skeleton)).collect();
        let says = self.plan != TrialPlan::default();
        mark.plan = says.then(|| serde_json::to_value(&self.plan).ok()).flatten();
    }
}

/// Of a piece: what it leaves of the ranges.
pub(crate) fn marked_ranges(list: &[RangeState]) -> Vec<(String, JointRange)> {
    list.iter().map(|r| (r.joint.clone(), r.range)).collect()
}

/// The ranges of a mark, of joints that are there.
pub(crate) fn ranges_of(mark: Option<&Mark>, skeleton: &Skeleton) -> Vec<RangeState> {
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
    MarkedPose { name: kept.name.clone(), joints: joints.collect() }
}

fn unmarked(marked: &MarkedPose, joints: &HashMap<&str, usize>, mut pose: Pose) -> KeptPose {
    for (name, turn, way) in &marked.joints {
        let (turn, way) = (Quat::from_array(*turn), Vec3::from(*way));
        let sound = turn.is_finite() && turn.length() > 1e-6 && way.is_finite() && way.length() < 1e3;
        if let Some(&joint) = joints.get(name.as_str()).filter(|_| sound) {
            (pose.rotations[joint], pose.translations[joint]) = (turn.normalize(), way);
        }
    }
    KeptPose { name: marked.name.clone(), pose }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tin_cloak_core::skeleton::LocalTransform;
    use tin_cloak_core::JointId;

    fn posed(name: &str, joint: &str) -> MarkedPose {
        MarkedPose { name: name.to_owned(), joints: vec![(joint.to_owned(), [0.0, 0.0, 1.0, 0.0], [0.0; 3])] }
    }

    #[test]
    fn a_files_poses_are_bounded_and_told_apart_even_where_joints_share_a_name() {
        let names = ["hip", "knee", "knee"].map(str::to_owned).to_vec();
        let parents = vec![None, Some(JointId(0)), Some(JointId(1))];
        let rest = vec![LocalTransform::IDENTITY; 3];
        let skeleton = Skeleton::at_rest(names, parents, rest).unwrap();
        let mut poses: Vec<_> = (0..2000).map(|n| posed(&format!("pose {n}"), "knee")).collect();
        poses.extend([posed("", "knee"), posed(&"x".repeat(LONGEST_NAME + 1), "knee")]);
        poses.rotate_right(2);
        poses.insert(0, posed("pose 7", "no such joint"));
        let said = Said::of_mark(Some(&Mark { poses, ..Mark::default() }), &skeleton);
        assert_eq!(said.poses.len(), MOST_POSES);
        assert_eq!((said.poses[0].name.as_str(), said.poses[1].name.as_str()), ("pose 7", "pose 0"));
        assert_eq!(said.poses.iter().filter(|p| p.name == "pose 7").count(), 1);
        assert!(said.poses.iter().all(|p| p.pose.rotations.len() == 3));
        let turned = Quat::from_xyzw(0.0, 0.0, 1.0, 0.0);
        assert_eq!(said.poses[1].pose.rotations, [Quat::IDENTITY, turned, Quat::IDENTITY]);
    }
}
