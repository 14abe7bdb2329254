//! Dual quaternion skinning.

use crate::skin::Skin;
use glam::{Mat4, Quat, Vec3, Vec4};
use rayon::prelude::*;

/// A rigid motion as a unit dual quaternion: rotation, and half the translation times it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DualQuat {
    real: Vec4,
    dual: Vec4,
}

impl DualQuat {
    /// The rigid part of `m`; its scale is left out.
    pub fn from_rigid(m: &Mat4) -> Self {
        let (_, rotation, t) = m.to_scale_rotation_translation();
        let dual = Quat::from_xyzw(t.x, t.y, t.z, 0.0) * rotation;
        Self { real: Vec4::from(rotation), dual: Vec4::from(dual) * 0.5 }
    }

    fn apply(&self, p: Vec3) -> Vec3 {
        let length = self.real.length().max(f32::MIN_POSITIVE);
        let (q, d) = (Quat::from_vec4(self.real / length), self.dual / length);
        let t = Quat::from_vec4(d) * q.conjugate();
        q * p + Vec3::new(t.x, t.y, t.z) * 2.0
    }
}

/// Moves `rest` into `posed` (one entry a vertex, metres) by dual quaternion linear blending
/// of the rigid parts of `matrices`; lengths are kept where linear blending would collapse.
///
/// Kavan, Collins, Žára & O'Sullivan, “Skinning with Dual Quaternions”, I3D 2007.
///
/// ```
/// use tin_cloak_core::deform::{dual_quaternion_blend, linear_blend};
/// use tin_cloak_core::glam::{Mat4, Vec3};
/// use tin_cloak_core::{skin::Skin, JointId};
///
/// // Half-way between no turn and half a turn: linear blending falls together, this does not.
/// let skin = Skin::uniform(1, &[(JointId(0), 0.5), (JointId(1), 0.5)], 2)?;
/// let matrices = [Mat4::IDENTITY, Mat4::from_rotation_y(3.1)];
/// let mut posed = [[Vec3::ZERO]; 2];
/// linear_blend(&[Vec3::X], &skin, &matrices, &mut posed[0]);
/// dual_quaternion_blend(&[Vec3::X], &skin, &matrices, &mut posed[1]);
/// assert!(posed[0][0].length() < 0.05);
/// assert!((posed[1][0].length() - 1.0).abs() < 1e-5);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn dual_quaternion_blend(rest: &[Vec3], skin: &Skin, matrices: &[Mat4], posed: &mut [Vec3]) {
    let motions: Vec<DualQuat> = matrices.iter().map(DualQuat::from_rigid).collect();
    posed.par_iter_mut().with_min_len(1024).enumerate().for_each(|(v, p)| {
        let mut sum = DualQuat { real: Vec4::ZERO, dual: Vec4::ZERO };
        for (joint, weight) in skin.row(v) {
            let motion = motions[joint.index()];
            // q and −q are the same motion: take the one nearer to what is summed already.
            let sign = if motion.real.dot(sum.real) < 0.0 { -weight } else { weight };
            sum.real += motion.real * sign;
            sum.dual += motion.dual * sign;
        }
        *p = sum.apply(rest[v]);
    });
}
