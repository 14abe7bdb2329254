//! A spatial index over triangles: closest point, rays and winding numbers, refitted when
//! the vertices move.

mod aabb;
mod bounding_volume_hierarchy;
mod closest_point;
mod exclusion_mask;
mod leaf;
mod ray_cast;
mod surface_area_heuristic;
mod traversal;
mod tree_pair;
mod triangle_pair;
mod winding_number;

pub use bounding_volume_hierarchy::Bvh;
pub use closest_point::{closest_on_triangle, Closest, Feature};
pub use exclusion_mask::ExclusionMask;
pub use ray_cast::{ray_triangle, walk_to_hit, RayHit};
pub use tree_pair::Subtree;
pub use triangle_pair::{common_stretch, triangles_meet};
pub use winding_number::{Dipoles, WindingField};
