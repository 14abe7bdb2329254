//! Taking weight off joints that shall not have it.

use super::{mend_torn, BoundMesh, Row};
use crate::bind::BindError;
use crate::skin::Skin;
use crate::JointId;
use serde::{Deserialize, Serialize};

/// Where the weight goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum WeightGoes {
    /// To the joints that move the vertex already, in proportion; to the parent where there are
    /// none.
    #[default]
    ToOthers,
    /// To the parent joint.
    ToParent,
    /// Filled in from the surface round about.
    ToSurface,
}

/// Takes all weight of `gone` (one a joint) off the chosen vertices; `parents` are the skeleton's.
///
/// ```
/// use tin_cloak_core::bind::clean::{remove_joints, BoundMesh, WeightGoes};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// let Arm { skeleton, surface: (positions, triangles), skin } = Arm::new();
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// let skin = remove_joints(bound, &[false, true], &skeleton.parents, WeightGoes::ToParent)?;
/// assert!(skin.column(JointId(0)).iter().all(|w| *w == 1.0));
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When weights cannot be filled in.
pub fn remove_joints(
    bound: BoundMesh,
    gone: &[bool],
    parents: &[Option<JointId>],
    goes: WeightGoes,
) -> Result<Skin, BindError> {
    let is_gone = |joint: JointId| gone[joint.index()] && !bound.locked[joint.index()];
    let above = |joint: JointId| {
        let up = |j: &JointId| parents[j.index()];
        std::iter::successors(Some(joint), up).find(|j| !is_gone(*j)).unwrap_or(joint)
    };
    if goes == WeightGoes::ToSurface {
        let held = |v: &u32| bound.chosen[*v as usize] && bound.skin.row(*v as usize).any(|e| is_gone(e.0));
        let touched: Vec<u32> = (0..bound.positions.len() as u32).filter(held).collect();
        let filled = mend_torn(bound, &touched)?;
        // A part that nothing else moves had nothing to be filled from.
        let rest = BoundMesh { skin: &filled, ..bound };
        return remove_joints(rest, gone, parents, WeightGoes::ToOthers);
    }
    let moved = |_: usize, row: Row| {
        if !row.iter().any(|e| is_gone(e.0)) {
            return None;
        }
        let others: Row = row.iter().copied().filter(|e| !is_gone(e.0)).collect();
        if goes == WeightGoes::ToOthers && !others.is_empty() {
            return Some(others);
        }
        Some(row.into_iter().map(|(j, w)| (above(j), w)).collect())
    };
    Ok(BoundMesh { most: usize::MAX, ..bound }.changed(moved)?)
}
