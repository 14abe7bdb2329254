//! Fading from one joint to another along a line.

use super::{changed, weight_of, ByHand, Outcome};
use crate::bind::clean::Bound;
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
    fn at(self, t: f32) -> f32 {
        match self {
            Self::Linear => t,
            Self::Smooth => t * t * (3.0 - 2.0 * t),
        }
    }
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
    /// True to measure along the surface, false along the straight line between the ends; so between parts that
    /// are not connected.
    pub along_surface: bool,
    /// How it begins and ends.
    pub profile: Profile,
}

/// Shares what both joints of a fade have at each chosen vertex by how far it is from one end to the other; what
/// lies before the first end is all of the first, what lies beyond the second all of the second. What other
/// joints have stays theirs.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::{fade, Fade, Profile}, clean::Bound};
/// use tin_cloak_core::{mesh::Topology, shapes::tube, skin::Skin, JointId};
///
/// let (positions, triangles) = tube(0.05, (0.0, 0.4), 8, 8, 1.0);
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let skin = Skin::uniform(positions.len(), &[(JointId(0), 1.0)], 2)?;
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     Bound { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let (from, to, profile) = (JointId(0), JointId(1), Profile::Linear);
/// let told = fade(bound, Fade { from, to, ends: [0, 64], along_surface: false, profile }, &shares)?;
/// for (p, w) in positions.iter().zip(told.skin.column(JointId(1))) {
///     assert!((w - p.y / 0.4).abs() < 1e-5);
/// }
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn fade(bound: Bound, fade: Fade, shares: &[f32]) -> Result<ByHand, SkinError> {
    let along = progress(&bound, fade);
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
fn progress(bound: &Bound, fade: Fade) -> Vec<f32> {
    let [a, b] = fade.ends;
    let from = |end: u32| distances_over_surface(bound.positions, bound.topology, &[end]);
    let first = if fade.along_surface { from(a) } else { Vec::new() };
    // Between two parts there is no way along the surface: the straight line counts.
    if let Some(whole) = first.get(b as usize).copied().filter(|way| way.is_finite()) {
        let (second, whole) = (from(b), whole.max(f32::MIN_POSITIVE));
        // Of the two ways to measure it the mean: the same from either end.
        let at = |v: usize| ((first[v] - second[v]) / whole * 0.5 + 0.5).clamp(0.0, 1.0);
        return (0..first.len()).map(|v| if first[v].is_finite() { at(v) } else { 0.0 }).collect();
    }
    let (p, q): (Vec3, Vec3) = (bound.positions[a as usize], bound.positions[b as usize]);
    let way = q - p;
    let whole = way.length_squared().max(f32::MIN_POSITIVE);
    bound.positions.iter().map(|x| ((*x - p).dot(way) / whole).clamp(0.0, 1.0)).collect()
}
