//! Fittings: made, listed, thrown away.

use crate::blobs::BlobId;
use crate::steps::{append, now, packed_blobs, NewStep};
use crate::{Result, Store, StoreError};
use rusqlite::{params, Connection, OptionalExtension};

/// A fitting without its steps.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct Fitting {
    pub id: i64,
    pub name: String,
    /// Seconds since 1970.
    pub changed: i64,
    /// Sequence number of the step the fitting stands at; 0 before the first.
    pub cursor: i64,
}

/// A fitting as the Shelf lists it: nothing of it is decoded.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct Listed {
    pub fitting: Fitting,
    /// What the step it stands at says of the whole, as JSON; empty when that was never written.
    pub summary: String,
    /// The state it stands at.
    pub state: BlobId,
}

impl Store {
    /// A new fitting at its first step.
    ///
    /// # Errors
    /// When the database fails.
    pub fn create_fitting(&self, name: &str, first: &NewStep) -> Result<i64> {
        let blobs = packed_blobs(first)?;
        self.write(|t| {
            t.execute(
                "INSERT INTO fittings (name, changed, cursor) VALUES (?1, ?2, 0)",
                params![name, now()],
            )?;
            let id = t.last_insert_rowid();
            append(t, id, 0, first, &blobs)?;
            Ok(id)
        })
    }

    /// A copy of a fitting with its steps up to `seq` (up to where it stands when none is named), standing at the last
    /// of them. Blobs are shared.
    ///
    /// # Errors
    /// When there is no such fitting or step.
    pub fn copy_fitting(&self, fitting_id: i64, seq: Option<i64>, name: &str) -> Result<i64> {
        self.write(|t| {
            let seq = seq.map_or_else(|| Ok(fitting(t, fitting_id)?.cursor), Ok::<i64, StoreError>)?;
            t.execute(
                "INSERT INTO fittings (name, changed, cursor) VALUES (?1, ?2, ?3)",
                params![name, now(), seq],
            )?;
            let id = t.last_insert_rowid();
            t.execute(
                "INSERT INTO steps (fitting, seq, step, sentence, effect, state, at, summary)
                 SELECT ?1, seq, step, sentence, effect, state, at, summary FROM steps
                 WHERE fitting = ?2 AND seq <= ?3",
                params![id, fitting_id, seq],
            )?;
            let there = "SELECT count(*) FROM steps WHERE fitting = ?1 AND seq = ?2";
            match t.query_row(there, params![id, seq], |r| r.get::<_, i64>(0))? {
                0 => Err(StoreError::Missing { what: "step", id: seq.to_string() }),
                _ => Ok(id),
            }
        })
    }

    /// Gives a fitting another name.
    ///
    /// # Errors
    /// When it is not there.
    pub fn rename_fitting(&self, id: i64, name: &str) -> Result<()> {
        self.write(|t| {
            fitting(t, id)?;
            t.execute("UPDATE fittings SET name = ?2 WHERE id = ?1", params![id, name])?;
            Ok(())
        })
    }

    /// All fittings, the last changed first.
    ///
    /// # Errors
    /// When the database fails.
    pub fn fittings(&self) -> Result<Vec<Fitting>> {
        let connection = self.read();
        let mut query = connection
            .prepare("SELECT id, name, changed, cursor FROM fittings ORDER BY changed DESC, id DESC")?;
        let rows = query.query_map([], read_fitting)?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }

    /// All fittings with what the step each stands at says of it, the last changed first.
    ///
    /// # Errors
    /// When the database fails.
    pub fn listed(&self) -> Result<Vec<Listed>> {
        let connection = self.read();
        let mut query = connection.prepare(
            "SELECT f.id, f.name, f.changed, f.cursor, s.summary, s.state FROM fittings f
             JOIN steps s ON s.fitting = f.id AND s.seq = f.cursor ORDER BY f.changed DESC, f.id DESC",
        )?;
        let rows = query.query_map([], |r| {
            Ok(Listed {
                fitting: read_fitting(r)?,
                summary: r.get(4)?,
                state: BlobId::from_stored(r.get(5)?),
            })
        })?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }

    /// The state after a step of a fitting; after the one it stands at when none is named.
    ///
    /// # Errors
    /// When there is no such fitting or step.
    pub fn state_at(&self, fitting_id: i64, seq: Option<i64>) -> Result<BlobId> {
        let connection = self.read();
        let seq = match seq {
            Some(seq) => seq,
            None => fitting(&connection, fitting_id)?.cursor,
        };
        let query = "SELECT state FROM steps WHERE fitting = ?1 AND seq = ?2";
        let found = connection.query_row(query, params![fitting_id, seq], |r| r.get(0)).optional()?;
        let missing = || StoreError::Missing { what: "step", id: seq.to_string() };
        found.map(BlobId::from_stored).ok_or_else(missing)
    }

    /// One fitting.
    ///
    /// # Errors
    /// When it is not there.
    pub fn fitting(&self, id: i64) -> Result<Fitting> {
        fitting(&self.read(), id)
    }

    /// Throws a fitting away with its steps; blobs that nothing leads to any more stay until
    /// the store is compacted.
    ///
    /// # Errors
    /// When it is not there.
    pub fn delete_fitting(&self, id: i64) -> Result<()> {
        self.write(|t| {
            fitting(t, id)?;
            t.execute("DELETE FROM steps WHERE fitting = ?1", [id])?;
            t.execute("DELETE FROM fittings WHERE id = ?1", [id])?;
            Ok(())
        })
    }
}

fn read_fitting(r: &rusqlite::Row) -> rusqlite::Result<Fitting> {
    Ok(Fitting { id: r.get(0)?, name: r.get(1)?, changed: r.get(2)?, cursor: r.get(3)? })
}

pub(crate) fn fitting(connection: &Connection, id: i64) -> Result<Fitting> {
    connection
        .query_row("SELECT id, name, changed, cursor FROM fittings WHERE id = ?1", [id], read_fitting)
        .optional()?
        .ok_or_else(|| StoreError::Missing { what: "fitting", id: id.to_string() })
}
