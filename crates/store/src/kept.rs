//! Measured values, kept under a hash of all that they depend on.
//!
//! Losing them costs time and nothing else, so what has not been asked for longest goes when they
//! grow too many.

use crate::{Result, Store};
use rusqlite::{params, Connection, OptionalExtension};
use std::sync::atomic::Ordering;

/// A hash of all that a value depends on.
pub type KeptKey = [u8; 32];

/// So many bytes of values are kept from one start of the program to the next.
const MOST_BYTES: i64 = 512 << 20;

/// After so many more of them it is looked whether they are too many.
const LOOKED_AFTER: usize = 32 << 20;

impl Store {
    /// The values under `keys`, in their order; none where nothing is kept.
    ///
    /// # Errors
    /// When the database fails.
    pub fn kept(&self, keys: &[KeptKey]) -> Result<Vec<Option<Vec<u8>>>> {
        let connection = self.read();
        let mut query = connection.prepare_cached("SELECT value FROM kept WHERE key = ?1")?;
        let one = |key: &KeptKey| query.query_row([key.as_slice()], |r| r.get(0)).optional();
        Ok(keys.iter().map(one).collect::<rusqlite::Result<_>>()?)
    }

    /// Keeps values under their keys, all or none.
    ///
    /// # Errors
    /// When the database fails.
    pub fn keep(&self, values: &[(KeptKey, Vec<u8>)]) -> Result<()> {
        self.write(|t| {
            let mut put = t.prepare_cached("INSERT OR IGNORE INTO kept (key, value) VALUES (?1, ?2)")?;
            for (key, value) in values {
                put.execute(params![key.as_slice(), value])?;
            }
            Ok(())
        })?;
        let bytes = values.iter().map(|v| v.1.len()).sum();
        if self.fresh.fetch_add(bytes, Ordering::Relaxed) + bytes > LOOKED_AFTER {
            self.fresh.store(0, Ordering::Relaxed);
            self.write(|t| prune(t))?;
        }
        Ok(())
    }
}

/// Drops the oldest values beyond the most that are kept.
pub(crate) fn prune(connection: &Connection) -> Result<()> {
    let all: i64 =
        connection.query_row("SELECT coalesce(sum(length(value)), 0) FROM kept", [], |r| r.get(0))?;
    if all > MOST_BYTES {
        connection.execute(
            "DELETE FROM kept WHERE number <= (
                SELECT number FROM (SELECT number, sum(length(value)) OVER (ORDER BY number) AS upto FROM kept)
                WHERE upto >= ?1 LIMIT 1)",
            [all - MOST_BYTES / 2],
        )?;
    }
    Ok(())
}
