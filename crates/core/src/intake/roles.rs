//! What each joint is for, and taking weight off joints that must carry none.

use crate::skeleton::Skeleton;
use crate::skin::{Skin, SkinError};
use crate::trial::{read_name, Helper, Humanoid, NameParts, SideOfBody};
use crate::JointId;
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// What a joint is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum JointRole {
    /// Moves skin.
    #[serde(alias = "deforms")]
    Deforms,
    /// Spreads a turn along a limb.
    #[serde(alias = "twist")]
    Twist,
    /// A handle or pole that animators pull: must carry no weight.
    #[serde(alias = "control")]
    Control,
    /// A place to hang things on.
    #[serde(alias = "attachment")]
    Attachment,
    /// Moves other joints, no skin.
    #[serde(alias = "carries")]
    Carries,
}

impl JointRole {
    /// The word people read.
    pub fn word(self) -> &'static str {
        match self {
            Self::Deforms => "deforms",
            Self::Twist => "twist",
            Self::Control => "control",
            Self::Attachment => "attachment",
            Self::Carries => "carries",
        }
    }
}

/// A joint looked over.
#[derive(Clone, Debug, PartialEq)]
pub struct JointFacts {
    /// What it is for.
    pub role: JointRole,
    /// Its side, by its name.
    pub side: Option<SideOfBody>,
    /// The same joint of the other side.
    pub partner: Option<JointId>,
    /// Vertices it moves.
    pub vertices: usize,
    /// Weight it carries in all.
    pub weight: f32,
}

/// Looks every joint over: by its name, by its place in the hierarchy, and by what it moves.
///
/// A control joint is one whose name says so, or that stands apart from the person found in the
/// skeleton: on a line of its own from the root, with no known limb above or below it, and
/// carrying less than a thousandth of the skin.
///
/// ```
/// use tin_cloak_core::intake::{joint_roles, JointRole};
/// use tin_cloak_core::{glam::Vec3, shapes::Arm, JointId};
///
/// let arm = Arm::new();
/// let skeleton = arm.skeleton.with_joint("elbow_pole_ctrl", JointId(0), Vec3::Z);
/// let roles = joint_roles(&skeleton, &arm.skin);
/// assert_eq!((roles[1].role, roles[2].role), (JointRole::Deforms, JointRole::Control));
/// ```
pub fn joint_roles(skeleton: &Skeleton, skin: &Skin) -> Vec<JointFacts> {
    let person = Humanoid::find(skeleton);
    let known = person.joints();
    let (mut vertices, mut weight) = (vec![0usize; skeleton.len()], vec![0.0f32; skeleton.len()]);
    for v in 0..skin.vertices() {
        for (joint, w) in skin.row(v) {
            vertices[joint.index()] += 1;
            weight[joint.index()] += w;
        }
    }
    let names: Vec<NameParts> = skeleton.names.iter().map(|n| read_name(n)).collect();
    let (places, depths) = (skeleton.rest_positions(), skeleton.depths());
    let on_a_limb = touches_known(skeleton, &known);
    let few = skin.vertices() as f32 * 0.001;
    (0..skeleton.len())
        .map(|j| {
            let name = &names[j];
            let role = match name.helper {
                Some(Helper::Twist) => JointRole::Twist,
                Some(Helper::Attachment) => JointRole::Attachment,
                Some(Helper::Control) => JointRole::Control,
                Some(Helper::End) if weight[j] == 0.0 => JointRole::Carries,
                _ if !on_a_limb[j]
                    && weight[j] < few
                    && !known.is_empty()
                    && skeleton.parents[j].is_some() =>
                {
                    JointRole::Control
                }
                _ if weight[j] == 0.0 => JointRole::Carries,
                _ => JointRole::Deforms,
            };
            let partner = partner(&places, &depths, &names, j);
            JointFacts { role, side: name.side, partner, vertices: vertices[j], weight: weight[j] }
        })
        .collect()
}

