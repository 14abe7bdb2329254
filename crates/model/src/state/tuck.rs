//! The body drawn in under cloth.

use crate::state::corrective::{all_of_it, is_all_of_it};
use crate::state::made_of::MadeOf;
use crate::state::names::PieceId;
use serde::{Deserialize, Serialize};
use tin_cloak_store::BlobId;

/// How far the body is drawn in under pieces; it is so while all of these are worn.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tuck {
    /// The pieces over it.
    pub by: Vec<PieceId>,
    /// An offset for each of the body's welded vertices, packed.
    pub offsets: BlobId,
    /// So much of these is what it does: 1 for all.
    #[serde(default = "all_of_it", skip_serializing_if = "is_all_of_it")]
    pub amount: f32,
    /// The body and what lies over it, when it was drawn in.
    #[serde(default, skip_serializing_if = "MadeOf::is_empty")]
    pub made_of: MadeOf,
}
