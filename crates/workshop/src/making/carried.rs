//! Points carried along with a surface that moves.

use glam::Vec3;
use tin_cloak_core::mesh::Alignment;

/// Where a point goes with vertices that move: as the similarity (turn, size and shift) that takes
/// the nearest of them closest to where they go.
pub(crate) fn carried_along(point: Vec3, before: &[Vec3], after: &[Vec3]) -> Vec3 {
    const NEAREST: usize = 24;
    let mut near: Vec<u32> = (0..before.len() as u32).collect();
    let far = |v: &u32| before[*v as usize].distance_squared(point);
    if near.len() > NEAREST {
        near.select_nth_unstable_by(NEAREST, |a, b| far(a).total_cmp(&far(b)).then(a.cmp(b)));
        near.truncate(NEAREST);
        near.sort_unstable();
    }
    let pick = |list: &[Vec3]| -> Vec<Vec3> { near.iter().map(|&v| list[v as usize]).collect() };
    let (from, to) = (pick(before), pick(after));
    if from == to {
        return point;
    }
    Alignment::between(&from, &to).matrix().transform_point3(point)
}
