//! Steps that say what is tried.

pub mod apply;
pub mod pose_steps;
pub mod trial_steps;
