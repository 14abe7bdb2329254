//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod bad_input;
mod bvh;
mod bvh_out;
mod looks;
mod mutated;
mod obj_out;
mod round_trip;
mod skins;
