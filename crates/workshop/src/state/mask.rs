//! Faces of the body that nobody sees while something is worn.

use crate::state::names::PieceId;
use serde::{Deserialize, Serialize};
use tin_cloak_store::BlobId;

/// Faces of the body that pieces hide in every counted pose; they are left out while all of these are worn.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mask {
    /// The pieces that hide them.
    pub by: Vec<PieceId>,
    /// Faces of the body, ascending, packed.
    pub faces: BlobId,
    /// How many.
    pub count: usize,
    /// What was worn and tried when they were found.
    pub found_on: String,
}

/// How to look for what nobody sees.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct HideOptions {
    /// Rings of vertices that are kept next to what is seen.
    pub rings: usize,
}

impl Default for HideOptions {
    fn default() -> Self {
        Self { rings: 1 }
    }
}
