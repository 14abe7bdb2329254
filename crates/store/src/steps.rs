//! The steps of a fitting, and the cursor that goes along them.

use crate::blobs::{BlobId, PackedBlob};
use crate::fittings::fitting;
use crate::{Result, Store, StoreError};
use rusqlite::{params, OptionalExtension, Transaction};
use std::time::{SystemTime, UNIX_EPOCH};

/// One recorded step.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct StepRow {
    pub seq: i64,
    /// The step as JSON.
    pub step: String,
    /// The step in words.
    pub sentence: String,
    /// What it did, as JSON.
    pub effect: String,
    /// The state after it.
    pub state: BlobId,
    pub at: i64,
}

/// What a step brings into the store.
#[derive(Clone, Debug, Default)]
#[allow(missing_docs)]
pub struct NewStep {
    pub step: String,
    pub sentence: String,
    pub effect: String,
    /// The state after the step, as JSON.
    pub state: String,
    /// What lists say of the fitting after it, as JSON.
    pub summary: String,
    /// Blobs the state refers to.
    pub blobs: Vec<Vec<u8>>,
}

impl Store {
    /// The steps of a fitting, first to last, those undone included.
    ///
    /// # Errors
    /// When the database fails.
    pub fn steps(&self, fitting: i64) -> Result<Vec<StepRow>> {
        let connection = self.read();
        let mut query = connection.prepare(
            "SELECT seq, step, sentence, effect, state, at FROM steps WHERE fitting = ?1 ORDER BY seq",
        )?;
        let rows = query.query_map([fitting], |r| {
            Ok(StepRow {
                seq: r.get(0)?,
                step: r.get(1)?,
                sentence: r.get(2)?,
                effect: r.get(3)?,
                state: BlobId::from_stored(r.get(4)?),
                at: r.get(5)?,
            })
        })?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }

    /// Records a step after the one the fitting stands at (which must still be `after`); steps
    /// that had been undone are dropped. Returns the new cursor.
    ///
    /// # Errors
    /// When the fitting is not there or has moved on meanwhile.
    pub fn add_step(&self, fitting_id: i64, after: i64, step: &NewStep) -> Result<i64> {
        let blobs = packed_blobs(step)?;
        self.write(|t| {
            if fitting(t, fitting_id)?.cursor != after {
                return Err(StoreError::Missing { what: "step to follow:", id: after.to_string() });
            }
            append(t, fitting_id, after, step, &blobs)
        })
    }

    /// Records a step in the place of the last one, `seq`; what was undone behind it is gone.
    ///
    /// # Errors
    /// When the fitting is missing, `seq` is not its last step any more, or the database fails.
    pub fn replace_step(&self, fitting_id: i64, seq: i64, step: &NewStep) -> Result<i64> {
        let blobs = packed_blobs(step)?;
        self.write(|t| {
            if fitting(t, fitting_id)?.cursor != seq {
                return Err(StoreError::Missing { what: "step to replace:", id: seq.to_string() });
            }
            append(t, fitting_id, seq - 1, step, &blobs)
        })
    }

    /// Gives a step another effect and summary: what was measured of it later. Nothing happens when
    /// the step is no longer the one that made `state`.
    ///
    /// # Errors
    /// When the database fails.
    pub fn amend_step(
        &self,
        fitting_id: i64,
        seq: i64,
        state: &BlobId,
        effect: &str,
        summary: &str,
    ) -> Result<()> {
        self.write(|t| {
            t.execute(
                "UPDATE steps SET effect = ?4, summary = ?5 WHERE fitting = ?1 AND seq = ?2 AND state = ?3",
                params![fitting_id, seq, state.as_str(), effect, summary],
            )?;
            Ok(())
        })
    }

    /// Moves the cursor a step back (`by` −1) or on (1), and says where it is then; nothing when there
    /// is no such step. Two who do so at once go two steps.
    ///
    /// # Errors
    /// When there is no such fitting.
    pub fn step_cursor(&self, fitting_id: i64, by: i64) -> Result<Option<i64>> {
        self.write(|t| {
            let seq = fitting(t, fitting_id)?.cursor + by;
            let moved = t.execute(
                "UPDATE fittings SET cursor = ?2, changed = ?3 WHERE id = ?1
                 AND EXISTS (SELECT 1 FROM steps WHERE fitting = ?1 AND seq = ?2)",
                params![fitting_id, seq, now()],
            )?;
            Ok((moved > 0).then_some(seq))
        })
    }

    /// Moves the cursor to another recorded step.
    ///
    /// # Errors
    /// When there is no such step.
    pub fn move_cursor(&self, fitting: i64, seq: i64) -> Result<()> {
        self.write(|t| {
            let found: Option<i64> = t
                .query_row(
                    "SELECT seq FROM steps WHERE fitting = ?1 AND seq = ?2",
                    params![fitting, seq],
                    |r| r.get(0),
                )
                .optional()?;
            found.ok_or_else(|| StoreError::Missing { what: "step", id: seq.to_string() })?;
            t.execute(
                "UPDATE fittings SET cursor = ?2, changed = ?3 WHERE id = ?1",
                params![fitting, seq, now()],
            )?;
            Ok(())
        })
    }
}

/// The state of a step and its blobs, compressed before any lock is taken.
pub(crate) fn packed_blobs(step: &NewStep) -> Result<Vec<PackedBlob>> {
    let state = std::iter::once(step.state.as_bytes());
    state.chain(step.blobs.iter().map(Vec::as_slice)).map(PackedBlob::new).collect()
}

/// `blobs` has the step's state in front.
pub(crate) fn append(
    t: &Transaction,
    fitting: i64,
    after: i64,
    step: &NewStep,
    blobs: &[PackedBlob],
) -> Result<i64> {
    blobs.iter().try_for_each(|blob| blob.put(t))?;
    t.execute("DELETE FROM steps WHERE fitting = ?1 AND seq > ?2", params![fitting, after])?;
    let seq = after + 1;
    let state = blobs[0].id.as_str();
    t.execute(
        "INSERT INTO steps (fitting, seq, step, sentence, effect, state, at, summary)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
        params![fitting, seq, step.step, step.sentence, step.effect, state, now(), step.summary],
    )?;
    t.execute("UPDATE fittings SET cursor = ?2, changed = ?3 WHERE id = ?1", params![fitting, seq, now()])?;
    Ok(seq)
}

pub(crate) fn now() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_secs() as i64)
}
