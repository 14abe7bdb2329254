//! Boards: cells kept by content, what they say, poses and snags.
//!
//! Public for the floors above alone: what other crates use is named, and documented, in `workshop`.
#![allow(missing_docs)]

pub mod measuring;
