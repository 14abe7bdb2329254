//! Steps that say what is tried.

pub mod trial_steps;
