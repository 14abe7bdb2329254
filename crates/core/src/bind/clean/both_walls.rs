//! Both walls of a plate have weights alike.

use super::BoundMesh;
use crate::skin::{Skin, SkinError};

/// The weights `after` a change of `bound`, the two walls alike where it changed either: `partners` names for each
/// vertex the one of the measured wall that stands for it (itself on that wall). A measured vertex that changed less
/// than what it stands for takes the row of that, then each goes by the one that stands for it. Of the vertices that
/// may change (`bound.chosen`); locked joints keep their weight.
///
/// ```
/// use tin_cloak_core::bind::clean::{both_walls_alike, BoundMesh};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology, skin::Skin, JointId};
///
/// // Vertex 1 lies over vertex 0; a brush gave vertex 1 to the second joint.
/// let row = |share: f32| vec![(JointId(0), 1.0 - share), (JointId(1), share)];
/// let before = Skin::from_rows(&[row(0.0), row(0.0)], 2)?;
/// let after = Skin::from_rows(&[row(0.0), row(0.5)], 2)?;
/// let topology = Topology::of_welded(2, &[]);
/// let bound = BoundMesh {
///     positions: &[Vec3::ZERO, Vec3::Y], topology: &topology, skin: &before,
///     chosen: &[true; 2], locked: &[false; 2], most: 4,
/// };
/// let alike = both_walls_alike(bound, &after, &[0, 0])?;
/// assert_eq!(alike.column(JointId(1)), [0.5, 0.5]);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn both_walls_alike(bound: BoundMesh, after: &Skin, partners: &[u32]) -> Result<Skin, SkinError> {
    let changed: Vec<f32> = (0..partners.len()).map(|v| change(bound.skin, after, v)).collect();
    let mut leads: Vec<u32> = (0..partners.len() as u32).collect();
    for (v, &p) in (0u32..).zip(partners) {
        let lead = &mut leads[p as usize];
        if changed[v as usize] > changed[*lead as usize] {
            *lead = v;
        }
    }
    let row_of = |v: usize| {
        let lead = leads[partners[v] as usize] as usize;
        (changed[lead] > 0.0 && lead != v).then(|| after.row(lead).collect())
    };
    BoundMesh { skin: after, ..bound }.changed(|v, _| row_of(v))
}

/// How much the weights of a vertex differ.
fn change(before: &Skin, after: &Skin, v: usize) -> f32 {
    let of = |skin: &Skin, joint| skin.row(v).find(|e| e.0 == joint).map_or(0.0, |e| e.1);
    let gained: f32 = after.row(v).map(|(joint, w)| (w - of(before, joint)).abs()).sum();
    let gone = before.row(v).filter(|(joint, _)| of(after, *joint) == 0.0);
    gained + gone.map(|e| e.1).sum::<f32>()
}
