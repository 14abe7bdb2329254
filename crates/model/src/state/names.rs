//! What things of a fitting are called: pieces by number, meshes by their file.

use crate::error::WorkshopError;
use serde::{Deserialize, Serialize};
use tin_cloak_store::BlobId;

/// Number of a piece within its fitting; never used again for another.
pub type PieceId = u32;

/// The body, where a piece could stand too.
pub const BODY: PieceId = 0;

/// A mesh of a kept file.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct FileRef {
    pub file: BlobId,
    pub file_name: String,
    pub mesh: String,
}

/// Letters of a name that people give.
pub const LONGEST_NAME: usize = 60;

/// A name without spaces about it.
///
/// # Errors
/// When it is empty or too long.
pub fn checked_name(name: &str) -> Result<String, WorkshopError> {
    let name = name.trim();
    match name.is_empty() || name.chars().count() > LONGEST_NAME || name.chars().any(char::is_control) {
        true => Err(WorkshopError::BadName { most: LONGEST_NAME }),
        false => Ok(name.to_owned()),
    }
}
