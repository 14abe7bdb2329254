//! Faces of the body and of pieces that nobody sees while something is worn over them.

use crate::state::names::PieceId;
use serde::{Deserialize, Serialize};
use tin_cloak_store::BlobId;

/// Faces of a part that pieces hide in every counted pose; they are left out while all of these are worn.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mask {
    /// Whose faces: a piece's, or the body's.
    #[serde(default)]
    pub of: PieceId,
    /// The pieces that hide them; none when that was done by hand.
    pub by: Vec<PieceId>,
    /// Its faces, ascending, packed.
    pub faces: BlobId,
    /// How many.
    pub count: usize,
    /// What was worn and tried when they were found; nothing when it was done by hand.
    pub found_on: String,
}

/// How to look for what nobody sees.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct HideOptions {
    /// Rings of vertices that are kept next to what is seen.
    pub rings: usize,
    /// Pieces beneath others too, not the body alone.
    #[serde(default)]
    pub beneath: bool,
    /// What only shows where it is through is taken for hidden: it is looked from where it would lie beneath.
    #[serde(default)]
    pub through: bool,
}

impl Default for HideOptions {
    fn default() -> Self {
        Self { rings: 1, beneath: true, through: true }
    }
}
