//! Fittings, steps and blobs in SQLite (WAL mode).
//!
//! A fitting is its steps. After each step the whole state is kept as a blob, so undo and
//! redo only move a cursor. A step, its blobs and the cursor are written in one transaction:
//! whatever was answered is there after a crash, and nothing half done.
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod blobs;
mod kept;
mod limit_sets;
mod schema;

use rusqlite::{params, Connection, OpenFlags, OptionalExtension, Transaction};
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use blobs::Packed;

pub use blobs::BlobId;
pub use kept::KeptKey;

/// What can go wrong with the store.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum StoreError {
    #[error("the data folder {path} cannot be used ({source}): check its permissions")]
    Folder { path: String, source: std::io::Error },
    #[error(
        "the database failed ({0}): if it is in use by another copy, close that one; if the disk is full, \
     make room"
    )]
    Database(#[from] rusqlite::Error),
    #[error(
        "the database could not be brought up to date ({0}): keep a copy of the data folder and report this"
    )]
    Migrate(rusqlite_migration::Error),
    #[error("the data was written by a newer version (schema {found}, this one knows {known}): update the program")]
    Newer { found: i64, known: i64 },
    #[error("a stored blob could not be unpacked ({0})")]
    Unpack(std::io::Error),
    #[error("there is no {what} {id}")]
    Missing { what: &'static str, id: String },
}

/// How long a connection waits for another.
const PATIENCE: Duration = Duration::from_secs(5);

type Result<T> = std::result::Result<T, StoreError>;

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

/// The store: one connection writes, another reads beside it.
pub struct Store {
    writer: Mutex<Connection>,
    reader: Mutex<Connection>,
}

