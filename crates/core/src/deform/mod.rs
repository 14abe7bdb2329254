//! Posing: morph targets first, then skinning.

mod dual_quaternion;
mod linear;
mod trial_pose;

pub use crate::driver::Driver;
pub use crate::mesh::{add_morphs, driven_amounts, Morph};
pub use dual_quaternion::{dual_quaternion_blend, DualQuat};
pub(crate) use linear::linear_blend_some;
pub use linear::{blended_matrix, linear_blend};
pub use trial_pose::TrialPose;
