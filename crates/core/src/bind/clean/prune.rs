//! Dropping tiny weights.

use super::{BoundMesh, Row};
use crate::skin::{Skin, SkinError};

/// Drops weights below `least` (0 to 1) of the chosen vertices; the others of the vertex take
/// their place in proportion. The heaviest always stays.
///
/// ```
/// use tin_cloak_core::bind::clean::{prune, BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::sphere, skin::Skin, JointId};
///
/// let (positions, triangles) = sphere(0.1, 8);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let skin = Skin::uniform(positions.len(), &[(JointId(0), 0.97), (JointId(1), 0.03)], 2)?;
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// assert_eq!(prune(bound, 0.05)?.row(0).collect::<Vec<_>>(), [(JointId(0), 1.0)]);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn prune(bound: BoundMesh, least: f32) -> Result<Skin, SkinError> {
    let kept = |_: usize, mut row: Row| {
        let (before, heaviest) = (row.len(), row.iter().map(|e| e.1).fold(0.0, f32::max));
        row.retain(|e| e.1 >= least || e.1 == heaviest || bound.locked[e.0.index()]);
        (row.len() < before).then_some(row)
    };
    BoundMesh { most: usize::MAX, ..bound }.changed(kept)
}
