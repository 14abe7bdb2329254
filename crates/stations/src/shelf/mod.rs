//! Files brought in, and kept bindings.

pub mod assets;
pub mod bring;
pub mod templates;
