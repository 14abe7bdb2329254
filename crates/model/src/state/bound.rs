//! The weights of a bound piece, as steps make and keep them.

use serde::{Deserialize, Serialize};
use tin_cloak_core::skin::Skin;

/// The weights of a bound piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Bound {
    /// How they were found: the word of a method, `stiff`, or `file`.
    pub method: String,
    /// Share of vertices matched to the surface beneath, 0 to 1.
    pub matched_share: f32,
    /// One row a welded vertex.
    pub skin: Skin,
    /// Welded vertices whose weights were filled in, ascending.
    #[serde(default)]
    pub filled: Vec<u32>,
}

impl Bound {
    /// All matched.
    pub fn by(method: &str, skin: Skin) -> Self {
        Self { method: method.to_owned(), matched_share: 1.0, skin, filled: Vec::new() }
    }
}
