//! Files brought in, and kept bindings.

pub(crate) mod assets;
pub(crate) mod bring;
pub(crate) mod templates;
