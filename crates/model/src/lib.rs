//! What is kept of a fitting, and what it decodes to.
//!
//! Public for the floors above alone: what other crates use is named, and documented, in `workshop`.
#![allow(missing_docs)]

pub mod dress;
pub mod error;
pub mod state;
