//! Mending: making poke-through go away.

mod alike;
mod correctives;
mod finite_newton;
mod islands;
mod moves;
mod push_out;
mod rigid;
mod spoilt;
mod system;
mod volume;

pub use crate::deform::TrialPose;
pub use alike::make_alike;
pub use correctives::{bad_turns, BadTurn};
pub use finite_newton::{least_change, Demands, Lower};
pub use push_out::{
    folded, push_out, push_out_with, trouble_in, Mended, Mending, PieceReport, PoseCache, PushSettings,
    Trouble,
};
pub use rigid::{keep_rigid, move_with_partners, CLOTH};
pub use spoilt::shares_to_keep;
pub use volume::{gives_back, lost_volume, LostVolume};
