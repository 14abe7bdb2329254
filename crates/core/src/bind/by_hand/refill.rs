//! What is chosen filled in from round about.

use super::{towards, ByHand};
use crate::bind::clean::BoundMesh;
use crate::bind::{fill, BindError, BindTarget, Match};

/// Forgets the weights of the chosen vertices and fills them in from those round about, as a transfer fills in what it
/// did not match (see [`fill`]). A part that is chosen whole has nothing to be filled from, and keeps its own.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::refill, clean::BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::tube, skin::Skin, JointId};
///
/// // A tube that goes over from one joint to the other, torn in its middle.
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let chosen: Vec<bool> = positions.iter().map(|p| (p.y - 0.2).abs() < 0.06).collect();
/// let upper = |(p, torn): (&glam::Vec3, &bool)| if *torn { 0.0 } else { p.y / 0.4 };
/// let row = |w: f32| vec![(JointId(0), 1.0 - w), (JointId(1), w)];
/// let rows: Vec<_> = positions.iter().zip(&chosen).map(upper).map(row).collect();
/// let (skin, shares) = (Skin::from_rows(&rows, 2)?, vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let told = refill(bound, &shares)?;
/// for (p, w) in positions.iter().zip(told.skin.column(JointId(1))) {
///     assert!((w - p.y / 0.4).abs() < 0.02);
/// }
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the system cannot be factored.
pub fn refill(bound: BoundMesh, shares: &[f32]) -> Result<ByHand, BindError> {
    let known = Match {
        accepted: bound.chosen.iter().map(|chosen| !chosen).collect(),
        rows: (0..bound.positions.len()).map(|v| bound.row(v)).collect(),
    };
    let target = BindTarget::new(bound.positions, bound.topology);
    let filled = fill(&target, known, bound.locked.len(), bound.most)?;
    Ok(towards(bound, |v| Some(filled.skin.row(v).collect()), shares)?)
}
