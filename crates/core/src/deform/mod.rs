//! Posing: morph targets first, then skinning.

mod driver;
mod dual_quaternion;
mod linear;
mod morph;

pub(crate) use driver::turn_about;
pub use driver::{driven_amounts, Driver};
pub use dual_quaternion::{dual_quaternion_blend, DualQuat};
pub(crate) use linear::linear_blend_some;
pub use linear::{blended_matrix, linear_blend};
pub use morph::{add_morphs, Morph};
