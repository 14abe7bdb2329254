//! At most so many joints a vertex, dropping those that move it least.

use super::{BoundMesh, Row};
use crate::skin::{Skin, SkinError};
use glam::{Mat4, Vec3};

/// Limits each chosen vertex to `most` joints. One joint after another is dropped: the one whose
/// going (its weight given to the others in proportion) takes the vertex least far from where all
/// of them had it, in the worst of the `poses` (skin matrices). Without poses the lightest goes.
///
/// ```
/// use tin_cloak_core::bind::clean::{limit_by_motion, BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm};
///
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let chosen = vec![true; positions.len()];
/// let locked = [false, false];
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// let limited = limit_by_motion(bound, &[Arm::new().bent(90.0)], 1)?;
/// assert_eq!((skin.max_influences(), limited.max_influences()), (2, 1));
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn limit_by_motion(bound: BoundMesh, poses: &[Vec<Mat4>], most: usize) -> Result<Skin, SkinError> {
    let most = most.max(1);
    let limited = |v: usize, mut row: Row| {
        if row.len() <= most {
            return None;
        }
        let places: Vec<Vec<Vec3>> =
            row.iter().map(|e| moved(bound.positions[v], e.0.index(), poses)).collect();
        let mut kept: Vec<usize> = (0..row.len()).collect();
        let wanted: Vec<Vec3> = (0..poses.len()).map(|k| blend(&row, &places, &kept, k)).collect();
        while kept.len() > most {
            let harm = |without: usize| {
                let left: Vec<usize> = kept.iter().copied().filter(|&i| i != without).collect();
                let off = |k: usize| blend(&row, &places, &left, k).distance_squared(wanted[k]);
                (0..poses.len()).map(off).fold(0.0, f32::max)
            };
            let free = kept.iter().copied().filter(|&i| !bound.locked[row[i].0.index()]);
            let least = free
                .map(|i| (harm(i), row[i].1, i))
                .min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)).then(b.2.cmp(&a.2)));
            // Locked joints are never dropped, however many they are.
            let Some((_, _, gone)) = least else { break };
            kept.retain(|&i| i != gone);
        }
        let mut place = 0;
        row.retain(|_| {
            place += 1;
            kept.contains(&(place - 1))
        });
        Some(row)
    };
    BoundMesh { most: usize::MAX, ..bound }.changed(limited)
}

fn moved(p: Vec3, joint: usize, poses: &[Vec<Mat4>]) -> Vec<Vec3> {
    poses.iter().map(|m| m[joint].transform_point3(p)).collect()
}

/// Where the vertex is in pose `k` by the `kept` joints alone.
fn blend(row: &Row, places: &[Vec<Vec3>], kept: &[usize], k: usize) -> Vec3 {
    let sum: f32 = kept.iter().map(|&i| row[i].1).sum();
    kept.iter().map(|&i| places[i][k] * row[i].1).sum::<Vec3>() / sum.max(f32::MIN_POSITIVE)
}
