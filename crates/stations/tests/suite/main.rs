//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod correct_steps;
mod left;
mod mirror_steps;
mod names;
mod packed;
mod table_csv;
