//! What goes out.

pub(crate) mod export;
pub(crate) mod names;
pub(crate) mod proof;
