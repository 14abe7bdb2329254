//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod blobs;
mod bundle;
mod derived;
mod key;
mod said;
mod trial_change;
mod trial_plan;
