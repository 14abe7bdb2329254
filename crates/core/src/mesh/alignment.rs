//! The turn, size and shift that take one set of points nearest to another.

use faer::{Mat, Side};
use glam::{DMat3, DVec3, Mat4, Quat, Vec3};

/// The rigid move (turn and shift) and the size that take `from` nearest to `to`, point by point,
/// in least squares. Flat and straight sets are fine; of a single point it is the shift.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Alignment {
    /// The turn.
    pub rotation: Quat,
    /// How much larger `to` is.
    pub scale: f32,
    /// Mean of `from`, metres.
    pub from: Vec3,
    /// Mean of `to`, metres.
    pub to: Vec3,
}

impl Alignment {
    /// Horn, “Closed-form solution of absolute orientation using unit quaternions”, 1987.
    ///
    /// ```
    /// use tin_cloak_core::{glam::{Quat, Vec3}, mesh::Alignment, shapes::sphere};
    ///
    /// let from = sphere(0.1, 8).0;
    /// let to: Vec<Vec3> = from.iter().map(|p| Quat::from_rotation_z(0.5) * *p + Vec3::Y).collect();
    /// let found = Alignment::between(&from, &to);
    /// assert!(from.iter().zip(&to).all(|(a, b)| found.rigid(*a).abs_diff_eq(*b, 1e-5)));
    /// ```
    pub fn between(from: &[Vec3], to: &[Vec3]) -> Self {
        let mean =
            |list: &[Vec3]| list.iter().map(|p| p.as_dvec3()).sum::<DVec3>() / list.len().max(1) as f64;
        let (a, b) = (mean(from), mean(to));
        let (mut s, mut own, mut other) = (DMat3::ZERO, 0.0, 0.0);
        for (p, q) in from.iter().zip(to) {
            let (p, q) = (p.as_dvec3() - a, q.as_dvec3() - b);
            // Rows by the axes of `from`, columns by those of `to`.
            s += DMat3::from_cols(p * q.x, p * q.y, p * q.z);
            own += p.length_squared();
            other += q.length_squared();
        }
        let rotation = largest_quaternion(s).unwrap_or(Quat::IDENTITY);
        let scale = if own > 0.0 { (other / own).sqrt() as f32 } else { 1.0 };
        Self { rotation, scale, from: a.as_vec3(), to: b.as_vec3() }
    }

    /// Where a point goes without a change of size.
    pub fn rigid(&self, p: Vec3) -> Vec3 {
        self.to + self.rotation * (p - self.from)
    }

    /// All of it as a matrix.
    pub fn matrix(&self) -> Mat4 {
        Mat4::from_translation(self.to)
            * Mat4::from_scale_rotation_translation(Vec3::splat(self.scale), self.rotation, Vec3::ZERO)
            * Mat4::from_translation(-self.from)
    }
}

/// The unit quaternion that goes with the largest eigenvalue of Horn's matrix.
fn largest_quaternion(s: DMat3) -> Option<Quat> {
    let at = |r: usize, c: usize| s.col(c)[r];
    let (xx, yy, zz) = (at(0, 0), at(1, 1), at(2, 2));
    let (xy, yx, yz, zy, zx, xz) = (at(0, 1), at(1, 0), at(1, 2), at(2, 1), at(2, 0), at(0, 2));
    let rows = [
        [xx + yy + zz, yz - zy, zx - xz, xy - yx],
        [yz - zy, xx - yy - zz, xy + yx, zx + xz],
        [zx - xz, xy + yx, yy - xx - zz, yz + zy],
        [xy - yx, zx + xz, yz + zy, zz - xx - yy],
    ];
    let matrix = Mat::<f64>::from_fn(4, 4, |r, c| rows[r][c]);
    let eigen = matrix.self_adjoint_eigen(Side::Lower).ok()?;
    // Eigenvalues ascend: the last is the largest.
    let v: [f64; 4] = [0, 1, 2, 3].map(|r| eigen.U()[(r, 3)]);
    let q = Quat::from_xyzw(v[1] as f32, v[2] as f32, v[3] as f32, v[0] as f32);
    (q.is_finite() && q.length_squared() > 0.5).then(|| q.normalize())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_move_is_found_again_for_solids_and_flat_sheets(
            angles in prop::array::uniform3(-3.0f32..3.0),
            flat in prop::bool::ANY,
            scale in 0.2f32..3.0,
        ) {
            let turn = Quat::from_euler(glam::EulerRot::XYZ, angles[0], angles[1], angles[2]);
            let from: Vec<Vec3> = (0..30)
                .map(|i| {
                    let (x, y, z) = (i as f32 * 0.37 % 1.0, i as f32 * 0.71 % 1.0, i as f32 * 0.53 % 1.0);
                    Vec3::new(x, y, if flat { 0.0 } else { z })
                })
                .collect();
            let shift = Vec3::new(0.3, -1.0, 2.0);
            let to: Vec<Vec3> = from.iter().map(|p| turn * (*p * scale) + shift).collect();
            let found = Alignment::between(&from, &to);
            for (p, q) in from.iter().zip(&to) {
                prop_assert!(found.matrix().transform_point3(*p).distance(*q) < 2e-4);
            }
        }
    }
}
