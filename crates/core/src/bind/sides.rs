//! Keeping left and right apart: trouser legs, boots and gloves that lie near each other.

use super::Match;
use crate::intake::mirror_partner;
use crate::mesh::{along_edges, distances_along_edges, Topology};
use crate::skeleton::Skeleton;
use crate::skin::{merge, Skin, SkinError};
use crate::JointId;
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// A side of the character.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum BodySide {
    Left,
    Centre,
    Right,
}

impl BodySide {
    /// Left for right; the centre is its own.
    pub fn opposite(self) -> Self {
        match self {
            Self::Left => Self::Right,
            Self::Right => Self::Left,
            Self::Centre => Self::Centre,
        }
    }
}

/// The side of each joint: of those with a partner across x = `plane` (metres, left is towards +X)
/// their own; the others belong where their parent does.
///
/// ```
/// use tin_cloak_core::bind::sides::{joint_sides, BodySide};
/// use tin_cloak_core::{glam::Vec3, shapes::Arm, JointId};
///
/// let skeleton = Arm::new().skeleton;
/// let skeleton = skeleton.with_joint("hand_left", JointId(0), Vec3::X * 0.2);
/// let skeleton = skeleton.with_joint("hand_right", JointId(0), Vec3::X * -0.2);
/// let sides = joint_sides(&skeleton, 0.0);
/// assert_eq!(sides, [BodySide::Centre, BodySide::Centre, BodySide::Left, BodySide::Right]);
/// ```
pub fn joint_sides(skeleton: &Skeleton, plane: f32) -> Vec<BodySide> {
    let places = skeleton.rest_positions();
    let mut sides = vec![BodySide::Centre; skeleton.len()];
    for j in 0..skeleton.len() {
        sides[j] = match mirror_partner(skeleton, JointId(j as u16)) {
            Some(_) if places[j].x > plane => BodySide::Left,
            Some(_) => BodySide::Right,
            None => skeleton.parents[j].map_or(BodySide::Centre, |p| sides[p.index()]),
        };
    }
    sides
}

/// A place where a person has said which side it is.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct SideMark {
    /// Welded vertex.
    pub vertex: u32,
    /// The side.
    pub side: BodySide,
    /// How far it reaches along the surface, metres.
    pub reach: f32,
}

/// How far each vertex leans to the left: 1 is left, −1 right, between them both sides are mixed
/// over `width` metres to either side of the middle.
///
/// A shell that lies on one side of the plane x = `plane` is that side's. In others the middle is
/// as far along the surface from the openings of the left as from those of the right, so that legs
/// may lie on each other; without openings on both sides it is the plane. `marks` have the last
/// word, later ones over earlier.
///
/// ```
/// use tin_cloak_core::bind::sides::leaning;
/// use tin_cloak_core::shapes::{joined, moved, sphere};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology};
///
/// // Two parts, one on each side.
/// let pad = |x: f32| moved(sphere(0.05, 8), Vec3::X * x);
/// let (positions, triangles) = joined(pad(0.2), pad(-0.2));
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let lean = leaning(&topology, &positions, 0.0, 0.02, &[]);
/// assert!(lean[0] == 1.0 && lean[lean.len() - 1] == -1.0);
/// ```
pub fn leaning(
    topology: &Topology,
    positions: &[Vec3],
    plane: f32,
    width: f32,
    marks: &[SideMark],
) -> Vec<f32> {
    let width = width.max(1e-5);
    let mut signed: Vec<f32> = positions.iter().map(|p| p.x - plane).collect();
    settle_by_openings(topology, positions, plane, &mut signed);
    settle_one_sided(topology, positions, plane, &mut signed);
    let mut lean: Vec<f32> = signed.iter().map(|s| (s / width).clamp(-1.0, 1.0)).collect();
    for mark in marks.iter().filter(|m| (m.vertex as usize) < positions.len()) {
        let value = match mark.side {
            BodySide::Left => 1.0,
            BodySide::Centre => 0.0,
            BodySide::Right => -1.0,
        };
        for (v, d) in along_edges(positions, &topology.neighbours, &[mark.vertex], mark.reach) {
            let firm = ((mark.reach - d) / width.min(mark.reach * 0.5)).clamp(0.0, 1.0);
            lean[v as usize] += (value - lean[v as usize]) * firm;
        }
    }
    lean
}

/// Shells with openings on both sides: half the difference of the ways to either. Shells of which
/// every opening lies on one side are that side's.
fn settle_by_openings(topology: &Topology, positions: &[Vec3], plane: f32, signed: &mut [f32]) {
    let mut seeds = [Vec::new(), Vec::new()];
    let mut has_middle = vec![false; topology.shells];
    for line in topology.boundary_loops() {
        let shell = topology.shell_of_vertex[line[0] as usize] as usize;
        let off = |v: &u32| positions[*v as usize].x - plane;
        let mean = line.iter().map(off).sum::<f32>() / line.len() as f32;
        let half = line.iter().map(|v| (off(v) - mean).abs()).fold(0.0, f32::max);
        if mean.abs() < half * OF_A_SIDE {
            has_middle[shell] = true;
        } else {
            seeds[usize::from(mean < 0.0)].extend(line);
        }
    }
    let [left, right] = seeds.map(|s| distances_along_edges(positions, &topology.neighbours, &s));
    for v in 0..signed.len() {
        let middle = has_middle[topology.shell_of_vertex[v] as usize];
        match (left[v].is_finite(), right[v].is_finite()) {
            (true, true) => signed[v] = (right[v] - left[v]) * 0.5,
            (true, false) if !middle => signed[v] = f32::INFINITY,
            (false, true) if !middle => signed[v] = f32::NEG_INFINITY,
            _ => {}
        }
    }
}

