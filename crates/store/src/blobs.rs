//! Blobs: named by the hash of their content, compressed.

use crate::{Result, StoreError};
use rusqlite::{params, Connection, OptionalExtension};

/// The name of a blob: the BLAKE3 hash of its content, in hexadecimal.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(transparent)]
pub struct BlobId(String);

impl BlobId {
    /// The name of these bytes.
    pub fn hashed(bytes: &[u8]) -> Self {
        Self(blake3::hash(bytes).to_hex().to_string())
    }

    /// As text.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    pub(crate) fn from_stored(text: String) -> Self {
        Self(text)
    }
}

/// Fast, and nearly as small as slower levels on vertex data.
const LEVEL: i32 = 1;

/// Bytes with their name, compressed.
pub(crate) struct PackedBlob {
    pub id: BlobId,
    length: usize,
    data: Vec<u8>,
}

impl PackedBlob {
    pub fn new(bytes: &[u8]) -> Result<Self> {
        let data = zstd::bulk::compress(bytes, LEVEL).map_err(StoreError::Unpack)?;
        Ok(Self { id: BlobId::hashed(bytes), length: bytes.len(), data })
    }

    /// Keeps it, unless it is there already.
    pub fn put(&self, connection: &Connection) -> Result<()> {
        connection.execute(
            "INSERT INTO blobs (id, length, data) VALUES (?1, ?2, ?3) ON CONFLICT DO NOTHING",
            params![self.id.as_str(), self.length as i64, self.data],
        )?;
        Ok(())
    }
}

pub(crate) fn get(connection: &Connection, id: &BlobId) -> Result<Vec<u8>> {
    let found: Option<(i64, Vec<u8>)> = connection
        .query_row("SELECT length, data FROM blobs WHERE id = ?1", [id.as_str()], |r| {
            Ok((r.get(0)?, r.get(1)?))
        })
        .optional()?;
    let (length, packed) = found.ok_or_else(|| StoreError::Missing { what: "blob", id: id.0.clone() })?;
    zstd::bulk::decompress(&packed, length as usize).map_err(StoreError::Unpack)
}
