//! Linear blend skinning.

use crate::skin::Skin;
use glam::{Mat4, Vec3, Vec4};
use rayon::prelude::*;

/// Rows of an affine map: a 3×4 matrix, so that a blend is three vector sums.
type Rows = [Vec4; 3];

fn rows(m: &Mat4) -> Rows {
    [m.row(0), m.row(1), m.row(2)]
}

fn blend(matrices: &[Rows], joints: &[u16], weights: &[f32]) -> Rows {
    let mut sum = [Vec4::ZERO; 3];
    for (&j, &w) in joints.iter().zip(weights) {
        if w == 0.0 {
            break; // places are sorted by falling weight
        }
        let m = &matrices[usize::from(j)];
        for i in 0..3 {
            sum[i] += m[i] * w;
        }
    }
    sum
}

/// Moves `rest` (metres) by the blend of `matrices` ([`crate::skeleton::Skeleton::skin_matrices`])
/// that `skin` gives each vertex, into `posed`. All three have one entry a vertex; nothing
/// is allocated per vertex and the work is spread over rayon's threads.
///
/// Linear blend skinning as in Magnenat-Thalmann, Laperrière & Thalmann, “Joint-dependent
/// local deformations for hand animation and object grasping”, 1988.
///
/// ```
/// use tin_cloak_core::{deform::linear_blend, glam::Vec3, shapes::Arm};
///
/// let arm = Arm::new();
/// let mut posed = arm.surface.0.clone();
/// linear_blend(&arm.surface.0, &arm.skin, &arm.bent(90.0), &mut posed);
/// // The lower arm, 0.3 m long, now points forward from the elbow.
/// let end = posed[368..].iter().sum::<Vec3>() / 16.0;
/// assert!(end.abs_diff_eq(Vec3::new(0.0, 0.3, 0.3), 1e-4));
/// ```
pub fn linear_blend(rest: &[Vec3], skin: &Skin, matrices: &[Mat4], posed: &mut [Vec3]) {
    let matrices: Vec<Rows> = matrices.iter().map(rows).collect();
    const CHUNK: usize = 2048;
    posed.par_chunks_mut(CHUNK).enumerate().for_each(|(chunk, out)| {
        let first = chunk * CHUNK;
        out.iter_mut().enumerate().for_each(|(i, p)| *p = one(rest, skin, &matrices, first + i));
    });
}

/// The same, to the bit, of some vertices alone.
pub(crate) fn linear_blend_some(
    rest: &[Vec3],
    skin: &Skin,
    matrices: &[Mat4],
    vertices: &[u32],
    posed: &mut [Vec3],
) {
    let matrices: Vec<Rows> = matrices.iter().map(rows).collect();
    vertices.iter().for_each(|&v| posed[v as usize] = one(rest, skin, &matrices, v as usize));
}

#[inline]
fn one(rest: &[Vec3], skin: &Skin, matrices: &[Rows], v: usize) -> Vec3 {
    let stride = skin.stride();
    let places = v * stride..(v + 1) * stride;
    let m = blend(matrices, &skin.joints()[places.clone()], &skin.weights()[places]);
    let point = rest[v].extend(1.0);
    Vec3::new(m[0].dot(point), m[1].dot(point), m[2].dot(point))
}

/// The blended matrix of one vertex: what carries a move in the pose back to rest.
///
/// ```
/// use tin_cloak_core::{deform::blended_matrix, glam::Vec3, shapes::Arm};
///
/// let (arm, bent) = (Arm::new(), Arm::new().bent(90.0));
/// let matrix = blended_matrix(&arm.skin, 383, &bent);
/// assert_eq!(matrix, bent[1], "the far end follows the elbow alone");
/// assert!(matrix.transform_point3(Vec3::Y * 0.6).abs_diff_eq(Vec3::new(0.0, 0.3, 0.3), 1e-5));
/// ```
pub fn blended_matrix(skin: &Skin, vertex: usize, matrices: &[Mat4]) -> Mat4 {
    skin.row(vertex).fold(Mat4::ZERO, |sum, (j, w)| sum + matrices[j.index()] * w)
}
