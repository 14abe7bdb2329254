//! The turn, size and shift that take one set of points nearest to another.

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
    let v = tin_cloak_solve::largest_eigenvector(rows)?;
    let q = Quat::from_xyzw(v[1] as f32, v[2] as f32, v[3] as f32, v[0] as f32);
    (q.is_finite() && q.length_squared() > 0.5).then(|| q.normalize())
}
