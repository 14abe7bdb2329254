//! What lies within a line drawn on the screen.

use crate::mesh::vertex_normals;
use crate::query::Bvh;
use glam::{Mat4, Vec2, Vec3};
use rayon::prelude::*;

/// A line drawn round something, and from where it was looked at.
#[derive(Clone, Debug, PartialEq)]
pub struct Lasso {
    /// Corners in the picture: x to the right and y upward, −1 to 1.
    pub line: Vec<Vec2>,
    /// From model space to the picture (projection times view, column by column).
    pub to_picture: Mat4,
    /// Where the eye is, metres.
    pub eye: Vec3,
    /// True to choose what is behind too.
    pub through: bool,
}

/// Above the surface by so much it is looked from, metres.
const OFF: f32 = 0.0005;

/// Vertices of a surface as posed that lie within the line: those that face the eye with nothing of the surface
/// itself in between, or all where it goes through.
///
/// ```
/// use tin_cloak_core::glam::{Mat4, Vec2, Vec3};
/// use tin_cloak_core::{choose::{lasso, listed, Lasso}, shapes::sphere};
///
/// let (positions, triangles) = sphere(0.1, 24);
/// let corner = |x: f32, y: f32| Vec2::new(x, y);
/// let line = vec![corner(-0.05, -0.05), corner(0.05, -0.05), corner(0.05, 0.05), corner(-0.05, 0.05)];
/// // As seen from the front, a metre away, in parallel.
/// let to_picture = Mat4::from_scale(Vec3::new(1.0, 1.0, -0.1));
/// let seen = Lasso { line, to_picture, eye: Vec3::Z, through: false };
/// let front = lasso(&positions, &triangles, &seen);
/// let through = lasso(&positions, &triangles, &Lasso { through: true, ..seen });
/// assert!(listed(&front).iter().all(|v| positions[*v as usize].z > 0.05));
/// assert_eq!(listed(&through).len(), 2 * listed(&front).len());
/// ```
pub fn lasso(positions: &[Vec3], triangles: &[[u32; 3]], drawn: &Lasso) -> Vec<bool> {
    let within = |p: &Vec3| {
        let place = drawn.to_picture * p.extend(1.0);
        place.w > 0.0 && holds(&drawn.line, place.truncate().truncate() / place.w)
    };
    let inside: Vec<bool> = positions.par_iter().with_min_len(256).map(within).collect();
    if drawn.through {
        return inside;
    }
    let normals = vertex_normals(positions, triangles);
    let tree = Bvh::build(positions, triangles);
    let seen = |v: usize| {
        let (p, n) = (positions[v], normals[v]);
        let way = drawn.eye - p;
        way.dot(n) > 0.0 && !tree.is_hit(p + n * OFF, way, 0.0, 1.0, |_| true)
    };
    (0..positions.len()).into_par_iter().with_min_len(64).map(|v| inside[v] && seen(v)).collect()
}

/// True for a point within a closed line (even-odd).
fn holds(line: &[Vec2], p: Vec2) -> bool {
    let mut inside = false;
    for (i, a) in line.iter().enumerate() {
        let b = line[(i + 1) % line.len()];
        let level = (p.y - a.y) / (b.y - a.y);
        if (a.y > p.y) != (b.y > p.y) && p.x < a.x + (b.x - a.x) * level {
            inside = !inside;
        }
    }
    inside
}
