//! Values at a point of a triangle, mixed from those at its corners.

use std::iter::Sum;
use std::ops::Mul;

/// The value at a point of a triangle, by its `barycentric` coordinates, from the values `of` its
/// `corners`.
///
/// ```
/// use glam::Vec3;
/// use tin_cloak_core::mesh::mix;
///
/// let corners = [Vec3::ZERO, Vec3::X, Vec3::Y];
/// let middle = mix([0, 1, 2], [0.25, 0.5, 0.25], |v| corners[v as usize]);
/// assert_eq!(middle, Vec3::new(0.5, 0.25, 0.0));
/// ```
pub fn mix<T>(corners: [u32; 3], barycentric: [f32; 3], of: impl Fn(u32) -> T) -> T
where
    T: Mul<f32, Output = T> + Sum,
{
    corners.into_iter().zip(barycentric).map(|(v, b)| of(v) * b).sum()
}
