//! Pieces that hang in a cage: they have its weights, spread through what they are tied to.

use crate::binding::sources::SourceMesh;
use glam::Mat4;
use tin_cloak_core::bind::cage::{outside_cage, weights_in_cage};
use tin_cloak_core::bind::clean::{self, difference, limit_by_motion};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::query::Bvh;
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_core::units::to_mm;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::bound::Bound;

/// A vertex no further outside than this is inside, metres.
const SLACK: f32 = 0.0005;

/// The weights of a piece in a bound cage, and in words how far its vertices are off the cage in the `poses` (skin
/// matrices) for having no more than `most` joints.
///
/// # Errors
/// When the cage has no weights to give.
pub fn bind_in_cage(
    piece: &Piece,
    cage: &SourceMesh,
    poses: &[Vec<Mat4>],
    most: usize,
    joints: usize,
) -> Result<(Bound, String), WorkshopError> {
    let fail = |source: SkinError| WorkshopError::Bind { piece: piece.name.clone(), source: source.into() };
    let around = Topology::of_welded(cage.positions.len(), &cage.triangles);
    let rows = weights_in_cage(&piece.rest, &cage.positions, &around, &cage.skin);
    let all = Skin::from_rows(&rows, joints).map_err(fail)?;
    let (chosen, locked) = (vec![true; piece.rest.len()], vec![false; joints]);
    let (positions, topology) = (&piece.rest[..], &*piece.topology);
    let as_cage =
        clean::BoundMesh { positions, topology, skin: &all, chosen: &chosen, locked: &locked, most };
    let skin = limit_by_motion(as_cage, poses, most).map_err(fail)?;
    let off = difference(&piece.rest, &all, &skin, poses);
    let note = format!(
        "{}: off the cage by {:.1} mm at most, in the trial poses, for having {most} joints a vertex",
        piece.name,
        to_mm(off.furthest)
    );
    Ok((Bound::by("cage", skin), note))
}

/// How many vertices of a piece lie outside a cage, and how far the furthest does, millimetres. An
/// open cage has no outside.
pub fn outside_of(piece: &Piece, cage: &Piece) -> (usize, f32) {
    if cage.topology.closed_shells().contains(&false) {
        return (0, 0.0);
    }
    let triangles = &cage.topology.triangles;
    let out = outside_cage(&piece.rest, &cage.rest, triangles, SLACK);
    let tree = Bvh::build(&cage.rest, triangles);
    let far =
        |v: &u32| tree.closest(piece.rest[*v as usize], f32::INFINITY).map_or(0.0, |h| h.distance_squared);
    (out.len(), to_mm(out.iter().map(far).fold(0.0, f32::max).sqrt()))
}
