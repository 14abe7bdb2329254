//! What a state decodes to: body, pieces, poses, and the one cache of what is derived from them.

pub mod assets;
pub mod beneath;
pub mod body;
pub mod chosen;
pub mod decode;
pub mod derived;
pub mod dressed;
pub mod driven_shapes;
pub mod figure_shapes;
pub mod file_settings;
pub mod imported_weights;
mod keys;
pub mod members;
pub mod motions;
pub mod own_joints;
pub mod piece;
pub mod placement;
pub mod room;
pub mod shading;
pub mod stiff_parts;
pub mod trials;
pub mod tucked;
pub mod turned;
pub mod weighted;
pub mod worn;
