//! Simple shapes, and joints that stand still.
#![allow(dead_code, missing_docs, unused_imports)]

use tin_cloak_core::glam::Mat4;
pub use tin_cloak_core::shapes::*;

pub fn still() -> [Mat4; 2] {
    [Mat4::IDENTITY; 2]
}