impl Store {
    /// Opens or makes the store in `folder`.
    ///
    /// # Errors
    /// When the folder or database cannot be used, or was written by a newer version.
    pub fn open(folder: &Path) -> Result<Self> {
        std::fs::create_dir_all(folder)
            .map_err(|source| StoreError::Folder { path: folder.display().to_string(), source })?;
        let file = folder.join("tin-cloak.sqlite");
        let mut writer = Connection::open(&file)?;
        writer.busy_timeout(PATIENCE)?;
        writer.pragma_update(None, "journal_mode", "WAL")?;
        // Full: an answered step survives a power cut, not only a crash.
        writer.pragma_update(None, "synchronous", "FULL")?;
        writer.pragma_update(None, "foreign_keys", "ON")?;
        schema::migrate(&mut writer)?;
        kept::prune(&mut writer)?;
        let reader = Connection::open_with_flags(&file, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
        reader.busy_timeout(PATIENCE)?;
        Ok(Self { writer: Mutex::new(writer), reader: Mutex::new(reader) })
    }

    fn read(&self) -> MutexGuard<'_, Connection> {
        self.reader.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn write<T>(&self, work: impl FnOnce(&Transaction) -> Result<T>) -> Result<T> {
        let mut connection = self.writer.lock().unwrap_or_else(PoisonError::into_inner);
        let transaction = connection.transaction()?;
        let answer = work(&transaction)?;
        transaction.commit()?;
        Ok(answer)
    }

    /// The bytes of a blob.
    ///
    /// # Errors
    /// When it is not there or damaged.
    pub fn blob(&self, id: &BlobId) -> Result<Vec<u8>> {
        blobs::get(&self.read(), id)
    }

    /// Keeps a file and the assets found in it.
    ///
    /// # Errors
    /// When the database fails.
    pub fn add_assets(&self, file_name: &str, bytes: &[u8], found: &[NewAsset]) -> Result<Vec<Asset>> {
        let packed = Packed::of(bytes)?;
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

    /// Throws a fitting away with its steps; blobs that nothing refers to any more stay until
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
        (effect, summary): (&str, &str),
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

fn read_fitting(r: &rusqlite::Row) -> rusqlite::Result<Fitting> {
    Ok(Fitting { id: r.get(0)?, name: r.get(1)?, changed: r.get(2)?, cursor: r.get(3)? })
}

fn fitting(connection: &Connection, id: i64) -> Result<Fitting> {
    connection
        .query_row("SELECT id, name, changed, cursor FROM fittings WHERE id = ?1", [id], read_fitting)
        .optional()?
        .ok_or_else(|| StoreError::Missing { what: "fitting", id: id.to_string() })
}

/// The state of a step and its blobs, compressed before any lock is taken.
fn packed_blobs(step: &NewStep) -> Result<Vec<Packed>> {
    let state = std::iter::once(step.state.as_bytes());
    state.chain(step.blobs.iter().map(Vec::as_slice)).map(Packed::of).collect()
}

/// `blobs` has the step's state in front.
fn append(t: &Transaction, fitting: i64, after: i64, step: &NewStep, blobs: &[Packed]) -> Result<i64> {
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

fn now() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_secs() as i64)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn step(n: u32) -> NewStep {
        NewStep {
            step: format!("{{\"n\":{n}}}"),
            sentence: format!("step {n}"),
            effect: "{}".into(),
            state: format!("state {n}"),
            summary: format!("summary {n}"),
            blobs: vec![vec![n as u8; 5000]],
        }
    }

    #[test]
    fn undo_redo_and_a_new_branch() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let id = store.create_fitting("one", &step(1)).unwrap();
        store.add_step(id, 1, &step(2)).unwrap();
        store.add_step(id, 2, &step(3)).unwrap();
        store.move_cursor(id, 1).unwrap();
        assert_eq!(store.steps(id).unwrap().len(), 3);
        assert_eq!(store.add_step(id, 1, &step(4)).unwrap(), 2);
        let rows = store.steps(id).unwrap();
        assert_eq!(rows.iter().map(|r| r.sentence.as_str()).collect::<Vec<_>>(), ["step 1", "step 4"]);
        assert_eq!(store.blob(&rows[1].state).unwrap(), b"state 4");
        assert!(store.move_cursor(id, 9).is_err());
        assert!(store.add_step(id, 1, &step(5)).is_err(), "the fitting has moved on");
    }

    #[test]
    fn an_effect_is_told_of_the_step_that_had_it() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let id = store.create_fitting("one", &step(1)).unwrap();
        let old = store.state_at(id, None).unwrap();
        store.amend_step(id, 1, &old, ("{\"better\":3}", "told")).unwrap();
        assert_eq!(store.listed().unwrap()[0].summary, "told");
        store.add_step(id, 1, &step(2)).unwrap();
        assert_eq!(store.listed().unwrap()[0].summary, "summary 2");
        // Another step stands in its place by now.
        store.amend_step(id, 2, &old, ("{}", "late")).unwrap();
        assert_eq!(store.listed().unwrap()[0].summary, "summary 2");
        assert_eq!(store.state_at(id, Some(1)).unwrap(), old);
        assert!(store.state_at(id, Some(7)).is_err());
    }

    #[test]
    fn a_store_of_the_first_schema_opens_and_keeps_its_steps() {
        let folder = tempfile::tempdir().unwrap();
        let old = Connection::open(folder.path().join("tin-cloak.sqlite")).unwrap();
        old.execute_batch(schema::FIRST).unwrap();
        old.pragma_update(None, "user_version", 1).unwrap();
        old.execute_batch(
            "INSERT INTO blobs VALUES ('s', 0, x'28b52ffd2000010000');
             INSERT INTO fittings VALUES (7, 'kept', 1, 1);
             INSERT INTO steps VALUES (7, 1, '{}', 'Begin', '{}', 's', 1);",
        )
        .unwrap();
        drop(old);
        let store = Store::open(folder.path()).unwrap();
        let listed = store.listed().unwrap();
        assert_eq!((listed[0].fitting.name.as_str(), listed[0].summary.as_str()), ("kept", ""));
        assert_eq!(store.steps(7).unwrap()[0].sentence, "Begin");
        assert_eq!(store.add_step(7, 1, &step(2)).unwrap(), 2);
        assert!(store.limit_sets().unwrap().is_empty());
    }

