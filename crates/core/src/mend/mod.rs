//! Mending: making poke-through go away.

mod alike;
mod connected_components;
mod correctives;
mod finite_newton;
mod look;
mod moves;
mod newton_system;
mod push_out;
mod regressions;
mod rigid;
mod volume;

pub use crate::deform::TrialPose;
pub use alike::make_alike;
pub use correctives::{bad_turns, turns_of, BadTurn};
pub use finite_newton::{least_change, Demands, Lower};
pub use look::{look_of_change, Look};
pub use push_out::{
    folded, push_out, push_out_with, trouble_in, Mended, Mending, PieceReport, PoseCache, PushSettings,
    Trouble,
};
pub use regressions::shares_to_keep;
pub use rigid::{keep_rigid, move_with_partners, CLOTH};
pub use volume::{gives_back, lost_volume, LostIn, LostVolume};
