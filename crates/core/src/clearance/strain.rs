//! Strain of cloth and stiffness error of plates.

use crate::mesh::Topology;
use glam::{Mat3, Vec3};

/// Edges shorter than this at rest say nothing about cloth (metres).
const SHORTEST: f32 = 1e-4;

/// The posed edge length over rest edge length that is furthest from 1 (by ratio), over all
/// edges; 1 when there are none.
pub fn worst_strain(topology: &Topology, rest: &[Vec3], posed: &[Vec3]) -> f32 {
    let length = |p: &[Vec3], [a, b]: [u32; 2]| p[a as usize].distance(p[b as usize]);
    let mut worst = (1.0f32, 1.0f32);
    for &edge in &topology.edges {
        let before = length(rest, edge);
        if before < SHORTEST {
            continue;
        }
        let ratio = length(posed, edge) / before;
        let off = ratio.max(1.0 / ratio.max(1e-3));
        if off > worst.0 {
            worst = (off, ratio);
        }
    }
    worst.1
}

/// The largest distance (metres) between posed vertices and their best rigid fit from rest:
/// 0 for a plate that does not bend.
///
/// The rotation is the orthogonal polar factor of the covariance, by Newton's iteration
/// (Higham, “Computing the polar decomposition”, 1986); flat shells are given a thin third
/// dimension along their normal so that the factor is unique.
pub fn stiffness_error(rest: &[Vec3], posed: &[Vec3]) -> f32 {
    let count = rest.len().max(1) as f32;
    let (from, to) = (rest.iter().sum::<Vec3>() / count, posed.iter().sum::<Vec3>() / count);
    let (mut cross, mut own) = (Mat3::ZERO, Mat3::ZERO);
    for (r, p) in rest.iter().zip(posed) {
        let (r, p) = (*r - from, *p - to);
        cross += outer(p, r);
        own += outer(r, r);
    }
    // Least-squares linear map from rest to pose, then the rotation in it.
    let size = (own.x_axis.x + own.y_axis.y + own.z_axis.z).max(f32::MIN_POSITIVE);
    let thin = Mat3::from_diagonal(Vec3::splat(size * 1e-6));
    let rotation = polar_rotation((cross + thin) * (own + thin).inverse());
    rest.iter().zip(posed).map(|(r, p)| (rotation * (*r - from)).distance(*p - to)).fold(0.0, f32::max)
}

fn outer(a: Vec3, b: Vec3) -> Mat3 {
    Mat3::from_cols(a * b.x, a * b.y, a * b.z)
}

fn polar_rotation(m: Mat3) -> Mat3 {
    let mut r = m;
    for _ in 0..40 {
        if r.determinant().abs() < 1e-12 {
            return Mat3::IDENTITY;
        }
        let next = (r + r.inverse().transpose()) * 0.5;
        if next.abs_diff_eq(r, 1e-7) {
            return next;
        }
        r = next;
    }
    r
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::Quat;

    #[test]
    fn a_turned_cube_has_no_stiffness_error_and_a_sheared_one_has() {
        let cube: Vec<Vec3> =
            (0..8).map(|i| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32)).collect();
        let turn = Quat::from_rotation_y(2.0) * Quat::from_rotation_x(0.4);
        let turned: Vec<Vec3> = cube.iter().map(|p| turn * *p + Vec3::X).collect();
        assert!(stiffness_error(&cube, &turned) < 1e-5);
        let sheared: Vec<Vec3> = cube.iter().map(|p| *p + Vec3::X * p.y * 0.2).collect();
        assert!(stiffness_error(&cube, &sheared) > 0.05);
    }
}
