//! Motions from other files on a body, and the ranges of motion that the trials keep to.

use crate::dress::body::Body;
use crate::dress::trials::{skeleton_of, Trial, TrialSet};
use crate::error::WorkshopError;
use crate::state::fitting::FittingState;
use crate::state::motion::{MotionState, RangeState};
use crate::state::names::PieceId;
use std::collections::BTreeMap;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::trial::retarget::JointMap;
use tin_cloak_core::trial::{JointRange, MotionRanges, FREE};
use tin_cloak_core::JointId;
use tin_cloak_formats::Document;

/// Joints of a motion and of the body that go together by name and place.
///
/// # Errors
/// When the file has no motion or nothing matches.
pub fn guessed_pairs(
    body: &Body,
    file: &str,
    document: &Document,
) -> Result<Vec<(String, String)>, WorkshopError> {
    let from = skeleton_of(file, document)?;
    let map = JointMap::between(from, &body.skeleton);
    let map = map.ok_or_else(|| WorkshopError::NoMatchingJoints { file: file.to_owned() })?;
    let pair = |(target, source): (usize, &Option<JointId>)| {
        Some((from.names[(*source)?.index()].clone(), body.skeleton.names[target].clone()))
    };
    Ok(map.sources().iter().enumerate().filter_map(pair).collect())
}

/// The pairs with every joint checked to be there.
///
/// # Errors
/// When one is not, or none is left.
pub fn checked_pairs(
    body: &Body,
    file: &str,
    document: &Document,
    pairs: &[(String, String)],
) -> Result<Vec<(JointId, JointId)>, WorkshopError> {
    let from = skeleton_of(file, document)?;
    let find = |skeleton: &Skeleton, name: &str| {
        let missing = || WorkshopError::NoSuchJoint { joint: name.to_owned() };
        skeleton.find(name).ok_or_else(missing)
    };
    let ids: Result<Vec<_>, WorkshopError> =
        pairs.iter().map(|(s, t)| Ok((find(from, s)?, find(&body.skeleton, t)?))).collect();
    let ids = ids?;
    if ids.is_empty() {
        return Err(WorkshopError::NoMatchingJoints { file: file.to_owned() });
    }
    Ok(ids)
}

/// What a motion's joints can be matched to.
pub struct MotionJoints {
    /// Its name.
    pub name: String,
    /// Names of its own joints.
    pub joints: Vec<String>,
    /// Own joint for each joint of the body.
    pub source_of: Vec<Option<String>>,
}

impl MotionJoints {
    pub fn new(body: &Body, motion: &MotionState, document: &Document) -> Self {
        let by_target: BTreeMap<&str, &str> =
            motion.pairs.iter().map(|(s, t)| (t.as_str(), s.as_str())).collect();
        let source = |name: &String| by_target.get(name.as_str()).map(|s| (*s).to_owned());
        Self {
            name: motion.source.mesh.clone(),
            joints: document.skeleton.as_ref().map_or_else(Vec::new, |s| s.names.clone()),
            source_of: body.skeleton.names.iter().map(source).collect(),
        }
    }
}

/// How a joint may turn in a state: the range set by hand or the handbook's, and what the pieces
/// leave of it, with their names.
pub struct RangeRow {
    /// Of the body alone.
    pub own: JointRange,
    /// True when it was set by hand.
    pub by_hand: bool,
    /// Of the body in its clothes.
    pub worn: JointRange,
    /// Pieces that narrow it.
    pub narrowed_by: Vec<u32>,
}

/// What is said of ranges: by hand, and by each piece.
#[derive(Clone, Default)]
pub struct SaidRanges<'a> {
    pub by_hand: &'a [RangeState],
    pub by_piece: Vec<(PieceId, &'a [RangeState])>,
}

impl<'a> SaidRanges<'a> {
    pub fn new(state: &'a FittingState) -> Self {
        let by_piece = state.pieces.iter().map(|p| (p.id, &*p.limits)).collect();
        Self { by_hand: &state.ranges, by_piece }
    }
}

