//! Mirroring weights from one side of a piece to the other.

use super::{BoundMesh, Row};
use crate::query::Bvh;
use crate::skin::{Skin, SkinError};
use crate::JointId;
use glam::Vec3;
use rayon::prelude::*;

/// Across which plane, and how.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MirrorPlane {
    /// The plane x = this, metres.
    pub x: f32,
    /// True when the side towards +X (the character's left) is the one to copy from.
    pub from_left: bool,
    /// Width on either side of the plane over which both sides are mixed, metres.
    pub blend: f32,
}

/// What came of it.
#[derive(Clone, Debug, PartialEq)]
pub struct Mirrored {
    /// The weights.
    pub skin: Skin,
    /// Chosen vertices whose mirror image lies on nothing: they keep their weights.
    pub unmatched: Vec<u32>,
}

/// A mirror image further than this from the piece lies on nothing, metres.
pub const NO_IMAGE: f32 = 0.01;

/// The mirror image of a point across the plane of this x.
pub fn mirror_image(p: Vec3, x: f32) -> Vec3 {
    Vec3::new(2.0 * x - p.x, p.y, p.z)
}

/// Gives the chosen vertices of one side the weights of the other: of the surface point at their
/// mirror image at rest, whichever vertices are there, with joints exchanged for their `partners`
/// (one a joint; a joint without one is its own). Within `blend` of the plane both sides are mixed,
/// half and half on it, so that no crease appears down the middle.
///
/// ```
/// use tin_cloak_core::bind::clean::{mirror, BoundMesh, MirrorPlane};
/// use tin_cloak_core::{mesh::Topology, shapes::sphere, skin::Skin, JointId};
///
/// // Joint 0 is the left one, joint 1 its partner; all of the ball follows joint 0.
/// let (positions, triangles) = sphere(0.1, 16);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let skin = Skin::uniform(positions.len(), &[(JointId(0), 1.0)], 2)?;
/// let chosen = vec![true; positions.len()];
/// let (locked, topology) = ([false, false], &topology);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// let plane = MirrorPlane { x: 0.0, from_left: true, blend: 0.001 };
/// let mirrored = mirror(bound, plane, &[Some(JointId(1)), Some(JointId(0))])?.skin;
/// for (p, right) in positions.iter().zip(mirrored.column(JointId(1))) {
///     assert!(p.x.abs() < 0.002 || right == f32::from(p.x < 0.0));
/// }
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn mirror(
    bound: BoundMesh,
    plane: MirrorPlane,
    partners: &[Option<JointId>],
) -> Result<Mirrored, SkinError> {
    let tree = Bvh::build(bound.positions, &bound.topology.triangles);
    let partner = |j: JointId| partners[j.index()].unwrap_or(j);
    let image = |v: usize| -> Option<Row> {
        let hit = tree.closest(mirror_image(bound.positions[v], plane.x), NO_IMAGE)?;
        let corners = bound.topology.triangles[hit.triangle as usize];
        Some(bound.skin.at(corners, hit.barycentric).into_iter().map(|(j, w)| (partner(j), w)).collect())
    };
    let side = |v: usize| (bound.positions[v].x - plane.x) * if plane.from_left { -1.0 } else { 1.0 };
    // How much of the image a vertex takes: none deep in the side copied from, all across.
    let share = |v: usize| {
        let width = plane.blend.max(1e-6);
        (0.5 + 0.5 * side(v) / width).clamp(0.0, 1.0)
    };
    let wanted: Vec<bool> = (0..bound.positions.len()).map(|v| bound.chosen[v] && share(v) > 0.0).collect();
    let images: Vec<Option<Row>> = (0..bound.positions.len())
        .into_par_iter()
        .with_min_len(128)
        .map(|v| if wanted[v] { image(v) } else { None })
        .collect();
    let mixed = |v: usize, row: Row| {
        let (other, part) = (images[v].as_ref()?, share(v));
        let own = row.into_iter().map(|(j, w)| (j, w * (1.0 - part)));
        Some(own.chain(other.iter().map(|&(j, w)| (j, w * part))).collect())
    };
    let skin = bound.changed(mixed)?;
    let lost = |v: &u32| wanted[*v as usize] && images[*v as usize].is_none();
    Ok(Mirrored { skin, unmatched: (0..wanted.len() as u32).filter(lost).collect() })
}
