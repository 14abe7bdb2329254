//! Joints that pieces bring or are given.

use crate::recipe::FollowWish;
use crate::steps::{FittingState, PieceId};
use crate::{Body, MeshPart, Trial, WorkshopError};
use glam::{Quat, Vec3};
use serde::{Deserialize, Serialize};
use tin_cloak_core::bind::Falloff;
use tin_cloak_core::intake::JointRole;
use tin_cloak_core::mesh::{Alignment, Topology};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::JointId;

/// A joint of a piece's own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OwnJoint {
    /// Its name; no other joint has it.
    pub name: String,
    /// The joint it hangs from.
    pub parent: String,
    /// The piece it belongs to.
    pub piece: PieceId,
    /// Where it is at rest, metres.
    pub place: Vec3,
    /// The end of its bone at rest.
    pub tip: Vec3,
    /// What it turns about: unit.
    pub axis: Vec3,
    /// Least and most degrees about the axis.
    pub range: [f32; 2],
    /// Cloth of its piece follows it as far from its bone as this, millimetres; 0 for none.
    pub reach_mm: f32,
}

impl OwnJoint {
    /// Refused when a name, a number or the parent makes no sense on `skeleton`.
    pub(crate) fn checked(&self, skeleton: &Skeleton) -> Result<(), WorkshopError> {
        let name = self.name.trim();
        if name.is_empty() || name.len() > 60 || name.contains(',') || name != self.name {
            return Err(WorkshopError::BadName { most: 60 });
        }
        if skeleton.find(&self.parent).is_none() {
            return Err(WorkshopError::NoSuchJoint { joint: self.parent.clone() });
        }
        let [least, most] = self.range;
        let turns = least <= most && least >= -180.0 && most <= 180.0;
        let places = self.place.is_finite() && self.tip.is_finite() && self.axis.is_normalized();
        let near = self.place.abs().max_element() < 100.0 && self.tip.abs().max_element() < 100.0;
        if !(turns && places && near && (0.0..=2000.0).contains(&self.reach_mm)) {
            return Err(WorkshopError::BadOwnJoint);
        }
        Ok(())
    }

    /// What it takes of cloth, when it does.
    pub(crate) fn falloff(&self, skeleton: &Skeleton) -> Option<Falloff> {
        let joint = skeleton.find(&self.name).filter(|_| self.reach_mm > 0.0)?;
        Some(Falloff { joint, from: self.place, to: self.tip, reach: self.reach_mm * 0.001 })
    }
}

/// What a piece's file says of joints of its own.
pub(crate) struct Brought {
    pub joints: Vec<OwnJoint>,
    /// Parts that one of them moves as a whole.
    pub follows: Vec<(Option<u32>, FollowWish)>,
}

/// Joints of a piece's file that the body has not, that hang from one of the body's, and that move
/// some of the piece. They turn 30° either way about the axis to the side until it is said
/// otherwise.
pub(crate) fn brought(
    part: &MeshPart,
    skeleton: Option<&Skeleton>,
    body: &Skeleton,
    piece: PieceId,
) -> Brought {
    let mut found = Brought { joints: Vec::new(), follows: Vec::new() };
    let (Some(own), Some(skin)) = (skeleton, &part.skin) else { return found };
    let moves = |j: usize| !skin.column(JointId(j as u16)).iter().all(|w| *w <= 0.0);
    let is_new = |j: usize| body.find(&own.names[j]).is_none();
    let place = |j: usize| own.inverse_bind[j].inverse().w_axis.truncate();
    let children = own.children();
    let mut taken = vec![false; own.len()];
    for j in (0..own.len()).filter(|&j| is_new(j) && moves(j)) {
        // The nearest joint above that is known: of the body, or one taken before.
        let up = |k: &usize| own.parents[*k].map(JointId::index);
        let known = std::iter::successors(up(&j), up).find(|&k| taken[k] || !is_new(k));
        let Some(parent) = known else { continue };
        taken[j] = true;
        let below = children[j].first().map(|c| place(c.index()));
        let tip = below.unwrap_or(place(j) - Vec3::Y * 0.1);
        found.joints.push(OwnJoint {
            name: own.names[j].clone(),
            parent: own.names[parent].clone(),
            piece,
            place: place(j),
            tip,
            axis: Vec3::X,
            range: [-30.0, 30.0],
            reach_mm: 0.0,
        });
    }
    let topology = Topology::of(&part.mesh);
    let welded = skin.gather(&topology.weld);
    let rest = topology.weld.gather(&part.mesh.positions);
    for joint in &mut found.joints {
        let Some(j) = own.find(&joint.name) else { continue };
        let weights = welded.column(j);
        let mut whole = vec![true; topology.shells];
        weights.iter().zip(&topology.shell_of_vertex).for_each(|(w, s)| whole[*s as usize] &= *w > 0.99);
        let shells = (0..topology.shells as u32).filter(|s| whole[*s as usize]);
        found.follows.extend(shells.map(|s| (Some(s), FollowWish::Joint(joint.name.clone()))));
        // Of cloth it moves in part: as far as it moves half of a vertex.
        let line = Falloff { joint: j, from: joint.place, to: joint.tip, reach: 0.0 };
        let half = (0..rest.len())
            .filter(|&v| weights[v] >= 0.5 && !whole[topology.shell_of_vertex[v] as usize])
            .map(|v| line.distance(rest[v]))
            .fold(0.0, f32::max);
        joint.reach_mm = half / 0.75 * 1000.0;
    }
    found
}