/// The range of a joint; none when it is no known part of a person.
pub fn range_row(
    ranges: &MotionRanges,
    skeleton: &Skeleton,
    said: &SaidRanges,
    joint: JointId,
) -> Option<RangeRow> {
    let name = &skeleton.names[joint.index()];
    let of = |list: &[RangeState]| list.iter().find(|r| r.joint == *name).map(|r| r.range);
    let by_hand = of(said.by_hand);
    let own = by_hand.or(ranges.default_of(joint))?;
    let limits: Vec<_> = said.by_piece.iter().filter_map(|(id, list)| Some((*id, of(list)?))).collect();
    Some(RangeRow {
        own,
        by_hand: by_hand.is_some(),
        worn: limits.iter().fold(own, |a, (_, b)| a.within(*b)),
        narrowed_by: limits.iter().map(|l| l.0).collect(),
    })
}

/// How far every joint of a person may turn, as it is worn.
pub fn limits_of(
    ranges: &MotionRanges,
    skeleton: &Skeleton,
    said: &SaidRanges,
) -> Vec<(JointId, JointRange)> {
    let all = (0..skeleton.len()).map(|j| JointId(j as u16));
    all.filter_map(|j| Some((j, range_row(ranges, skeleton, said, j)?.worn))).collect()
}

/// Holds the built-in poses within the ranges that are said, and says which clips leave them.
pub fn keep_to_ranges(body: &Body, said: &SaidRanges, set: &mut TrialSet) {
    let skeleton = &body.skeleton;
    let ranges = MotionRanges::new(skeleton);
    let limits = limits_of(&ranges, skeleton, said);
    let mut beyond: BTreeMap<(String, JointId), f32> = BTreeMap::new();
    for trial in &mut set.trials {
        match trial.group.as_str() {
            "rest" => {}
            "range" => {
                let held = ranges.hold(&mut trial.pose, &limits);
                trial.held = held.iter().map(|j| skeleton.names[j.index()].clone()).collect();
            }
            _ => {
                for (joint, excess) in excesses(&ranges, trial, &limits) {
                    let most = beyond.entry((trial.name.clone(), joint)).or_default();
                    *most = most.max(excess);
                }
            }
        }
    }
    set.beyond = beyond
        .into_iter()
        .map(|((clip, joint), by)| (clip, skeleton.names[joint.index()].clone(), by))
        .collect();
}

/// Joints of a clip's pose beyond their range by more than a degree, and by how much.
pub(super) fn excesses(
    ranges: &MotionRanges,
    trial: &Trial,
    limits: &[(JointId, JointRange)],
) -> Vec<(JointId, f32)> {
    let one = |&(joint, limit): &(JointId, JointRange)| {
        let by = limit.beyond(ranges.angles(joint, &trial.pose)?);
        (by > 1.0).then_some((joint, by))
    };
    limits.iter().filter_map(one).collect()
}

/// The angles a joint goes through in the clips of a set; none when there are no clips.
pub fn used_by_clips(ranges: &MotionRanges, set: &TrialSet, joint: JointId) -> Option<JointRange> {
    let of_clips = set.trials.iter().filter(|t| !t.is_still);
    of_clips.filter_map(|t| ranges.angles(joint, &t.pose)).fold(None, |all, [f, s, t]| {
        let one = JointRange { forward: [f; 2], sideways: [s; 2], turn: [t; 2] };
        Some(all.map_or(one, |a: JointRange| a.reaching([f, s, t])))
    })
}

/// A range as set, checked.
///
/// # Errors
/// When it makes no sense.
pub fn checked_range(range: JointRange) -> Result<JointRange, WorkshopError> {
    let within_half_turns = range.within(FREE) == range;
    if range.makes_sense() && within_half_turns {
        Ok(range)
    } else {
        Err(WorkshopError::BadRange)
    }
}
