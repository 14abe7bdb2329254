//! What is handed over is read again, and compared with the screen.

mod obj_proof;
mod on_screen;
pub(crate) mod proof;
pub(crate) mod proof_job;
