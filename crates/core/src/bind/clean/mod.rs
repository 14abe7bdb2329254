//! Cleaning: what follows every transfer of weights. Everything works on welded vertices, leaves
//! those that are not chosen as they are to the bit, and never touches the weight of a locked
//! joint.

mod both_walls;
mod limit;
mod mirror;
mod prune;
mod remove;
mod smooth;
mod stray;
mod torn;

pub use both_walls::both_walls_alike;
pub use limit::limit_by_motion;
pub use mirror::{mirror, mirror_image, MirrorPlane, Mirrored, NO_IMAGE};
pub use prune::prune;
pub use remove::{remove_joints, WeightGoes};
pub use smooth::smooth;
pub use stray::{drop_strays, strays, Stray};
pub use torn::{mend_torn, torn_vertices};

use crate::mesh::Topology;
use crate::skin::{Skin, SkinError};
use crate::JointId;
use glam::{Mat4, Vec3};
use rayon::prelude::*;

/// The joints of a vertex with their weights.
pub type Row = Vec<(JointId, f32)>;

/// A bound piece to be cleaned.
#[derive(Clone, Copy)]
pub struct BoundMesh<'a> {
    /// Positions at rest, metres.
    pub positions: &'a [Vec3],
    /// Its topology.
    pub topology: &'a Topology,
    /// Its weights, one row a position.
    pub skin: &'a Skin,
    /// Which vertices may change; one a position.
    pub chosen: &'a [bool],
    /// Joints whose weight stays; one a joint of the skeleton.
    pub locked: &'a [bool],
    /// Most joints that a vertex with new weights shall have.
    pub most: usize,
}

impl BoundMesh<'_> {
    /// Number of joints of the skeleton.
    fn joints(&self) -> usize {
        self.locked.len()
    }

    pub(super) fn row(&self, v: usize) -> Row {
        self.skin.row(v).collect()
    }

    /// The weights with the row of every chosen vertex as `change` makes it (limited, locked weights
    /// put back); none leaves a row as it is, and so does one without weight.
    pub(super) fn changed(
        &self,
        change: impl Fn(usize, Row) -> Option<Row> + Sync,
    ) -> Result<Skin, SkinError> {
        let one = |v: usize| {
            if !self.chosen[v] {
                return None;
            }
            let old = self.row(v);
            let new = change(v, old.clone())?;
            let new = self.with_locked(&old, new);
            (new.iter().map(|e| e.1).sum::<f32>() > f32::MIN_POSITIVE).then_some(new)
        };
        let rows = (0..self.positions.len()).into_par_iter().with_min_len(128).map(one).collect();
        self.skin.replaced(rows, self.joints())
    }

    /// `new` with the locked joints' weights of `old`, the rest limited to the joints and scaled to
    /// the weight that they leave.
    fn with_locked(&self, old: &[(JointId, f32)], mut new: Row) -> Row {
        crate::skin::merge(&mut new);
        let is_locked = |e: &(JointId, f32)| self.locked[e.0.index()];
        let held: Row = old.iter().copied().filter(is_locked).collect();
        if held.is_empty() && !new.iter().any(is_locked) {
            new.truncate(self.most);
            return new;
        }
        let left = 1.0 - held.iter().map(|e| e.1).sum::<f32>();
        new.retain(|e| !is_locked(e));
        new.truncate(self.most.saturating_sub(held.len()));
        let free = new;
        let sum: f32 = free.iter().map(|e| e.1).sum();
        if sum <= f32::MIN_POSITIVE {
            // Nothing to give the rest to but what was there.
            return old.to_vec();
        }
        held.into_iter().chain(free.into_iter().map(|(j, w)| (j, w * left.max(0.0) / sum))).collect()
    }
}

/// Vertices whose weights differ, the weight that went elsewhere in all, and how far the furthest
/// vertex goes elsewhere in the `poses` (skin matrices), metres.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[allow(missing_docs)]
pub struct Difference {
    pub vertices: usize,
    pub weight: f32,
    pub furthest: f32,
    /// The pose in which it does.
    pub pose: usize,
}

/// Compares weights `before` and `after` a change of a piece at `rest`.
///
/// ```
/// use tin_cloak_core::{bind::clean::difference, shapes::Arm, skin::Skin, JointId};
///
/// // What if the whole arm followed the shoulder?
/// let arm = Arm::new();
/// let stiff = Skin::uniform(arm.surface.0.len(), &[(JointId(0), 1.0)], 2)?;
/// let told = difference(&arm.surface.0, &arm.skin, &stiff, &[arm.bent(90.0)]);
/// assert!(told.vertices > 180 && told.furthest > 0.4);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn difference(rest: &[Vec3], before: &Skin, after: &Skin, poses: &[Vec<Mat4>]) -> Difference {
    let one = |v: usize| -> Option<Difference> {
        let (a, b): (Row, Row) = (before.row(v).collect(), after.row(v).collect());
        let moved = weight_elsewhere(&a, &b);
        if moved <= 1e-4 {
            return None;
        }
        let posed = |row: &[(JointId, f32)], m: &[Mat4]| -> Vec3 {
            row.iter().map(|(j, w)| m[j.index()].transform_point3(rest[v]) * *w).sum()
        };
        let gone = poses.iter().map(|m| posed(&a, m).distance(posed(&b, m))).enumerate();
        let (pose, furthest) = gone.fold((0, 0.0), |most, at| if at.1 > most.1 { at } else { most });
        Some(Difference { vertices: 1, weight: moved, furthest, pose })
    };
    let all: Vec<Difference> = (0..rest.len()).into_par_iter().with_min_len(128).filter_map(one).collect();
    all.iter().fold(Difference::default(), |sum, d| Difference {
        vertices: sum.vertices + 1,
        weight: sum.weight + d.weight,
        furthest: sum.furthest.max(d.furthest),
        pose: if d.furthest > sum.furthest { d.pose } else { sum.pose },
    })
}

/// The weight that one row has and the other has not.
pub(crate) fn weight_elsewhere(a: &[(JointId, f32)], b: &[(JointId, f32)]) -> f32 {
    let of = |row: &[(JointId, f32)], joint: JointId| row.iter().find(|e| e.0 == joint).map_or(0.0, |e| e.1);
    a.iter().map(|&(j, w)| (w - of(b, j)).max(0.0)).sum()
}
