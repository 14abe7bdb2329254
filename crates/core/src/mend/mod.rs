//! Mending: making poke-through go away.

mod best_shift;
mod kaczmarz;
mod push_out;
mod rigid;
mod swelling;

pub use push_out::{push_out, MendProgress, Mended, PieceReport, PushSettings, TrialPose};
pub use rigid::{keep_rigid, move_with_partners, CLOTH};
pub use swelling::smooth as smooth_field;
