//! Carrying a piece from the pose it was modelled in back to the body's rest pose.

use crate::bind::{fill, match_surface, BindError, BindTarget, MatchSettings, Source};
use crate::deform::{blended_matrix, linear_blend};
use crate::mesh::Topology;
use crate::skin::Skin;
use glam::{Mat4, Vec3};
use rayon::prelude::*;

/// A blend that shrinks space to less than this is not inverted.
const FLAT: f32 = 1e-3;

/// Takes each vertex back by the inverse of its own blended matrix: the rest positions that
/// linear blend skinning brings to `posed` (metres). A vertex whose blend cannot be inverted
/// (opposite turns cancelling out) goes back by its heaviest joint alone.
///
/// ```
/// use tin_cloak_core::{deform::linear_blend, seat::carry_to_rest, shapes::Arm};
///
/// let (arm, bent) = (Arm::new(), Arm::new().bent(60.0));
/// let mut posed = arm.surface.0.clone();
/// linear_blend(&arm.surface.0, &arm.skin, &bent, &mut posed);
/// let back = carry_to_rest(&posed, &arm.skin, &bent);
/// assert!(back.iter().zip(&arm.surface.0).all(|(a, b)| a.abs_diff_eq(*b, 1e-5)));
/// ```
pub fn carry_to_rest(posed: &[Vec3], skin: &Skin, matrices: &[Mat4]) -> Vec<Vec3> {
    let back = |(v, p): (usize, &Vec3)| {
        let blend = blended_matrix(skin, v, matrices);
        let heaviest = || skin.row(v).next().map_or(Mat4::IDENTITY, |(j, _)| matrices[j.index()]);
        // Nearly flat is as good as flat: its inverse would throw the vertex far away.
        let matrix = if blend.determinant().abs() > FLAT { blend } else { heaviest() };
        matrix.inverse().transform_point3(*p)
    };
    posed.par_iter().enumerate().with_min_len(1024).map(back).collect()
}

/// Binds a piece in the pose it was modelled in and carries it back: its positions at rest, and
/// its weights.
///
/// The first weights come from the posed body; the piece is then bound again at rest, where
/// folds of the posed skin do not mislead, and carried back by the new weights, until the two
/// agree.
///
/// ```
/// use tin_cloak_core::shapes::{tube, Arm};
/// use tin_cloak_core::{deform::linear_blend, mesh::Topology, seat::rest_from_pose};
///
/// // A sleeve modelled round the bent arm comes back straight.
/// let (arm, bent) = (Arm::new(), Arm::new().bent(40.0));
/// let straight = tube(0.055, 0.0, 0.6, 16, 23, 1.0);
/// let mut modelled = straight.0.clone();
/// linear_blend(&straight.0, &arm.skin, &bent, &mut modelled);
/// let topology = Topology::of_welded(modelled.len(), &straight.1);
/// let (body, triangles) = &arm.surface;
/// let (rest, _) = rest_from_pose(body, triangles, &arm.skin, &bent, &modelled, &topology, 4)?;
/// assert!(rest.iter().zip(&straight.0).all(|(a, b)| a.distance(*b) < 0.005));
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the weights cannot be solved for.
pub fn rest_from_pose(
    rest: &[Vec3],
    triangles: &[[u32; 3]],
    skin: &Skin,
    matrices: &[Mat4],
    modelled: &[Vec3],
    topology: &Topology,
    most: usize,
) -> Result<(Vec<Vec3>, Skin), BindError> {
    const ROUNDS: usize = 6;
    const STILL: f32 = 2e-5;
    let joints = matrices.len();
    let bind = |source: &Source, positions: &[Vec3]| -> Result<Skin, BindError> {
        let target = BindTarget::new(positions, topology);
        let found = match_surface(source, &target, MatchSettings::for_target(&target));
        Ok(fill(&target, found, joints, most)?.skin)
    };
    let mut posed = rest.to_vec();
    linear_blend(rest, skin, matrices, &mut posed);
    let mut weights = bind(&Source::new(&posed, triangles, skin, joints), modelled)?;
    let mut seated = carry_to_rest(modelled, &weights, matrices);
    let at_rest = Source::new(rest, triangles, skin, joints);
    for _ in 0..ROUNDS {
        weights = bind(&at_rest, &seated)?;
        let next = carry_to_rest(modelled, &weights, matrices);
        let moved = next.iter().zip(&seated).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
        seated = next;
        if moved < STILL {
            break;
        }
    }
    Ok((seated, weights))
}
