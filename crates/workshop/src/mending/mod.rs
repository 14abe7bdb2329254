//! What is done about trouble the board shows.

pub(crate) mod hide;
pub(crate) mod push_out;
pub(crate) mod steps;
