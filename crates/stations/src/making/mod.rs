//! A step under way, and the state it makes.

pub mod apply;
pub mod carried;
pub mod doing;
pub mod draft;
pub mod job;
pub mod renumbered;