/// An opening whose middle is off the plane by this share of its half width is of that side.
const OF_A_SIDE: f32 = 0.2;

/// Shells of which nineteen parts in twenty lie on one side.
fn settle_one_sided(topology: &Topology, positions: &[Vec3], plane: f32, signed: &mut [f32]) {
    let mut counts = vec![[0usize; 2]; topology.shells];
    for (p, &shell) in positions.iter().zip(&topology.shell_of_vertex) {
        counts[shell as usize][usize::from(p.x < plane)] += 1;
    }
    for (s, &shell) in signed.iter_mut().zip(&topology.shell_of_vertex) {
        let [left, right] = counts[shell as usize];
        if right * 19 <= left {
            *s = f32::INFINITY;
        } else if left * 19 <= right {
            *s = f32::NEG_INFINITY;
        }
    }
}

/// What one side may take of a source: the triangles whose corners are at least half held by that
/// side's joints or the centre's, and the weights without the other side's joints.
///
/// ```
/// use tin_cloak_core::bind::sides::{one_side, BodySide};
/// use tin_cloak_core::{skin::Skin, JointId};
///
/// // Two triangles, one moved by the left joint 0, one by the right joint 1.
/// let row = |j: u16| vec![(JointId(j), 1.0)];
/// let skin = Skin::from_rows(&[row(0), row(0), row(0), row(1), row(1), row(1)], 2)?;
/// let sides = [BodySide::Left, BodySide::Right];
/// let (left, _) = one_side(&[[0, 1, 2], [3, 4, 5]], &skin, &sides, BodySide::Right)?;
/// assert_eq!(left, [[0, 1, 2]]);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn one_side(
    triangles: &[[u32; 3]],
    skin: &Skin,
    sides: &[BodySide],
    other: BodySide,
) -> Result<(Vec<[u32; 3]>, Skin), SkinError> {
    let barred = |j: JointId| sides[j.index()] == other;
    let held: Vec<bool> = (0..skin.vertices())
        .map(|v| skin.row(v).filter(|e| barred(e.0)).map(|e| e.1).sum::<f32>() < 0.5)
        .collect();
    let rows: Vec<Option<Vec<(JointId, f32)>>> = (0..skin.vertices())
        .map(|v| {
            let touched = held[v] && skin.row(v).any(|e| barred(e.0));
            touched.then(|| skin.row(v).filter(|e| !barred(e.0)).collect())
        })
        .collect();
    let kept = triangles.iter().filter(|t| t.iter().all(|&v| held[v as usize])).copied().collect();
    Ok((kept, skin.replaced(rows, sides.len())?))
}

/// Left and right matches in one, mixed as each vertex leans.
///
/// ```
/// use tin_cloak_core::bind::{sides::merge_sides, Match};
/// use tin_cloak_core::JointId;
///
/// let all = |j: u16| Match { accepted: vec![true; 3], rows: vec![vec![(JointId(j), 1.0)]; 3] };
/// let both = merge_sides(all(0), all(1), &[1.0, 0.0, -1.0]);
/// assert_eq!(both.rows[0], [(JointId(0), 1.0)]);
/// assert_eq!(both.rows[1], [(JointId(0), 0.5), (JointId(1), 0.5)]);
/// assert_eq!(both.rows[2], [(JointId(1), 1.0)]);
/// ```
pub fn merge_sides(left: Match, right: Match, lean: &[f32]) -> Match {
    let mut merged = Match { accepted: Vec::with_capacity(lean.len()), rows: Vec::with_capacity(lean.len()) };
    let rows = left.rows.into_iter().zip(right.rows);
    for (v, (l, r)) in rows.enumerate() {
        let share = 0.5 + 0.5 * lean[v];
        let of_left = l.into_iter().map(|(j, w)| (j, w * share));
        let mut row: Vec<(JointId, f32)> =
            of_left.chain(r.into_iter().map(|(j, w)| (j, w * (1.0 - share)))).collect();
        merge(&mut row);
        merged.accepted.push((share <= 0.0 || left.accepted[v]) && (share >= 1.0 || right.accepted[v]));
        merged.rows.push(row);
    }
    merged
}

/// The weights without the other side's joints: none where a vertex leans wholly to one side, all
/// that there is on the middle. A vertex that has nothing else keeps what it has.
///
/// ```
/// use tin_cloak_core::bind::sides::{keep_apart, BodySide};
/// use tin_cloak_core::{skin::Skin, JointId};
///
/// let skin = Skin::uniform(2, &[(JointId(0), 0.7), (JointId(1), 0.3)], 2)?;
/// let apart = keep_apart(&skin, &[1.0, -1.0], &[BodySide::Left, BodySide::Right])?;
/// assert_eq!(apart.column(JointId(0)), [1.0, 0.0]);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn keep_apart(skin: &Skin, lean: &[f32], sides: &[BodySide]) -> Result<Skin, SkinError> {
    let rows = (0..skin.vertices()).map(|v| {
        let left = (1.0 + lean[v]).clamp(0.0, 1.0);
        let right = (1.0 - lean[v]).clamp(0.0, 1.0);
        let part = |j: JointId| match sides[j.index()] {
            BodySide::Left => left,
            BodySide::Right => right,
            BodySide::Centre => 1.0,
        };
        let changed = skin.row(v).any(|e| part(e.0) < 1.0);
        let row: Vec<(JointId, f32)> =
            skin.row(v).map(|(j, w)| (j, w * part(j))).filter(|e| e.1 > 0.0).collect();
        (changed && !row.is_empty()).then_some(row)
    });
    skin.replaced(rows.collect(), sides.len())
}
