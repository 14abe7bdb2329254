//! Fading from one joint to another along a line.

use super::{changed, weight_of, ByHand, Outcome};
use crate::bind::clean::BoundMesh;
use crate::choose::edge_loop;
use crate::mesh::distances_over_surface;
use crate::skin::SkinError;
use crate::JointId;
use glam::Vec3;

/// How a fade begins and ends.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Profile {
    /// Evenly.
    #[default]
    Linear,
    /// Softly at both ends.
    Smooth,
}

impl Profile {
    pub(super) fn at(self, t: f32) -> f32 {
        match self {
            Self::Linear => t,
            Self::Smooth => t * t * (3.0 - 2.0 * t),
        }
    }
}

/// Along what a fade is measured.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Along {
    /// The surface; the straight line between parts that are not connected.
    Surface,
    /// The straight line between the ends.
    Axis,
    /// The rows of the piece, each as wide as the next: those that run across the line at its ends count them.
    Rows,
}

/// A fade from one joint to another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Fade {
    /// All is this one's at the first vertex.
    pub from: JointId,
    /// And this one's at the second.
    pub to: JointId,
    /// From which vertex to which.
    pub ends: [u32; 2],
    /// Along what it is measured.
    pub along: Along,
    /// How it begins and ends.
    pub profile: Profile,
}

/// Shares what both joints of a fade have at each chosen vertex by how far it is from one end to the other; what
/// lies before the first end is all of the first, what lies beyond the second all of the second. What other
/// joints have stays theirs.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::{fade, Along, Fade, Profile}, clean::BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::tube, skin::Skin, JointId};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let skin = Skin::uniform(positions.len(), &[(JointId(0), 1.0)], 2)?;
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let (from, to, profile) = (JointId(0), JointId(1), Profile::Linear);
/// // Rows are alike here: along them and along the axis it is the same.
/// for along in [Along::Axis, Along::Rows] {
///     let told = fade(bound, Fade { from, to, ends: [0, 64], along, profile }, &shares)?;
///     for (p, w) in positions.iter().zip(told.skin.column(JointId(1))) {
///         assert!((w - p.y / 0.4).abs() < 1e-5);
///     }
/// }
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn fade(bound: BoundMesh, fade: Fade, shares: &[f32]) -> Result<ByHand, SkinError> {
    let along = progress(&bound, fade.ends, fade.along);
    changed(bound, shares, |v, row| {
        let pool = weight_of(row, fade.from) + weight_of(row, fade.to);
        if pool <= 0.0 || fade.from == fade.to {
            return Outcome::Same;
        }
        if bound.locked[fade.from.index()] || bound.locked[fade.to.index()] {
            return Outcome::Nowhere;
        }
        let t = fade.profile.at(along[v]);
        let others = row.iter().copied().filter(|e| e.0 != fade.from && e.0 != fade.to);
        Outcome::Row(others.chain([(fade.from, pool * (1.0 - t)), (fade.to, pool * t)]).collect())
    })
}

/// How far each vertex is from one end to the other, 0 to 1.
pub(super) fn progress(bound: &BoundMesh, [a, b]: [u32; 2], along: Along) -> Vec<f32> {
    let measured = match along {
        Along::Axis => None,
        Along::Surface => {
            let from = |end: u32| distances_over_surface(bound.positions, bound.topology, &[end]);
            between(from(a), from(b), b)
        }
        Along::Rows => between(rows_from(bound, [a, b]), rows_from(bound, [b, a]), b),
    };
    let (p, q): (Vec3, Vec3) = (bound.positions[a as usize], bound.positions[b as usize]);
    let way = q - p;
    let whole = way.length_squared().max(f32::MIN_POSITIVE);
    // Between two parts there is no way along the surface: the straight line counts.
    let straight = || bound.positions.iter().map(|x| ((*x - p).dot(way) / whole).clamp(0.0, 1.0)).collect();
    measured.unwrap_or_else(straight)
}

/// Of the two ways to measure it the mean: the same from either end. None when the second end `b` is not reached.
fn between(first: Vec<f32>, second: Vec<f32>, b: u32) -> Option<Vec<f32>> {
    let whole = first.get(b as usize).copied().filter(|way| way.is_finite())?.max(f32::MIN_POSITIVE);
    let at = |(a, b): (&f32, &f32)| match a.is_finite() {
        true => ((a - b) / whole * 0.5 + 0.5).clamp(0.0, 1.0),
        false => 0.0,
    };
    Some(first.iter().zip(&second).map(at).collect())
}

/// How many rows each vertex is from the one that runs across the way to `other` at `end`.
fn rows_from(bound: &BoundMesh, [end, other]: [u32; 2]) -> Vec<f32> {
    let (positions, topology) = (bound.positions, bound.topology);
    let at = |v: u32| positions[v as usize];
    let way = (at(other) - at(end)).normalize_or_zero();
    let across = |v: &&u32| (at(**v) - at(end)).normalize_or_zero().dot(way).abs();
    let beside = topology.neighbours.row(end as usize).iter();
    let beside = beside.min_by(|a, b| across(a).total_cmp(&across(b)));
    let mut row = beside.map_or_else(|| vec![end], |&v| edge_loop(positions, topology, [end, v]));
    row.push(end);
    let mut rows = vec![f32::INFINITY; positions.len()];
    let mut count = 0.0;
    while !row.is_empty() {
        row.retain(|v| rows[*v as usize].is_infinite());
        row.iter().for_each(|v| rows[*v as usize] = count);
        row = row.iter().flat_map(|v| topology.neighbours.row(*v as usize).iter().copied()).collect();
        row.sort_unstable();
        row.dedup();
        count += 1.0;
    }
    rows
}
