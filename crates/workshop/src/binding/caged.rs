//! Pieces that hang in a cage: they go with it, and have the weights that come nearest to that.

use crate::dress::piece::Piece;
use crate::error::WorkshopError;
use crate::state::bound::Bound;
use glam::Mat4;
use tin_cloak_core::bind::cage::{outside_cage, posed_cage, Caged};
use tin_cloak_core::bind::{fit_weights, BindError};
use tin_cloak_core::query::Bvh;

/// Joints of the cage that a vertex may follow, before the heaviest are chosen.
const CANDIDATES: usize = 10;

/// A vertex no further outside than this is inside, metres.
const SLACK: f32 = 0.0005;

/// The weights of a piece in a bound cage, and how far the worst vertex is from where the cage
/// takes it in the `poses` (skin matrices): mean and largest, millimetres.
///
/// # Errors
/// When the cage is not bound.
pub(crate) fn bind_in_cage(
    piece: &Piece,
    (cage, bound): (&Piece, &Bound),
    poses: &[Vec<Mat4>],
    (most, joints): (usize, usize),
) -> Result<(Bound, f32, f32), WorkshopError> {
    let caged = Caged::new(&piece.rest, &cage.rest, &cage.topology);
    let moved: Vec<_> =
        posed_cage(&cage.rest, &bound.skin, poses).iter().map(|posed| caged.follow(posed)).collect();
    let candidates = caged.joints_near(&bound.skin, CANDIDATES);
    let fail = |source: BindError| WorkshopError::Bind { piece: piece.name.clone(), source };
    let fitted = fit_weights(&piece.rest, poses, &moved, &candidates, (most, joints));
    let fitted = fitted.map_err(|e| fail(e.into()))?;
    Ok((Bound::by("cage", fitted.skin), fitted.mean * 1000.0, fitted.worst * 1000.0))
}

/// How many vertices of a piece lie outside a cage, and how far the furthest does, millimetres. An
/// open cage has no outside.
pub(crate) fn outside_of(piece: &Piece, cage: &Piece) -> (usize, f32) {
    if cage.topology.closed_shells().contains(&false) {
        return (0, 0.0);
    }
    let triangles = &cage.topology.triangles;
    let out = outside_cage(&piece.rest, &cage.rest, triangles, SLACK);
    let tree = Bvh::build(&cage.rest, triangles);
    let far =
        |v: &u32| tree.closest(piece.rest[*v as usize], f32::INFINITY).map_or(0.0, |h| h.distance_squared);
    (out.len(), out.iter().map(far).fold(0.0, f32::max).sqrt() * 1000.0)
}
