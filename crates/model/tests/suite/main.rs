//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod blobs;
mod bundle;
mod chosen;
mod derived;
mod file_settings;
mod key;
mod trial_change;
mod trial_plan;
