//! All integration tests of the crate in one binary: linked once.
#![allow(missing_docs, clippy::unwrap_used)]

mod accessible;
mod binding;
mod browser;
mod by_hand;
mod command_line;
mod hand;
mod handover;
mod kept;
mod killed;
mod mending;
mod page;
mod pictures;
mod stations;
mod trials;
