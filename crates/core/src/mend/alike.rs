//! What is done to one side of a piece is done to the other.

use crate::bind::clean::{mirror_image, NO_IMAGE};
use crate::query::Bvh;
use glam::Vec3;

/// Nearer to the plane a vertex is its own mirror image, metres.
const ON_PLANE: f32 = 1e-4;

/// Makes `moves` (metres, one a vertex at `rest`) alike on both sides of the plane of this x: of a vertex and the place
/// of the surface at its mirror image both go as far as the one that goes further, so that what is clear on either side
/// is on both; on the plane nothing goes to a side. What has no mirror image within [`NO_IMAGE`] keeps its move, and so
/// does what may not move. Common practice, no source.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mend::make_alike, shapes::sphere};
///
/// let (rest, triangles) = sphere(0.1, 32);
/// let mut moves: Vec<Vec3> = rest.iter().map(|p| if p.x > 0.02 { *p * 0.05 } else { Vec3::ZERO }).collect();
/// make_alike(&rest, &triangles, 0.0, &|_| true, &mut moves);
/// for (p, moved) in rest.iter().zip(&moves).filter(|(p, _)| p.x.abs() > 0.04) {
///     assert!(moved.distance(*p * 0.05) < 2e-4, "{p} {moved}");
/// }
/// ```
pub fn make_alike(
    rest: &[Vec3],
    triangles: &[[u32; 3]],
    plane: f32,
    may: &dyn Fn(usize) -> bool,
    moves: &mut [Vec3],
) {
    let tree = Bvh::build(rest, triangles);
    let over_there = |v: usize| -> Option<Vec3> {
        let hit = tree.closest(mirror_image(rest[v], plane), NO_IMAGE)?;
        let corners = triangles[hit.triangle as usize];
        let there: Vec3 = corners.into_iter().zip(hit.barycentric).map(|(c, b)| moves[c as usize] * b).sum();
        Some(mirror_image(there, 0.0))
    };
    let alike = |v: usize| {
        let own = moves[v];
        match over_there(v).filter(|_| may(v)) {
            None => own,
            Some(_) if (rest[v].x - plane).abs() < ON_PLANE => own.with_x(0.0),
            // Where both go as far the left side says which way.
            Some(other) if other.length() > own.length() => other,
            Some(other) if other.length() == own.length() && rest[v].x < plane => other,
            Some(_) => own,
        }
    };
    let all: Vec<Vec3> = (0..moves.len()).map(alike).collect();
    moves.copy_from_slice(&all);
}
