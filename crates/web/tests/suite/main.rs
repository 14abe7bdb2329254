//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod board_svg;
mod by_hand;
mod common;
mod forms;
mod handed_out;
mod imported_weights;
mod requests;
mod routes;
