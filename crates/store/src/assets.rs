//! Files that were brought in, and what is known of them.

use crate::blobs::{BlobId, PackedBlob};
use crate::{Result, Store, StoreError};
use rusqlite::params;

/// A file brought in, kept to be used in fittings.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct Asset {
    pub id: i64,
    pub name: String,
    /// `body` or `piece`.
    pub role: String,
    /// The file's bytes.
    pub file: BlobId,
    pub file_name: String,
    /// Which mesh of the file.
    pub mesh: String,
    /// What is known about it, as JSON.
    pub summary: String,
}

/// An asset to be kept.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct NewAsset {
    pub name: String,
    pub role: String,
    pub mesh: String,
    /// What is known about it, as JSON.
    pub summary: String,
}

impl Store {
    /// Keeps a file and the assets found in it.
    ///
    /// # Errors
    /// When the database fails.
    pub fn add_assets(&self, file_name: &str, bytes: &[u8], found: &[NewAsset]) -> Result<Vec<Asset>> {
        let packed = PackedBlob::new(bytes)?;
        self.write(|t| {
            packed.put(t)?;
            let file = packed.id.clone();
            let mut assets = Vec::new();
            for NewAsset { name, role, mesh, summary } in found.iter().cloned() {
                t.execute(
                    "INSERT INTO assets (name, role, file, file_name, mesh, summary) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
                    params![name, role, file.as_str(), file_name, mesh, summary],
                )?;
                let (id, file, file_name) = (t.last_insert_rowid(), file.clone(), file_name.to_owned());
                assets.push(Asset { id, name, role, file, file_name, mesh, summary });
            }
            Ok(assets)
        })
    }

    /// Gives assets another role and summary: `(id, role, summary)`.
    ///
    /// # Errors
    /// When one of them is not there; none is changed then.
    pub fn sort_assets(&self, sorted: &[(i64, String, String)]) -> Result<()> {
        self.write(|t| {
            for (id, role, summary) in sorted {
                let query = "UPDATE assets SET role = ?2, summary = ?3 WHERE id = ?1";
                if t.execute(query, params![id, role, summary])? == 0 {
                    return Err(StoreError::Missing { what: "body or piece", id: id.to_string() });
                }
            }
            Ok(())
        })
    }

    /// All assets, in the order they came.
    ///
    /// # Errors
    /// When the database fails.
    pub fn assets(&self) -> Result<Vec<Asset>> {
        let connection = self.read();
        let mut query = connection
            .prepare("SELECT id, name, role, file, file_name, mesh, summary FROM assets ORDER BY id")?;
        let rows = query.query_map([], |r| {
            Ok(Asset {
                id: r.get(0)?,
                name: r.get(1)?,
                role: r.get(2)?,
                file: BlobId::from_stored(r.get(3)?),
                file_name: r.get(4)?,
                mesh: r.get(5)?,
                summary: r.get(6)?,
            })
        })?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }
}
