//! What a state decodes to: body, pieces, poses, and the one cache of what is derived from them.

pub(crate) mod beneath;
pub(crate) mod body;
pub(crate) mod called_up;
pub(crate) mod came;
pub(crate) mod chosen;
pub(crate) mod decode;
pub(crate) mod derived;
pub(crate) mod dressed;
pub(crate) mod figure_shapes;
pub(crate) mod members;
pub(crate) mod motions;
pub(crate) mod own_joints;
pub(crate) mod piece;
pub(crate) mod room;
pub(crate) mod said;
pub(crate) mod shading;
pub(crate) mod stiff_parts;
pub(crate) mod trials;
pub(crate) mod tucked;
pub(crate) mod turned;
pub(crate) mod weighted;
pub(crate) mod worn;
