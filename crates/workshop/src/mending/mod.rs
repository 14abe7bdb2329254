//! What is done about trouble the board shows.

pub(crate) mod correct;
pub(crate) mod correct_steps;
pub(crate) mod hide;
pub(crate) mod left;
pub(crate) mod means;
pub(crate) mod push_out;
pub(crate) mod spoilt;
pub(crate) mod steps;
pub(crate) mod tuck;
pub(crate) mod unseen;
pub(crate) mod volume;
