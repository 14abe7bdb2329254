//! The outfit of another body, put on this one.

mod joint_partners;
pub mod outfit;
pub mod skin_map;
mod taken_over;