    #[test]
    fn a_set_of_limits_is_kept_under_its_name() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        store.keep_limit_set("phone", "{}").unwrap();
        store.keep_limit_set("film", "1").unwrap();
        store.keep_limit_set("phone", "2").unwrap();
        let text = |t: &str| t.to_owned();
        let all = vec![(text("film"), text("1")), (text("phone"), text("2"))];
        assert_eq!(store.limit_sets().unwrap(), all);
        assert!(store.drop_limit_set("film").unwrap() && !store.drop_limit_set("film").unwrap());
        assert_eq!(store.limit_sets().unwrap(), all[1..]);
    }

    #[test]
    fn what_was_answered_is_there_after_reopening() {
        let folder = tempfile::tempdir().unwrap();
        let id = {
            let store = Store::open(folder.path()).unwrap();
            let id = store.create_fitting("one", &step(1)).unwrap();
            store.add_step(id, 1, &step(2)).unwrap();
            // No orderly close: the connection is leaked, as by a killed process.
            std::mem::forget(store);
            id
        };
        let store = Store::open(folder.path()).unwrap();
        assert_eq!(store.fitting(id).unwrap().cursor, 2);
    }

    #[test]
    fn a_newer_schema_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        Store::open(folder.path()).unwrap();
        let connection = Connection::open(folder.path().join("tin-cloak.sqlite")).unwrap();
        connection.pragma_update(None, "user_version", 999).unwrap();
        assert!(matches!(Store::open(folder.path()), Err(StoreError::Newer { found: 999, .. })));
    }

    #[test]
    fn equal_blobs_are_kept_once() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let text = |t: &str| t.to_owned();
        let found = [NewAsset { name: text("a"), role: text("piece"), mesh: text("m"), summary: text("{}") }];
        let one = store.add_assets("a.glb", &[7; 100_000], &found).unwrap();
        let two = store.add_assets("b.glb", &[7; 100_000], &found).unwrap();
        assert_eq!(one[0].file, two[0].file);
        let count: i64 = store.read().query_row("SELECT count(*) FROM blobs", [], |r| r.get(0)).unwrap();
        assert_eq!(count, 1);
        let sorted = |id| (id, "body".to_owned(), "{}".to_owned());
        assert!(store.sort_assets(&[sorted(one[0].id), sorted(99)]).is_err());
        assert_eq!(store.assets().unwrap()[0].role, "piece", "all or none");
        store.sort_assets(&[sorted(one[0].id)]).unwrap();
        assert_eq!(store.assets().unwrap()[0].role, "body");
    }

    #[test]
    fn a_step_back_is_a_step_back_however_many_ask() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let id = store.create_fitting("one", &step(1)).unwrap();
        for n in 1..6 {
            store.add_step(id, i64::from(n), &step(n + 1)).unwrap();
        }
        std::thread::scope(|s| {
            let back: Vec<_> = (0..3).map(|_| s.spawn(|| store.step_cursor(id, -1).unwrap())).collect();
            let mut places: Vec<i64> = back.into_iter().map(|t| t.join().unwrap().unwrap()).collect();
            places.sort_unstable();
            assert_eq!(places, [3, 4, 5]);
        });
        assert_eq!(store.fitting(id).unwrap().cursor, 3);
        assert_eq!(store.step_cursor(id, 1).unwrap(), Some(4));
        store.move_cursor(id, 1).unwrap();
        assert_eq!(store.step_cursor(id, -1).unwrap(), None, "there is nothing before the first");
        store.move_cursor(id, 6).unwrap();
        assert_eq!(store.step_cursor(id, 1).unwrap(), None);
        assert!(store.step_cursor(99, 1).is_err());
    }
}
