//! What goes out.

pub mod export;
pub mod forms;
pub mod limits;
pub mod names;
pub mod outdated;
pub mod tables;
