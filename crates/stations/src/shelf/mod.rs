//! Files brought in, and kept bindings.

pub mod bring;
pub mod templates;
