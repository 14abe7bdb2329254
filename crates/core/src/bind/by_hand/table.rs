//! Weights typed in, joint by joint.

use super::{changed, ByHand, Outcome};
use crate::bind::clean::{BoundMesh, Row};
use crate::skin::SkinError;
use crate::JointId;

/// Gives vertices the weights of a table: `rows` are vertices with a weight for each of `joints`, 0 to 1. What those
/// leave the joints that are not named share as before; when there is more than 1 in a row it is scaled to that.
/// Locked joints keep theirs.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::tabled, clean::BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::tube, skin::Skin, JointId};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let skin = Skin::uniform(positions.len(), &[(JointId(0), 0.5), (JointId(1), 0.5)], 3)?;
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 3], most: 4 };
/// let told = tabled(bound, &[JointId(2)], &[(5, vec![0.2])], &shares)?.skin;
/// assert_eq!(told.row(5).map(|e| e.1).collect::<Vec<_>>(), [0.4, 0.4, 0.2]);
/// assert_eq!(told.row(6).collect::<Vec<_>>(), skin.row(6).collect::<Vec<_>>());
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn tabled(
    bound: BoundMesh,
    joints: &[JointId],
    rows: &[(u32, Vec<f32>)],
    shares: &[f32],
) -> Result<ByHand, SkinError> {
    let mut of_vertex = vec![None; bound.positions.len()];
    rows.iter().for_each(|(v, weights)| of_vertex[*v as usize] = Some(weights));
    let done = changed(bound, shares, |v, row| {
        let Some(weights) = of_vertex[v] else { return Outcome::Same };
        let mut new: Row = joints.iter().copied().zip(weights.iter().copied()).collect();
        let named: f32 = new.iter().map(|e| e.1).sum();
        let others = row.iter().copied().filter(|e| !joints.contains(&e.0));
        let pool: f32 = others.clone().map(|e| e.1).sum();
        if named < 1.0 && pool > 0.0 {
            new.extend(others.map(|(j, w)| (j, w * (1.0 - named) / pool)));
        }
        new.retain(|e| e.1 > 0.0);
        let sum: f32 = new.iter().map(|e| e.1).sum();
        if sum <= f32::MIN_POSITIVE {
            return Outcome::Nowhere;
        }
        // Nobody is there to take what is left: those named share it.
        new.iter_mut().for_each(|e| e.1 /= sum);
        Outcome::Row(new)
    })?;
    // A table that was written of weights brings these very weights.
    let whole = rows.iter().filter(|(v, _)| bound.chosen[*v as usize] && shares[*v as usize] >= 1.0);
    let given = whole.map(|(v, weights)| (*v, joints.iter().copied().zip(weights.iter().copied()).collect()));
    Ok(ByHand { skin: done.skin.with_rows_as_given(given), ..done })
}
