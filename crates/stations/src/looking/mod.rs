//! What the viewport shows: poses, maps, what lies under the pointer, pictures.

pub mod brush_view;
pub mod choosing;
pub mod choosing_else;
pub mod extents;
pub mod hand_view;
pub mod joint_places;
pub mod maps;
pub mod packed;
pub mod picture;
pub mod probe;
pub mod pulling;
pub mod range_here;
pub mod regions;
pub mod skinned;
pub mod view;
pub mod worst_snags;
