//! Fittings, steps and blobs in SQLite (WAL mode).
//!
//! A fitting is its steps. After each step the whole state is kept as a blob, so undo and
//! redo only move a cursor. A step, its blobs and the cursor are written in one transaction:
//! whatever was answered is there after a crash, and nothing half done.

mod assets;
mod blobs;
mod compact;
mod fittings;
mod kept;
mod limit_sets;
mod schema;
mod steps;

use rusqlite::{Connection, OpenFlags, Transaction};
use std::path::Path;
use std::sync::atomic::AtomicUsize;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

pub use assets::{Asset, NewAsset};
pub use blobs::BlobId;
pub use compact::Compacted;
pub use fittings::{Fitting, Listed};
pub use kept::KeptKey;
pub use schema::FIRST_SCHEMA;
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
    /// None where nothing stays: such a database has one connection.
    reader: Option<Mutex<Connection>>,
    /// Bytes of values that were kept since the old ones were last dropped.
    fresh: AtomicUsize,
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
        kept::prune(&writer)?;
        let reader = Connection::open_with_flags(&file, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
        reader.busy_timeout(PATIENCE)?;
        Ok(Self { writer: Mutex::new(writer), reader: Some(Mutex::new(reader)), fresh: AtomicUsize::new(0) })
    }

    /// A store of which nothing stays: it is in memory, and in a nameless file once it is large.
    ///
    /// # Errors
    /// When there is no room for it.
    pub fn passing() -> Result<Self> {
        let mut writer = Connection::open("")?;
        writer.pragma_update(None, "journal_mode", "MEMORY")?;
        writer.pragma_update(None, "synchronous", "OFF")?;
        writer.pragma_update(None, "foreign_keys", "ON")?;
        schema::migrate(&mut writer)?;
        Ok(Self { writer: Mutex::new(writer), reader: None, fresh: AtomicUsize::new(0) })
    }

    fn read(&self) -> MutexGuard<'_, Connection> {
        self.reader.as_ref().unwrap_or(&self.writer).lock().unwrap_or_else(PoisonError::into_inner)
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
