//! A crease: what lies on one side of a line follows one joint, what lies beyond it the next.

use super::{changed, weight_of, ByHand, Outcome};
use crate::bind::clean::BoundMesh;
use crate::skin::SkinError;
use crate::JointId;
use glam::Vec3;

/// Which side of a crease keeps its shape up to the line and folds over the other.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FoldsOver {
    /// Neither: what changes over lies half on either side.
    #[default]
    Neither,
    /// The side of the first joint: what changes over lies beyond the line.
    Near,
    /// The side of the second: it lies before the line.
    Far,
}

/// A crease across a bend.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Crease {
    /// The joint of the near side.
    pub near: JointId,
    /// The joint of the far side.
    pub far: JointId,
    /// A point of the plane that the line lies in, metres.
    pub point: Vec3,
    /// Unit normal of that plane, towards the far side.
    pub towards_far: Vec3,
    /// Over so much the one changes into the other, metres.
    pub width: f32,
    /// On which side that is.
    pub over: FoldsOver,
}

impl Crease {
    /// Through a line on a surface from `a` to `b`, whose mean outward normal there is `up`: across the limb below
    /// it. Which side is far the weights say: where the far joint's centre lies. None of a line without length.
    pub fn plane(a: Vec3, b: Vec3, up: Vec3, towards: Vec3) -> Option<(Vec3, Vec3)> {
        let normal = (b - a).cross(up).try_normalize()?;
        Some(((a + b) * 0.5, normal * normal.dot(towards).signum()))
    }
}

/// The joints of a crease, and how wide it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Fold {
    pub near: JointId,
    pub far: JointId,
    pub width: f32,
    pub over: FoldsOver,
}

impl Fold {
    /// The far joint's share so far beyond the line, metres.
    fn share(&self, beyond: f32) -> f32 {
        let begins = match self.over {
            FoldsOver::Neither => -0.5,
            FoldsOver::Near => 0.0,
            FoldsOver::Far => -1.0,
        };
        (beyond / self.width.max(1e-6) - begins).clamp(0.0, 1.0)
    }

    /// How much of it there is so far from the line: twice the width away it ends, over as much again.
    fn ends(&self, beyond: f32) -> f32 {
        (4.0 - beyond.abs() / self.width.max(1e-6)).clamp(0.0, 2.0) * 0.5
    }

    /// How far it reaches on either side, metres.
    pub fn reach(&self) -> f32 {
        self.width * 4.0
    }

    /// Shares what both joints have by how far `beyond` its line each vertex lies, metres.
    pub fn made(
        &self,
        bound: BoundMesh,
        beyond: impl Fn(usize) -> f32 + Sync,
        shares: &[f32],
    ) -> Result<ByHand, SkinError> {
        let Fold { near, far, .. } = *self;
        let shares: Vec<f32> = shares.iter().enumerate().map(|(v, s)| s * self.ends(beyond(v))).collect();
        changed(bound, &shares, |v, row| {
            let pool = weight_of(row, near) + weight_of(row, far);
            if pool <= 0.0 || near == far {
                return Outcome::Same;
            }
            if bound.locked[near.index()] || bound.locked[far.index()] {
                return Outcome::Nowhere;
            }
            let t = self.share(beyond(v));
            let others = row.iter().copied().filter(|e| e.0 != near && e.0 != far);
            Outcome::Row(others.chain([(near, pool * (1.0 - t)), (far, pool * t)]).collect())
        })
    }
}

/// Shares what both joints of a crease have at each chosen vertex by the side of the line it lies on: all is the near
/// joint's before it and the far one's beyond it, and over the width the one changes into the other. Twice the width
/// from the line it ends, over as much again. What other joints have stays theirs.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::{crease, Crease, FoldsOver}, clean::BoundMesh};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology, shapes::tube, skin::Skin, JointId};
///
/// // A sleeve that follows both joints alike; a crease of 20 mm across its middle, the upper arm over the lower.
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 40, 1.0);
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let skin = Skin::uniform(positions.len(), &[(JointId(0), 0.5), (JointId(1), 0.5)], 2)?;
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let across = Crease {
///     near: JointId(0), far: JointId(1), point: Vec3::Y * 0.2, towards_far: Vec3::Y, width: 0.02,
///     over: FoldsOver::Near,
/// };
/// let far = crease(bound, across, &shares)?.skin.column(JointId(1));
/// for (p, w) in positions.iter().zip(far).filter(|(p, _)| (p.y - 0.2).abs() < 0.04) {
///     assert!((w - ((p.y - 0.2) / 0.02).clamp(0.0, 1.0)).abs() < 1e-4, "{} {w}", p.y);
/// }
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn crease(bound: BoundMesh, crease: Crease, shares: &[f32]) -> Result<ByHand, SkinError> {
    let Crease { near, far, point, towards_far, width, over } = crease;
    let beyond = |v: usize| (bound.positions[v] - point).dot(towards_far);
    Fold { near, far, width, over }.made(bound, beyond, shares)
}
