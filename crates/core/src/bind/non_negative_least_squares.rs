//! Ordinary weights that come nearest to a motion made in another way.

use crate::skin::{Skin, SkinError};
use crate::JointId;
use glam::{Mat4, Vec3};
use rayon::prelude::*;

/// Weights found and what they leave.
#[derive(Clone, Debug, PartialEq)]
pub struct Fitted {
    /// One row a vertex.
    pub skin: Skin,
    /// Mean distance of a vertex to where it should be, over all poses, metres.
    pub mean: f32,
    /// Largest distance of any vertex in any pose, metres.
    pub worst: f32,
}

/// For each vertex at `rest` the weights (at most `most` of its `candidates`) with which linear
/// blending by the skin matrices of `poses` comes nearest to `moved` (one list of positions a
/// pose) in least squares, no weight negative, their sum one. Where the poses do not tell joints
/// apart (a limb and its twist), the weights stay near those that the candidates come with.
///
/// The weight step of Le & Deng, “Smooth Skinning Decomposition with Rigid Bones”, 2012, solved by
/// Lawson & Hanson’s active sets (“Solving Least Squares Problems”, 1974, chapter 23); the heaviest
/// `most` of a first solution are solved for again.
///
/// ```
/// use tin_cloak_core::{bind::fit_weights, deform::linear_blend, shapes::Arm, JointId};
///
/// // The weights that made some poses are found from the poses.
/// let arm = Arm::new();
/// let poses = [arm.bent(0.0), arm.bent(60.0), arm.bent(-60.0)];
/// let moved: Vec<Vec<_>> = (poses.iter())
///     .map(|pose| {
///         let mut posed = arm.surface.0.clone();
///         linear_blend(&arm.surface.0, &arm.skin, pose, &mut posed);
///         posed
///     })
///     .collect();
/// let candidates = vec![vec![(JointId(0), 0.5), (JointId(1), 0.5)]; arm.surface.0.len()];
/// let fitted = fit_weights(&arm.surface.0, &poses, &moved, &candidates, (4, 2))?;
/// assert!(fitted.worst < 1e-4);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never when every vertex has a candidate; see [`Skin::from_rows`].
pub fn fit_weights(
    rest: &[Vec3],
    poses: &[Vec<Mat4>],
    moved: &[Vec<Vec3>],
    candidates: &[Vec<(JointId, f32)>],
    (most, joints): (usize, usize),
) -> Result<Fitted, SkinError> {
    let one = |v: usize| {
        let asked = |likely: &[(JointId, f32)]| -> Vec<(JointId, f32)> {
            let system = Normal::of(rest[v], poses, moved.iter().map(|m| m[v]), likely);
            let weights = system.non_negative();
            likely.iter().map(|e| e.0).zip(weights.iter().map(|w| *w as f32)).collect()
        };
        let mut row = asked(&candidates[v]);
        crate::skin::merge(&mut row);
        if row.len() > most {
            let heaviest = &row[..most];
            let stays = |e: &&(JointId, f32)| heaviest.iter().any(|h| h.0 == e.0);
            let kept: Vec<(JointId, f32)> = candidates[v].iter().filter(stays).copied().collect();
            row = asked(&kept);
        }
        if row.iter().all(|e| e.1 <= 0.0) {
            row = candidates[v].first().map(|e| (e.0, 1.0)).into_iter().collect();
        }
        row
    };
    let rows: Vec<_> = (0..rest.len()).into_par_iter().with_min_len(64).map(one).collect();
    let skin = Skin::from_rows(&rows, joints)?;
    let (mut sum, mut worst) = (0.0f64, 0.0f32);
    let mut posed = vec![Vec3::ZERO; rest.len()];
    for (matrices, wanted) in poses.iter().zip(moved) {
        crate::deform::linear_blend(rest, &skin, matrices, &mut posed);
        for (a, b) in posed.iter().zip(wanted) {
            sum += f64::from(a.distance(*b));
            worst = worst.max(a.distance(*b));
        }
    }
    let count = (rest.len() * poses.len()).max(1) as f64;
    Ok(Fitted { skin, mean: (sum / count) as f32, worst })
}

/// How strongly weights are drawn to those they come with, against what the poses say.
const LIKELY: f64 = 2e-4;

/// Normal equations of a small least-squares problem.
struct Normal {
    /// AᵀA, square, by rows.
    matrix: Vec<f64>,
    /// Aᵀb.
    right: Vec<f64>,
}

