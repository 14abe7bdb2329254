//! Mending: making poke-through go away.

mod field;
mod push_out;

pub use field::smooth as smooth_field;
pub use push_out::{push_out, MendProgress, Mended, PieceReport, PushSettings, TrialPose};
