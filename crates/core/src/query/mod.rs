//! A spatial index over triangles: closest point, rays and winding numbers, refitted when
//! the vertices move.

mod closest;
mod leaf;
mod ray;
mod tree;
mod winding;

pub use closest::{closest_on_triangle, Closest, Feature};
pub use ray::{ray_triangle, RayHit};
pub use tree::Tree;
pub use winding::WindingField;
