//! What tests share: the demo's files and fittings, made once, kept under `target/` by a hash of the
//! sources they are made by, and copied where a test needs them.
#![allow(clippy::unwrap_used)]

mod bench;
mod kept;

pub use bench::{wearing, wearing_bound, wearing_coarse, wearing_coarse_bound, Bench};
pub use kept::{coarse_demo_data, coarse_wardrobe, data, demo_data, kept_folder, testdata, wardrobe};
