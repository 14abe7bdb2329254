//! What the viewport shows: poses, maps, what lies under the pointer, pictures.

pub(crate) mod choosing;
mod choosing_else;
pub(crate) mod extents;
pub(crate) mod hand_view;
pub(crate) mod maps;
pub mod packed;
pub mod picture;
pub(crate) mod probe;
pub(crate) mod regions;
pub(crate) mod skinned;
pub(crate) mod view;
