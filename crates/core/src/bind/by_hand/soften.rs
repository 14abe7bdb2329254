//! Softer, harder, and towards other weights.

use super::{changed, weight_of, ByHand, Outcome};
use crate::bind::clean::{smooth, BoundMesh, Row};
use crate::skin::SkinError;
use crate::JointId;

/// Smooths some joints against all others: their weights go to the mean of the neighbours', `strength` of the way
/// and `times` over; what is left the others share as before. All joints alike when none is named.
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn smooth_joints(
    bound: BoundMesh,
    joints: &[JointId],
    strength: f32,
    times: usize,
    shares: &[f32],
) -> Result<ByHand, SkinError> {
    let soft = smooth(bound, strength, times)?;
    changed(bound, shares, |v, row| {
        let new: Row = soft.row(v).collect();
        if joints.is_empty() {
            return Outcome::Row(new);
        }
        let named = |j: JointId| joints.contains(&j) && !bound.locked[j.index()];
        let kept = |j: JointId| bound.locked[j.index()];
        let held: f32 = row.iter().filter(|e| kept(e.0)).map(|e| e.1).sum();
        let wished: f32 = new.iter().filter(|e| named(e.0)).map(|e| e.1).sum();
        let others: f32 = row.iter().filter(|e| !named(e.0) && !kept(e.0)).map(|e| e.1).sum();
        let wished_all = wished.min(1.0 - held);
        if others <= 0.0 && wished_all < 1.0 - held - 1e-6 {
            return Outcome::Nowhere;
        }
        let scale = if wished > 0.0 { wished_all / wished } else { 0.0 };
        let left = if others > 0.0 { (1.0 - held - wished_all) / others } else { 0.0 };
        let soft = new.iter().filter(|e| named(e.0)).map(|&(j, w)| (j, w * scale));
        let rest = row.iter().filter(|e| !named(e.0));
        Outcome::Row(soft.chain(rest.map(|&(j, w)| (j, if kept(j) { w } else { w * left }))).collect())
    })
}

/// Sharper fall-off: each weight to a power (2 for a strength of 1), so that the heaviest gain.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::harden, clean::BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let hard = harden(bound, 1.0, &shares)?.skin;
/// for (before, after) in skin.column(JointId(1)).iter().zip(hard.column(JointId(1))) {
///     assert!((after - 0.5).abs() >= (before - 0.5).abs() - 1e-6);
/// }
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn harden(bound: BoundMesh, strength: f32, shares: &[f32]) -> Result<ByHand, SkinError> {
    changed(bound, shares, |_, row| {
        let power = 1.0 + strength;
        let free: f32 = row.iter().filter(|e| !bound.locked[e.0.index()]).map(|e| e.1).sum();
        let sharp = |w: f32| (w / free.max(f32::MIN_POSITIVE)).powf(power);
        let sum: f32 = row.iter().filter(|e| !bound.locked[e.0.index()]).map(|e| sharp(e.1)).sum();
        if sum <= 0.0 {
            return Outcome::Same;
        }
        let one = |&(j, w): &(JointId, f32)| match bound.locked[j.index()] {
            true => (j, w),
            false => (j, sharp(w) * free / sum),
        };
        Outcome::Row(row.iter().map(one).collect())
    })
}

/// The mean of the chosen rows.
pub fn mean_of(bound: BoundMesh) -> Row {
    let mut sums = vec![0.0f64; bound.locked.len()];
    for v in (0..bound.chosen.len()).filter(|v| bound.chosen[*v]) {
        bound.skin.row(v).for_each(|(j, w)| sums[j.index()] += f64::from(w));
    }
    let all: f64 = sums.iter().sum();
    let some = sums.into_iter().enumerate().filter(|(_, w)| *w > 0.0);
    some.map(|(j, w)| (JointId(j as u16), (w / all) as f32)).collect()
}

/// Towards other weights, one row a vertex (none keeps its own): those of the layer beneath, a copied row, the mean
/// of what is chosen.
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn towards(
    bound: BoundMesh,
    wished: impl Fn(usize) -> Option<Row> + Sync,
    shares: &[f32],
) -> Result<ByHand, SkinError> {
    changed(bound, shares, |v, row| {
        let Some(new) = wished(v) else { return Outcome::Same };
        let free = |r: &[(JointId, f32)]| r.iter().any(|e| !bound.locked[e.0.index()] && e.1 > 0.0);
        if !free(&new) || !free(row) {
            return Outcome::Nowhere;
        }
        let alike = new.iter().all(|e| (weight_of(row, e.0) - e.1).abs() < 1e-6);
        if alike {
            Outcome::Same
        } else {
            Outcome::Row(new)
        }
    })
}
