//! Laplacian smoothing: every vertex goes some of the way to the mean of its neighbours.

use super::Csr;
use glam::Vec3;

/// Evens `field` (positions or moves, one a vertex) out, a pass for each of `shares`: each vertex goes
/// that share of the way to the mean of its `neighbours`, or away from it when it is negative. A
/// vertex without neighbours stays; what lies further from any change than there are passes stays too.
///
/// A pass of 0.5 is the umbrella operator; passes of 0.5 and −0.53 in turn smooth without shrinking
/// (Taubin, “A signal processing approach to fair surface design”, SIGGRAPH 1995).
///
/// ```
/// use glam::Vec3;
/// use tin_cloak_core::mesh::{even_out, Csr};
///
/// // Three vertices in a row; the middle one stands out.
/// let row = Csr::from_pairs(3, [(0, 1), (1, 0), (1, 2), (2, 1)].into_iter());
/// let mut heights = vec![Vec3::ZERO, Vec3::Y, Vec3::ZERO];
/// even_out(&row, &mut heights, &[0.5]);
/// assert_eq!(heights, [Vec3::Y * 0.5; 3]);
/// ```
pub fn even_out(neighbours: &Csr, field: &mut Vec<Vec3>, shares: &[f32]) {
    let mut next = field.clone();
    for &share in shares {
        for (v, out) in next.iter_mut().enumerate() {
            let around = neighbours.row(v);
            *out = field[v];
            if !around.is_empty() {
                let mean = around.iter().map(|&n| field[n as usize]).sum::<Vec3>() / around.len() as f32;
                *out = field[v] + (mean - field[v]) * share;
            }
        }
        std::mem::swap(field, &mut next);
    }
}