impl Normal {
    fn of(
        p: Vec3,
        poses: &[Vec<Mat4>],
        wanted: impl Iterator<Item = Vec3>,
        likely: &[(JointId, f32)],
    ) -> Self {
        let n = likely.len();
        let (mut matrix, mut right) = (vec![0.0; n * n], vec![0.0; n]);
        let mut columns = vec![glam::DVec3::ZERO; n];
        for (matrices, b) in poses.iter().zip(wanted) {
            // Relative to the vertex itself the numbers are small, and a sum of one falls out.
            for (c, (j, _)) in columns.iter_mut().zip(likely) {
                *c = (matrices[j.index()].transform_point3(p) - b).as_dvec3();
            }
            for i in 0..n {
                for k in 0..n {
                    matrix[i * n + k] += columns[i].dot(columns[k]);
                }
            }
        }
        // Weights that sum to one: Σ w (x_j − b) = 0 is wanted, and the sum is held by a row that
        // outweighs the rest.
        let trace = (0..n).map(|i| matrix[i * n + i]).sum::<f64>().max(1e-12);
        let heavy = trace * 1e3;
        matrix.iter_mut().for_each(|m| *m += heavy);
        right.iter_mut().for_each(|r| *r += heavy);
        let pull = trace / n.max(1) as f64 * LIKELY;
        let total = likely.iter().map(|e| f64::from(e.1)).sum::<f64>().max(1e-12);
        for (i, (_, weight)) in likely.iter().enumerate() {
            matrix[i * n + i] += pull;
            right[i] += pull * f64::from(*weight) / total;
        }
        Self { matrix, right }
    }

    /// The least-squares solution without negative numbers.
    fn non_negative(&self) -> Vec<f64> {
        let n = self.right.len();
        let mut x = vec![0.0; n];
        let mut active = vec![false; n];
        for _ in 0..3 * n + 3 {
            let slope: Vec<f64> = (0..n)
                .map(|i| self.right[i] - (0..n).map(|k| self.matrix[i * n + k] * x[k]).sum::<f64>())
                .collect();
            let tiny = self.right.iter().fold(0.0f64, |m, r| m.max(r.abs())) * 1e-12;
            let best = (0..n)
                .filter(|&i| !active[i] && slope[i] > tiny)
                .max_by(|&a, &b| slope[a].total_cmp(&slope[b]));
            let Some(enter) = best else { break };
            active[enter] = true;
            loop {
                let z = self.solve(&active);
                let leaving = (0..n).filter(|&i| active[i] && z[i] <= 0.0);
                let step =
                    leaving.map(|i| x[i] / (x[i] - z[i]).max(f64::MIN_POSITIVE)).fold(1.0f64, f64::min);
                for i in 0..n {
                    x[i] += step * (z[i] - x[i]);
                }
                if step >= 1.0 {
                    break;
                }
                for i in 0..n {
                    if active[i] && x[i] <= 1e-12 {
                        (active[i], x[i]) = (false, 0.0);
                    }
                }
                if !active.contains(&true) {
                    break;
                }
            }
        }
        x
    }

    /// The solution over the active unknowns, zero elsewhere (Cholesky).
    fn solve(&self, active: &[bool]) -> Vec<f64> {
        let n = self.right.len();
        let used: Vec<usize> = (0..n).filter(|&i| active[i]).collect();
        let m = used.len();
        let mut l = vec![0.0; m * m];
        for i in 0..m {
            for k in 0..=i {
                let dot: f64 = (0..k).map(|c| l[i * m + c] * l[k * m + c]).sum();
                let value = self.matrix[used[i] * n + used[k]] - dot;
                l[i * m + k] = if i == k { value.max(1e-300).sqrt() } else { value / l[k * m + k] };
            }
        }
        let mut y = vec![0.0; m];
        for i in 0..m {
            let dot: f64 = (0..i).map(|c| l[i * m + c] * y[c]).sum();
            y[i] = (self.right[used[i]] - dot) / l[i * m + i];
        }
        for i in (0..m).rev() {
            let dot: f64 = (i + 1..m).map(|c| l[c * m + i] * y[c]).sum();
            y[i] = (y[i] - dot) / l[i * m + i];
        }
        let mut z = vec![0.0; n];
        used.iter().zip(&y).for_each(|(&i, &v)| z[i] = v);
        z
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::Quat;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn weights_that_made_a_motion_are_found_again(
            raw in prop::collection::vec(0.0f32..1.0, 4),
            angles in prop::collection::vec(-1.5f32..1.5, 24),
        ) {
            prop_assume!(raw.iter().sum::<f32>() > 0.2);
            let row: Vec<_> = raw.iter().enumerate().map(|(j, &w)| (JointId(j as u16), w)).collect();
            let skin = Skin::from_rows(&[row], 6).unwrap();
            let poses: Vec<Vec<Mat4>> = (0..4)
                .map(|k| {
                    (0..6)
                        .map(|j| {
                            let a = angles[(k * 6 + j) % 24] + j as f32 * 0.3;
                            let turn = Quat::from_euler(glam::EulerRot::XYZ, a, -a * 0.7, a * 0.4);
                            Mat4::from_rotation_translation(turn, Vec3::splat(0.05 * a))
                        })
                        .collect()
                })
                .collect();
            let rest = [Vec3::new(0.2, 1.1, -0.1)];
            let moved: Vec<Vec<Vec3>> = poses
                .iter()
                .map(|m| {
                    let mut p = vec![Vec3::ZERO];
                    crate::deform::linear_blend(&rest, &skin, m, &mut p);
                    p
                })
                .collect();
            let all = vec![(0..6).map(|j| (JointId(j), 1.0)).collect::<Vec<_>>()];
            let fitted = fit_weights(&rest, &poses, &moved, &all, (4, 6)).unwrap();
            // Four joints out of six are chosen by their weight: one of hardly any may be mistaken.
            prop_assert!(fitted.worst < 1e-2, "{}", fitted.worst);
        }
    }
}
