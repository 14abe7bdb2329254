//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod board;
mod missing;
