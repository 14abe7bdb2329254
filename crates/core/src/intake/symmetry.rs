//! How alike the left and right of a mesh are.

use crate::query::Bvh;
use glam::Vec3;

/// Left against right, across a plane square to X.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Symmetry {
    /// The plane's x, metres.
    pub plane: f32,
    /// Vertices with a partner on the other side within a millimetre, those on the plane too.
    pub paired: usize,
    /// Those without.
    pub alone: usize,
    /// Furthest that a paired vertex's mirror image is from its partner, metres.
    pub worst: f32,
}

/// Within this a vertex has a partner, metres.
const NEAR: f32 = 0.001;

/// Compares each of `positions` (metres) with its mirror image across the middle plane square
/// to X: the mean of the leftmost and rightmost, or x = 0 when that pairs as many.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, intake::symmetry, shapes::{moved, sphere}};
///
/// let told = symmetry(&moved(sphere(0.1, 16), Vec3::X * 0.02).0);
/// assert!((told.plane - 0.02).abs() < 1e-5);
/// assert_eq!(told.alone, 0);
/// ```
pub fn symmetry(positions: &[Vec3]) -> Symmetry {
    let (low, high) = crate::mesh::bounds(positions);
    let tree = Bvh::over_points(positions);
    let across = |plane: f32| judge(&tree, positions, plane);
    let (origin, middle) = (across(0.0), across((low.x + high.x) * 0.5));
    if middle.paired > origin.paired {
        middle
    } else {
        origin
    }
}

fn judge(tree: &Bvh, positions: &[Vec3], plane: f32) -> Symmetry {
    let (mut paired, mut worst) = (0, 0.0f32);
    for p in positions {
        let image = Vec3::new(2.0 * plane - p.x, p.y, p.z);
        if let Some(hit) = tree.closest(image, NEAR) {
            paired += 1;
            worst = worst.max(hit.distance_squared.sqrt());
        }
    }
    Symmetry { plane, paired, alone: positions.len() - paired, worst }
}
