//! Which turns of which joints call for shapes of cloth: where something is through in a pose, the joint whose turn
//! moves the two layers apart the most is to blame, by itself or by the shapes that it calls up, and turns of one joint
//! about like axes are one.

use crate::clearance::{Layer, Outfit, Place};
use crate::deform::Driver;
use crate::skeleton::{Pose, Skeleton};
use crate::skin::Skin;
use crate::JointId;
use glam::{Quat, Vec3};
use std::collections::BTreeMap;

/// A turn that calls for a shape, and what it is to blame for.
#[derive(Clone, Debug, PartialEq)]
pub struct BadTurn {
    /// The joint, its axis, and the turns at which the shape begins and is whole.
    pub driver: Driver,
    /// Poses by number, ascending, and the places that are through in each, ascending.
    pub blamed: Vec<(usize, Vec<Place>)>,
}

/// A joint that is turned less than this calls up nothing, radians.
const LEAST_TURN: f32 = 0.14;
/// Axes further apart than this (the cosine) are those of different turns.
const ALIKE: f32 = 0.7;
/// A shape begins at this share of the least turn at which anything is through.
const BEGINS: f32 = 0.4;
/// It comes in over half of the widest turn at least: what comes in sooner jumps, and holds in no pose between.
const LATEST: f32 = 0.5;
/// How much where a joint blends counts beside where two layers follow it unlike: cloth collapses there.
const BLENDS: f32 = 0.5;
/// What shapes part by so much counts like one radian of a turn that only one of the layers follows, metres.
const LIKE_A_RADIAN: f32 = 0.1;

/// The turns that are to blame for what is through, those for the most places first; none of those that are `spent`:
/// what these are to blame for falls to the next.
///
/// `trouble` has the places that are through in each of `poses`.
pub fn bad_turns(
    outfit: &Outfit,
    skeleton: &Skeleton,
    poses: &[Pose],
    trouble: &[Vec<Place>],
    spent: &[Driver],
) -> Vec<BadTurn> {
    let is_spent = |(joint, turn): &(JointId, Vec3)| {
        let same = |d: &Driver| d.joint == *joint && d.axis.dot(turn.normalize_or_zero()) > ALIKE;
        spent.iter().any(same)
    };
    let follows: Vec<Vec<bool>> =
        (0..skeleton.len()).map(|j| skeleton.hanging_from(JointId(j as u16))).collect();
    let mut blamed: BTreeMap<JointId, Vec<Blamed>> = BTreeMap::new();
    for (number, (pose, places)) in poses.iter().zip(trouble).enumerate() {
        let turned: Vec<(JointId, Vec3)> = turns_of(pose).into_iter().filter(|t| !is_spent(t)).collect();
        let mut by_joint: BTreeMap<JointId, Vec<Place>> = BTreeMap::new();
        for place in places {
            if let Some(joint) = to_blame(outfit, place, pose, &turned, &follows) {
                by_joint.entry(joint).or_default().push(*place);
            }
        }
        for (joint, mut places) in by_joint {
            places.sort_unstable();
            let turn = turned.iter().find(|t| t.0 == joint).map_or(Vec3::ZERO, |t| t.1);
            blamed.entry(joint).or_default().push(Blamed { turn, pose: number, places });
        }
    }
    let mut turns: Vec<BadTurn> =
        blamed.into_iter().flat_map(|(joint, list)| of_joint(joint, list)).collect();
    let places = |t: &BadTurn| t.blamed.iter().map(|b| b.1.len()).sum::<usize>();
    turns.sort_by_key(|t| (std::cmp::Reverse(places(t)), t.driver.joint));
    turns
}

/// A pose in which a joint is to blame.
struct Blamed {
    /// Axis times angle, in the joint's own frame.
    turn: Vec3,
    pose: usize,
    places: Vec<Place>,
}

