//! Where pieces belong at rest.

pub(crate) mod brushing;
pub(crate) mod easing;
pub(crate) mod follow_shapes;
pub(crate) mod ground;
pub(crate) mod in_shape;
pub(crate) mod mirror_steps;
pub(crate) mod modelled_pose;
pub(crate) mod place;
pub(crate) mod relaxing;
pub(crate) mod sits;
pub(crate) mod steps;
pub(crate) mod worn_shape;
