//! Weights as a file has them: what is missing or does not sum to one.

use crate::query::Bvh;
use crate::JointId;
use glam::Vec3;

/// What was wrong with the weights of a mesh, and has been put right.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct WeightFaults {
    /// Vertices that had no weight at all, ascending.
    pub weightless: Vec<u32>,
    /// How many of the others had weights that did not sum to one.
    pub unnormalised: usize,
}

/// Eight weights of a byte each are off by this much together at most, by rounding.
const ROUNDING: f32 = 0.02;

/// Gives each vertex without weight that of the nearest vertex that has some (`positions` in
/// metres, one row of joints and weights a vertex). When none has any, the rows stay as they are.
/// Sums are only looked at: [`crate::skin::Skin`] normalises them.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, intake::mend_weights, JointId};
///
/// let mut rows = vec![vec![(JointId(0), 1.0)], vec![], vec![(JointId(1), 1.0)]];
/// let faults = mend_weights(&mut rows, &[Vec3::ZERO, Vec3::X * 0.1, Vec3::X]);
/// assert_eq!(faults.weightless, [1]);
/// assert_eq!(rows[1], [(JointId(0), 1.0)], "as the nearest that has weight");
/// ```
pub fn mend_weights(rows: &mut [Vec<(JointId, f32)>], positions: &[Vec3]) -> WeightFaults {
    let sums: Vec<f32> = rows.iter().map(|r| r.iter().map(|e| e.1).sum()).collect();
    let held: Vec<u32> = (0..rows.len() as u32).filter(|&v| sums[v as usize] > f32::MIN_POSITIVE).collect();
    let unnormalised = held.iter().filter(|&&v| (sums[v as usize] - 1.0).abs() > ROUNDING).count();
    // What is no number is no weight either, but is refused with its own words.
    let bare = |v: &u32| sums[*v as usize].abs() <= f32::MIN_POSITIVE;
    let weightless: Vec<u32> = (0..rows.len() as u32).filter(bare).collect();
    if held.is_empty() || weightless.is_empty() {
        return WeightFaults { weightless: Vec::new(), unnormalised };
    }
    let places: Vec<Vec3> = held.iter().map(|&v| positions[v as usize]).collect();
    let tree = Bvh::over_points(&places);
    for &v in &weightless {
        if let Some(near) = tree.closest(positions[v as usize], f32::INFINITY) {
            rows[v as usize] = rows[held[near.triangle as usize] as usize].clone();
        }
    }
    WeightFaults { weightless, unnormalised }
}