/// The joints that are turned in a pose by 8° or more, each by axis times angle (radians) in its own frame at rest.
pub fn turns_of(pose: &Pose) -> Vec<(JointId, Vec3)> {
    let turn = |(j, q): (usize, &Quat)| {
        let q = if q.w < 0.0 { -*q } else { *q };
        (JointId(j as u16), q.to_scaled_axis())
    };
    pose.rotations.iter().enumerate().map(turn).filter(|t| t.1.length() > LEAST_TURN).collect()
}

/// The joint that moves the two layers of a place apart the most.
fn to_blame(
    outfit: &Outfit,
    place: &Place,
    pose: &Pose,
    turned: &[(JointId, Vec3)],
    follows: &[Vec<bool>],
) -> Option<JointId> {
    let [own, other] = outfit.lying_at(place)?;
    let share = |(layer, v): (usize, u32), joint: JointId| -> f32 {
        let skin: &Skin = &outfit.layers[layer].skin;
        skin.row(v as usize).filter(|(j, _)| follows[joint.index()][j.index()]).map(|(_, w)| w).sum()
    };
    let called = |(layer, v): (usize, u32), joint| called_up(&outfit.layers[layer], v, pose, joint);
    let score = |(joint, turn): &(JointId, Vec3)| {
        let (a, b) = (share(own, *joint), share(other, *joint));
        let by_shapes = called(own, *joint).distance(called(other, *joint)) / LIKE_A_RADIAN;
        turn.length() * ((a - b).abs() + BLENDS * 4.0 * (a * (1.0 - a)).max(b * (1.0 - b))) + by_shapes
    };
    let scored = turned.iter().map(|t| (score(t), t.0));
    let worst = scored.max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)))?;
    (worst.0 > 1e-3).then_some(worst.1)
}

/// How far the shapes that a joint's turn calls up in a pose move a vertex of a layer.
fn called_up(layer: &Layer, vertex: u32, pose: &Pose, joint: JointId) -> Vec3 {
    let of_joint = layer.morphs.iter().filter_map(|m| Some((m, m.driver.filter(|d| d.joint == joint)?)));
    let moved = of_joint.filter_map(|(morph, driver)| {
        let at = morph.vertices.binary_search(&vertex).ok()?;
        Some(morph.offsets[at] * driver.amount(pose))
    });
    moved.sum()
}

/// Turns of a joint by like axes, those of the widest first; each group has the axis of its widest.
pub(super) fn groups_of_turns<T>(mut list: Vec<T>, turn: impl Fn(&T) -> Vec3) -> Vec<(Vec3, Vec<T>)> {
    list.sort_by(|a, b| turn(b).length().total_cmp(&turn(a).length()));
    let mut groups: Vec<(Vec3, Vec<T>)> = Vec::new();
    for one in list {
        let axis = turn(&one).normalize_or_zero();
        match groups.iter_mut().find(|g| g.0.dot(axis) > ALIKE) {
            Some(group) => group.1.push(one),
            None => groups.push((axis, vec![one])),
        }
    }
    groups
}

/// Poses of a joint by like axes.
fn of_joint(joint: JointId, list: Vec<Blamed>) -> Vec<BadTurn> {
    let groups = groups_of_turns(list, |b| b.turn);
    let turn = |(axis, group): (Vec3, Vec<Blamed>)| {
        let along = |b: &Blamed| b.turn.dot(axis);
        let full = group.iter().map(along).fold(0.0, f32::max);
        let least = group.iter().map(along).fold(f32::INFINITY, f32::min);
        let from = (BEGINS * least).clamp(0.0, LATEST * full);
        let mut blamed: Vec<(usize, Vec<Place>)> = group.into_iter().map(|b| (b.pose, b.places)).collect();
        blamed.sort_by_key(|b| b.0);
        BadTurn { driver: Driver { joint, axis, from, full }, blamed }
    };
    groups.into_iter().map(turn).collect()
}
