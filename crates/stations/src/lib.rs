//! What steps do, station by station, and what the viewport asks.
//!
//! Public for the floors above alone: what other crates use is named, and documented, in `workshop`.
#![allow(missing_docs)]

pub mod binding;
pub mod handover;
pub mod intake;
pub mod looking;
pub mod making;
pub mod mending;
pub mod seating;
pub mod shelf;
pub mod trying;
pub mod wearing;