/// The same joint of the other side: by its place, and by its name when names tell.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, intake::mirror_partner, shapes::Arm, JointId};
///
/// let skeleton = Arm::new().skeleton;
/// let skeleton = skeleton.with_joint("hand_left", JointId(0), Vec3::X * 0.2);
/// let skeleton = skeleton.with_joint("hand_right", JointId(0), Vec3::X * -0.2);
/// assert_eq!(mirror_partner(&skeleton, JointId(2)), Some(JointId(3)));
/// ```
pub fn mirror_partner(skeleton: &Skeleton, joint: JointId) -> Option<JointId> {
    let names: Vec<NameParts> = skeleton.names.iter().map(|n| read_name(n)).collect();
    partner(&skeleton.rest_positions(), &skeleton.depths(), &names, joint.index())
}

/// True for joints that have a known joint above or below them.
fn touches_known(skeleton: &Skeleton, known: &[JointId]) -> Vec<bool> {
    let mut touches = vec![false; skeleton.len()];
    known.iter().for_each(|j| touches[j.index()] = true);
    for j in 0..skeleton.len() {
        touches[j] |= skeleton.parents[j].is_some_and(|p| touches[p.index()]);
    }
    for j in (0..skeleton.len()).rev() {
        if let Some(p) = skeleton.parents[j].filter(|_| touches[j]) {
            touches[p.index()] = true;
        }
    }
    touches
}

/// The joint of the other side whose place is the mirror image (within a hundredth of the
/// skeleton's height), of the opposite side by name when names tell.
fn partner(places: &[Vec3], depths: &[usize], names: &[NameParts], j: usize) -> Option<JointId> {
    let (low, high) = crate::mesh::bounds(places);
    let near = (high - low).max_element() * 0.01;
    let image = places[j] * Vec3::new(-1.0, 1.0, 1.0);
    if places[j].x.abs() < near * 0.5 {
        return None;
    }
    let fits = |&o: &usize| {
        let sides = names[j].side.is_none() || names[o].side != names[j].side;
        o != j && sides && places[o].distance(image) < near
    };
    let best = (0..places.len()).filter(fits).min_by(|&a, &b| {
        let apart = |o: usize| depths[o].abs_diff(depths[j]);
        let distance = |o: usize| places[o].distance(image);
        apart(a).cmp(&apart(b)).then(distance(a).total_cmp(&distance(b)))
    });
    best.map(|o| JointId(o as u16))
}

/// Weights without those of some joints, and how much there was.
#[derive(Clone, Debug)]
pub struct Moved {
    /// The new weights.
    pub skin: Skin,
    /// Vertices that carried some.
    pub vertices: Vec<u32>,
    /// Weight moved in all.
    pub weight: f32,
}

/// Takes the weight of `joints` away: to the other joints of the same vertex in proportion, or
/// where there are none, to the nearest joint in `to` (by its place at rest; `positions` in
/// metres).
///
/// ```
/// use tin_cloak_core::{intake::move_weight_off, shapes::Arm, JointId};
///
/// let arm = Arm::new();
/// let (gone, to) = ([JointId(1)], [JointId(0)]);
/// let moved = move_weight_off(&arm.skin, &gone, &to, &arm.surface.0, &arm.skeleton)?;
/// assert!(moved.skin.column(JointId(0)).iter().all(|w| *w == 1.0));
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// When a vertex has no other joint and `to` is empty.
pub fn move_weight_off(
    skin: &Skin,
    joints: &[JointId],
    to: &[JointId],
    positions: &[Vec3],
    skeleton: &Skeleton,
) -> Result<Moved, SkinError> {
    let places = skeleton.rest_positions();
    let nearest = |p: Vec3| {
        let distance = |j: &JointId| places[j.index()].distance_squared(p);
        to.iter().copied().min_by(|a, b| distance(a).total_cmp(&distance(b)))
    };
    let (mut vertices, mut weight) = (Vec::new(), 0.0);
    let rows: Vec<Vec<(JointId, f32)>> = (0..skin.vertices())
        .map(|v| {
            let lost: f32 = skin.row(v).filter(|e| joints.contains(&e.0)).map(|e| e.1).sum();
            if lost == 0.0 {
                return skin.row(v).collect();
            }
            vertices.push(v as u32);
            weight += lost;
            let kept: Vec<(JointId, f32)> = skin.row(v).filter(|e| !joints.contains(&e.0)).collect();
            if kept.is_empty() {
                return nearest(positions[v]).map(|j| (j, 1.0)).into_iter().collect();
            }
            kept
        })
        .collect();
    Ok(Moved { skin: Skin::from_rows(&rows, skeleton.len())?, vertices, weight })
}
