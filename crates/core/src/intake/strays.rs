//! Vertices that lie nowhere near the others.

use glam::Vec3;

/// So many times as far from the middle as half of the vertices lies nothing that belongs to a thing.
const FAR: f32 = 50.0;

/// The vertices at `positions` (metres) that have strayed: fifty times as far from the middle (the median
/// on each axis) as half of them are. No published source: of the garments and bodies at hand the ratio
/// is below 4.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, intake::strays, shapes::sphere};
///
/// let mut positions = sphere(0.1, 16).0;
/// assert!(strays(&positions).is_empty());
/// positions.push(Vec3::X * 2000.0);
/// assert_eq!(strays(&positions), [positions.len() as u32 - 1]);
/// ```
pub fn strays(positions: &[Vec3]) -> Vec<u32> {
    if positions.is_empty() {
        return Vec::new();
    }
    let median = |mut list: Vec<f32>| {
        let at = list.len() / 2;
        *list.select_nth_unstable_by(at, f32::total_cmp).1
    };
    let along = |axis: usize| median(positions.iter().map(|p| p[axis]).collect());
    let middle = Vec3::new(along(0), along(1), along(2));
    let distance = |p: &Vec3| p.distance(middle);
    let usual = median(positions.iter().map(distance).collect());
    let all = 0..positions.len() as u32;
    all.filter(|&v| usual > 0.0 && distance(&positions[v as usize]) > FAR * usual).collect()
}