/// The body with the joints of its pieces behind its own.
pub(crate) fn with_own_joints(mut body: Body, joints: &[OwnJoint]) -> Result<Body, WorkshopError> {
    for joint in joints {
        let missing = || WorkshopError::NoSuchJoint { joint: joint.parent.clone() };
        let parent = body.skeleton.find(&joint.parent).ok_or_else(missing)?;
        body.skeleton = body.skeleton.with_joint(&joint.name, parent, joint.place);
        body.set_roles.push((joint.name.clone(), JointRole::Deforms));
    }
    Ok(body)
}

/// Where a point goes with vertices that move: as the similarity (turn, size and shift) that takes
/// the nearest of them closest to where they go.
pub(crate) fn carried_along(point: Vec3, before: &[Vec3], after: &[Vec3]) -> Vec3 {
    const NEAREST: usize = 24;
    let mut near: Vec<u32> = (0..before.len() as u32).collect();
    let far = |v: &u32| before[*v as usize].distance_squared(point);
    if near.len() > NEAREST {
        near.select_nth_unstable_by(NEAREST, |a, b| far(a).total_cmp(&far(b)).then(a.cmp(b)));
        near.truncate(NEAREST);
        near.sort_unstable();
    }
    let pick = |list: &[Vec3]| -> Vec<Vec3> { near.iter().map(|&v| list[v as usize]).collect() };
    let (from, to) = (pick(before), pick(after));
    if from == to {
        return point;
    }
    Alignment::between(&from, &to).matrix().transform_point3(point)
}

/// All joints of pieces turned to one end of their ranges, and to the other.
pub(crate) fn own_joint_trials(body: &Body, state: &FittingState) -> Vec<Trial> {
    if state.joints.is_empty() {
        return Vec::new();
    }
    let skeleton = &body.skeleton;
    let turned = |end: usize, name: &str| {
        let mut pose = Pose::rest(skeleton.len());
        for joint in &state.joints {
            let Some(j) = skeleton.find(&joint.name) else { continue };
            pose.rotations[j.index()] = turn_about(skeleton, j, joint.axis, joint.range[end]);
        }
        Trial { name: name.to_owned(), group: "range".to_owned(), time: 0.0, pose, held: Vec::new() }
    };
    vec![turned(0, "own joints back"), turned(1, "own joints out")]
}

/// A turn about an axis of model space, in the joint's own rest frame.
fn turn_about(skeleton: &Skeleton, joint: JointId, axis: Vec3, degrees: f32) -> Quat {
    let own = skeleton.world(&Pose::rest(skeleton.len()))[joint.index()].to_scale_rotation_translation().1;
    (own.inverse() * Quat::from_axis_angle(axis, degrees.to_radians()) * own).normalize()
}
