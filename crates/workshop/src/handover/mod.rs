//! What goes out.

pub(crate) mod export;
pub(crate) mod forms;
pub(crate) mod limits;
pub(crate) mod names;
pub(crate) mod proof;
pub(crate) mod tables;
