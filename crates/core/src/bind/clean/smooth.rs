//! Smoothing weights over the surface.

use super::{BoundMesh, Row};
use crate::skin::{Skin, SkinError};
use crate::JointId;

/// More joints than this are not carried from round to round.
const CARRIED: usize = 12;

/// Moves the weights of each chosen vertex `strength` of the way (0 to 1) to the mean of its
/// neighbours', nearer ones counting more (by one over the length of the edge: Taubin, “A signal
/// processing approach to fair surface design”, 1995, §2), `times` over; only then are
/// joints limited. Parts that are not connected never mix.
///
/// Sums are taken in an order that depends on the values alone, so that a symmetric piece comes
/// out symmetric to the bit.
///
/// ```
/// use tin_cloak_core::bind::clean::{smooth, BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// let softer = smooth(bound, 1.0, 4)?;
/// let mixed = |s: &tin_cloak_core::skin::Skin| {
///     s.column(JointId(1)).iter().filter(|w| **w > 0.0 && **w < 1.0).count()
/// };
/// assert!(mixed(&softer) > mixed(&skin), "the change is spread wider");
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn smooth(bound: BoundMesh, strength: f32, times: usize) -> Result<Skin, SkinError> {
    let strength = strength.clamp(0.0, 1.0);
    let shares = neighbour_shares(&bound);
    let mut skin = bound.skin.clone();
    for _ in 0..times {
        let round = BoundMesh { skin: &skin, most: CARRIED, ..bound };
        skin = round.changed(|v, row| towards_neighbours(&round, v, row, &shares, strength))?;
    }
    let last = BoundMesh { skin: &skin, ..bound };
    last.changed(|_, row| (row.len() > bound.most).then_some(row))
}

/// For each entry of the neighbours how much it counts; those of a vertex sum to one.
fn neighbour_shares(bound: &BoundMesh) -> Vec<f32> {
    let neighbours = &bound.topology.neighbours;
    let mut shares = Vec::with_capacity(neighbours.items.len());
    for (v, p) in bound.positions.iter().enumerate() {
        let first = shares.len();
        let near = |n: &u32| 1.0 / bound.positions[*n as usize].distance(*p).max(1e-6);
        shares.extend(neighbours.row(v).iter().map(near));
        let mut sorted = shares[first..].to_vec();
        sorted.sort_unstable_by(f32::total_cmp);
        let total: f32 = sorted.into_iter().sum();
        shares[first..].iter_mut().for_each(|s| *s /= total);
    }
    shares
}

fn towards_neighbours(bound: &BoundMesh, v: usize, row: Row, shares: &[f32], strength: f32) -> Option<Row> {
    let neighbours = bound.topology.neighbours.row(v);
    if neighbours.is_empty() {
        return None;
    }
    let first = bound.topology.neighbours.starts[v] as usize;
    // Joint and weight in one number: weights are not negative, so their bits sort as they do.
    let key = |j: JointId, w: f32| u64::from(j.0) << 32 | u64::from(w.to_bits());
    let mut parts: Vec<u64> = Vec::with_capacity(row.len() + neighbours.len() * bound.skin.stride());
    parts.extend(row.iter().map(|&(j, w)| key(j, w * (1.0 - strength))));
    for (&n, share) in neighbours.iter().zip(&shares[first..]) {
        parts.extend(bound.skin.row(n as usize).map(|(j, w)| key(j, w * (strength * share))));
    }
    parts.sort_unstable();
    let mut mixed: Row = row;
    mixed.clear();
    for part in parts {
        let (joint, weight) = (JointId((part >> 32) as u16), f32::from_bits(part as u32));
        match mixed.last_mut().filter(|e| e.0 == joint) {
            Some(entry) => entry.1 += weight,
            None => mixed.push((joint, weight)),
        }
    }
    Some(mixed)
}
