//! What is done about trouble the board shows.

pub mod apply;
pub mod bindings;
pub mod correct;
pub mod correct_steps;
pub mod correctives_by_hand;
pub mod hide;
pub mod left;
pub mod means;
pub mod more_poses;
pub mod push_out;
pub mod regressions;
pub mod snag_acts;
pub mod steps;
pub mod tuck;
pub mod unseen;
pub mod volume;
