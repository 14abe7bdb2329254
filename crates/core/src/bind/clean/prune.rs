//! Dropping tiny weights.

use super::{Bound, Row};
use crate::skin::{Skin, SkinError};

/// Drops weights below `least` (0 to 1) of the chosen vertices; the others of the vertex take
/// their place in proportion. The heaviest always stays.
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn prune(bound: Bound, least: f32) -> Result<Skin, SkinError> {
    let kept = |_: usize, mut row: Row| {
        let (before, heaviest) = (row.len(), row.iter().map(|e| e.1).fold(0.0, f32::max));
        row.retain(|e| e.1 >= least || e.1 == heaviest || bound.locked[e.0.index()]);
        (row.len() < before).then_some(row)
    };
    Bound { most: usize::MAX, ..bound }.changed(kept)
}
