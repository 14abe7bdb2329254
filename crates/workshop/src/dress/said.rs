//! What a person has said of the poses a dress is tried in, as a state has it and as a file carries it.

use crate::dress::piece::Piece;
use crate::state::fitting::{FittingState, KeptPose};
use crate::state::motion::RangeState;
use glam::{Quat, Vec3};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::trial::JointRange;
use tin_cloak_formats::{Mark, MarkedPose};

/// What a person has said of the poses a dress is tried in.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Said {
    /// Ranges of motion of the body.
    pub ranges: Vec<RangeState>,
    /// Poses set by hand.
    pub poses: Vec<KeptPose>,
}

impl Said {
    pub(crate) fn of_state(state: &FittingState) -> Self {
        Self { ranges: state.ranges.clone(), poses: state.poses.clone() }
    }

    /// As the mark of a body says, on `skeleton`. What makes no sense there is left out.
    pub(crate) fn of_mark(mark: Option<&Mark>, skeleton: &Skeleton) -> Self {
        let Some(mark) = mark else { return Self::default() };
        let poses = mark.poses.iter().map(|p| unmarked(p, skeleton)).collect();
        Self { ranges: ranges_of(Some(mark), skeleton), poses }
    }

    /// Written into the mark of a body.
    pub(crate) fn mark(&self, mark: &mut Mark, skeleton: &Skeleton) {
        mark.ranges = marked_ranges(&self.ranges);
        mark.poses = self.poses.iter().map(|p| marked(p, skeleton)).collect();
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

/// What each piece leaves of the ranges, by its number.
pub(crate) fn limits_of(pieces: &[Piece]) -> Vec<(u32, &[RangeState])> {
    pieces.iter().map(|p| (p.id, p.limits.as_slice())).collect()
}

fn marked(kept: &KeptPose, skeleton: &Skeleton) -> MarkedPose {
    let all = skeleton.names.iter().zip(kept.pose.rotations.iter().zip(&kept.pose.translations));
    let moved = all.filter(|(_, (turn, way))| **turn != Quat::IDENTITY || **way != Vec3::ZERO);
    let joints = moved.map(|(name, (turn, way))| (name.clone(), turn.to_array(), way.to_array()));
    MarkedPose { name: kept.name.clone(), joints: joints.collect() }
}

fn unmarked(marked: &MarkedPose, skeleton: &Skeleton) -> KeptPose {
    let mut pose = Pose::rest(skeleton.len());
    for (name, turn, way) in &marked.joints {
        let (turn, way) = (Quat::from_array(*turn), Vec3::from(*way));
        let sound = turn.is_finite() && turn.length() > 1e-6 && way.is_finite() && way.length() < 1e3;
        if let Some(joint) = skeleton.find(name).filter(|_| sound) {
            (pose.rotations[joint.index()], pose.translations[joint.index()]) = (turn.normalize(), way);
        }
    }
    KeptPose { name: marked.name.clone(), pose }
}
