//! Stiff parts of a piece that is changed: whatever was done to their vertices becomes one move.

use crate::mesh::Alignment;
use glam::Vec3;

/// The group of a vertex of no stiff part.
pub const CLOTH: u32 = u32::MAX;

/// Gives each stiff part back the shape it has in `before`: of a part of which any vertex was moved,
/// all go by the one turn and shift that come nearest to the moves ([`Alignment`]), or by the shift alone
/// where a vertex would go further than `limit` (metres). `groups` has the part of each vertex,
/// [`CLOTH`] for none; an empty list means that nothing is stiff.
///
/// ```
/// use tin_cloak_core::mend::{keep_rigid, CLOTH};
/// use tin_cloak_core::glam::Vec3;
///
/// let before = [Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::Z];
/// let mut after = [Vec3::ZERO, Vec3::X * 3.0, Vec3::Y, Vec3::ONE];
/// keep_rigid(&[7, 7, 7, CLOTH], &before, &mut after, f32::INFINITY);
/// assert!((after[0].distance(after[1]) - 1.0).abs() < 1e-5, "as long as before");
/// assert_eq!(after[3], Vec3::ONE, "cloth stays as it was moved");
/// ```
pub fn keep_rigid(groups: &[u32], before: &[Vec3], after: &mut [Vec3], limit: f32) {
    let mut stiff: Vec<(u32, usize)> =
        groups.iter().enumerate().filter(|(_, g)| **g != CLOTH).map(|(v, g)| (*g, v)).collect();
    stiff.sort_unstable();
    for part in stiff.chunk_by(|a, b| a.0 == b.0) {
        if part.iter().all(|&(_, v)| before[v] == after[v]) {
            continue;
        }
        let pick = |list: &[Vec3]| -> Vec<Vec3> { part.iter().map(|&(_, v)| list[v]).collect() };
        let from = pick(before);
        let fit = Alignment::between(&from, &pick(after));
        let shift = (fit.to - fit.from).clamp_length_max(limit);
        let turns = from.iter().all(|p| fit.rigid(*p).distance(*p) <= limit);
        let place = |p: Vec3| if turns { fit.rigid(p) } else { p + shift };
        part.iter().zip(&from).for_each(|(&(_, v), p)| after[v] = place(*p));
    }
}

/// Moves what is not measured along with what is: where `partners` names another vertex than itself,
/// a vertex goes as far as that, so that the two walls of a plate stay as far apart as they were.
pub fn move_with_partners(partners: &[u32], before: &[Vec3], after: &mut [Vec3]) {
    for (v, &partner) in partners.iter().enumerate().filter(|(v, p)| *v != **p as usize) {
        after[v] = before[v] + (after[partner as usize] - before[partner as usize]);
    }
}
