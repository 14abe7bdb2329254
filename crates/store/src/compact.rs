//! Letting go of what nothing leads to any more: blobs of steps that were dropped and fittings that were thrown away.

use crate::{blobs, kept, BlobId, Result, Store};
use rusqlite::{Connection, Transaction};
use std::collections::BTreeSet;
use std::sync::PoisonError;

/// What compacting has brought.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Compacted {
    /// Blobs that nothing led to.
    pub blobs: usize,
    /// Bytes of the database before and after.
    pub bytes: (u64, u64),
}

impl Store {
    /// Drops blobs that no asset and no step leads to, and gives the room back to the disk. Nobody else may have the
    /// store open.
    ///
    /// # Errors
    /// When the database fails, or the disk has no room for a second copy meanwhile.
    pub fn compact(&self) -> Result<Compacted> {
        let mut connection = self.writer.lock().unwrap_or_else(PoisonError::into_inner);
        let before = size(&connection)?;
        let transaction = connection.transaction()?;
        let dropped = drop_unreachable(&transaction)?;
        transaction.commit()?;
        kept::prune(&connection)?;
        connection.execute_batch("VACUUM; PRAGMA wal_checkpoint(TRUNCATE);")?;
        Ok(Compacted { blobs: dropped, bytes: (before, size(&connection)?) })
    }
}

fn size(connection: &Connection) -> Result<u64> {
    let pages: i64 = connection.pragma_query_value(None, "page_count", |r| r.get(0))?;
    let each: i64 = connection.pragma_query_value(None, "page_size", |r| r.get(0))?;
    Ok((pages * each).unsigned_abs())
}

fn drop_unreachable(t: &Transaction) -> Result<usize> {
    let all = texts(t, "SELECT id FROM blobs")?;
    let mut reached = texts(t, "SELECT file FROM assets")?;
    let states = texts(t, "SELECT DISTINCT state FROM steps")?;
    let said =
        texts(t, "SELECT step FROM steps UNION SELECT summary FROM steps UNION SELECT summary FROM assets")?;
    reached.extend(said.iter().flat_map(|text| names_in(text)).map(str::to_owned));
    for state in &states {
        let bytes = blobs::get(t, &BlobId::from_stored(state.clone()))?;
        reached.extend(names_in(&String::from_utf8_lossy(&bytes)).map(str::to_owned));
    }
    reached.extend(states);
    let lost: Vec<&String> = all.difference(&reached).collect();
    let mut delete = t.prepare("DELETE FROM blobs WHERE id = ?1")?;
    for id in &lost {
        delete.execute([id])?;
    }
    Ok(lost.len())
}

fn texts(t: &Transaction, query: &str) -> Result<BTreeSet<String>> {
    let mut query = t.prepare(query)?;
    let rows = query.query_map([], |r| r.get(0))?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// Letters of a blob's name.
const NAME: usize = 64;

/// All that may be the name of a blob in a text: what is as long as one and has its letters, between others.
fn names_in(text: &str) -> impl Iterator<Item = &str> {
    text.split(|c: char| !c.is_ascii_hexdigit()).filter(|word| word.len() == NAME)
}
