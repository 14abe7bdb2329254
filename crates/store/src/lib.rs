//! Fittings, steps and blobs in SQLite (WAL mode).
//!
//! A fitting is its steps. After each step the whole state is kept as a blob, so undo and
//! redo only move a cursor. A step, its blobs and the cursor are written in one transaction:
//! whatever was answered is there after a crash, and nothing half done.
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod assets;
mod blobs;
mod fittings;
mod kept;
mod limit_sets;
mod schema;
mod steps;

use rusqlite::{Connection, OpenFlags, Transaction};
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

pub use assets::{Asset, NewAsset};
pub use blobs::BlobId;
pub use fittings::{Fitting, Listed};
pub use kept::KeptKey;
pub use steps::{NewStep, StepRow};

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
