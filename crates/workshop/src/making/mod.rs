//! A step under way, and the state it makes.

pub(crate) mod carried;
pub(crate) mod doing;
pub(crate) mod draft;
pub(crate) mod job;
pub(crate) mod renumbered;
