//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod board_svg;
mod common;
mod imported_weights;
mod requests;
mod routes;
