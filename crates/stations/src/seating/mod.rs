//! Where pieces belong at rest.

pub mod apply;
pub mod brushing;
pub mod easing;
pub mod follow_shapes;
pub mod ground;
pub mod in_shape;
pub mod mirror_steps;
pub mod modelled_pose;
pub mod moving;
pub mod other_side;
pub mod posed_cloth;
pub mod relaxing;
pub mod sits;
pub mod steps;
pub mod worn_shape;
