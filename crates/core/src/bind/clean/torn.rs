//! Torn vertices: those whose weights disagree with all round them.

use super::{BoundMesh, Row};
use crate::bind::{fill, BindError, BindTarget, Match};
use crate::skin::Skin;
use rayon::prelude::*;

/// So often what lies beside torn vertices is looked at again, with these filled in.
const ROUNDS: usize = 12;
/// One vertex of so many at most is torn in this way: more of them are meant, as a hard seam is.
const MOST: usize = 40;
/// Nothing that disagrees with its neighbours by less is torn, however smooth the rest is.
const LEAST: f32 = 0.2;
/// How many times the usual spread beyond the median is no accident.
const SPREADS: f32 = 12.0;

/// Chosen vertices (ascending) whose weights are further from the mean of their neighbours' than
/// twelve times the median absolute deviation beyond the median of the piece (Hampel, “The
/// influence curve and its role in robust estimation”, 1974), and further than any neighbour's
/// own: one bad vertex makes those round it look bad too, but less. Of a cluster all are found: those inside agree
/// with each other, until those at its edge are filled in from outside.
///
/// ```
/// use tin_cloak_core::bind::clean::{torn_vertices, BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// // One vertex of the lower arm follows the shoulder.
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let mut rows = vec![None; positions.len()];
/// rows[320] = Some(vec![(JointId(0), 1.0)]);
/// let skin = skin.replaced(rows, 2)?;
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// assert_eq!(torn_vertices(bound), [320]);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn torn_vertices(bound: BoundMesh) -> Vec<u32> {
    let all = disagreements(&bound);
    let middle = median(all.clone());
    let spread = median(all.iter().map(|d| (d - middle).abs()).collect());
    let bar = (middle + SPREADS * spread).max(LEAST);
    let mut torn = peaks(&bound, &all, bar);
    // Of several that lie together the worst hide the others: what disagrees once those are filled in is torn, too.
    for _ in 0..ROUNDS {
        let Some(skin) = (!torn.is_empty()).then(|| mend_torn(bound, &torn).ok()).flatten() else { break };
        let mended = BoundMesh { skin: &skin, ..bound };
        let is_torn = |v: &u32| torn.binary_search(v).is_ok();
        let beside = |v: &u32| bound.topology.neighbours.row(*v as usize).iter().any(is_torn);
        let more = peaks(&mended, &disagreements(&mended), bar);
        let more: Vec<u32> = more.into_iter().filter(|v| !is_torn(v) && beside(v)).collect();
        if more.is_empty() || (torn.len() + more.len()) * MOST > all.len() {
            break;
        }
        torn.extend(more);
        torn.sort_unstable();
    }
    torn
}

fn disagreements(bound: &BoundMesh) -> Vec<f32> {
    (0..bound.positions.len()).into_par_iter().with_min_len(256).map(|v| disagreement(bound, v)).collect()
}

/// Chosen vertices that are off by more than the bar, and by no less than those about them.
fn peaks(bound: &BoundMesh, off: &[f32], bar: f32) -> Vec<u32> {
    let peak = |v: usize| bound.topology.neighbours.row(v).iter().all(|&n| off[n as usize] <= off[v]);
    let is_one = |v: &usize| bound.chosen[*v] && off[*v] > bar && peak(*v);
    (0..off.len()).filter(is_one).map(|v| v as u32).collect()
}

/// Half the sum of the differences to the neighbours' mean: 0 alike, 1 nothing in common.
fn disagreement(bound: &BoundMesh, v: usize) -> f32 {
    let neighbours = bound.topology.neighbours.row(v);
    if neighbours.is_empty() {
        return 0.0;
    }
    let share = 1.0 / neighbours.len() as f32;
    let mut mean: Row =
        neighbours.iter().flat_map(|&n| bound.skin.row(n as usize)).map(|(j, w)| (j, w * share)).collect();
    crate::skin::merge(&mut mean);
    super::weight_elsewhere(&mean, &bound.row(v))
}

fn median(mut values: Vec<f32>) -> f32 {
    if values.is_empty() {
        return 0.0;
    }
    let middle = values.len() / 2;
    *values.select_nth_unstable_by(middle, f32::total_cmp).1
}

/// Fills the weights of the `torn` vertices in from all round them, as binding fills in what did
/// not match (see [`fill`]).
///
/// ```
/// use tin_cloak_core::bind::clean::{mend_torn, BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let mut rows = vec![None; positions.len()];
/// rows[320] = Some(vec![(JointId(0), 1.0)]);
/// let skin = skin.replaced(rows, 2)?;
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// assert!(mend_torn(bound, &[320])?.column(JointId(1))[320] > 0.99);
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// As [`fill`].
pub fn mend_torn(bound: BoundMesh, torn: &[u32]) -> Result<Skin, BindError> {
    if torn.is_empty() {
        return Ok(bound.skin.clone());
    }
    let target = BindTarget::new(bound.positions, bound.topology);
    let accepted: Vec<bool> =
        (0..bound.positions.len() as u32).map(|v| torn.binary_search(&v).is_err()).collect();
    let rows = (0..bound.positions.len()).map(|v| bound.row(v)).collect();
    let filled = fill(&target, Match { accepted, rows }, bound.joints(), bound.most)?.skin;
    let row = |v: usize, _: Row| torn.binary_search(&(v as u32)).is_ok().then(|| filled.row(v).collect());
    Ok(bound.changed(row)?)
}
