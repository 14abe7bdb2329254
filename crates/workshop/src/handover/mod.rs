//! What goes out.

pub(crate) mod export;
