//! The schema and its migrations, numbered by SQLite's `user_version`.

use crate::{Result, StoreError};
use rusqlite::Connection;
use rusqlite_migration::{Error, MigrationDefinitionError, Migrations, M};

/// The first schema.
pub const FIRST_SCHEMA: &str = "
    CREATE TABLE blobs (id TEXT PRIMARY KEY, length INTEGER NOT NULL, data BLOB NOT NULL) WITHOUT ROWID;
    CREATE TABLE assets (
        id INTEGER PRIMARY KEY, name TEXT NOT NULL, role TEXT NOT NULL, file TEXT NOT NULL REFERENCES blobs (id),
        file_name TEXT NOT NULL, mesh TEXT NOT NULL, summary TEXT NOT NULL);
    CREATE TABLE fittings (
        id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL, changed INTEGER NOT NULL, cursor INTEGER NOT NULL);
    CREATE TABLE steps (
        fitting INTEGER NOT NULL REFERENCES fittings (id), seq INTEGER NOT NULL, step TEXT NOT NULL,
        sentence TEXT NOT NULL, effect TEXT NOT NULL, state TEXT NOT NULL REFERENCES blobs (id),
        at INTEGER NOT NULL, PRIMARY KEY (fitting, seq)) WITHOUT ROWID;
";

/// Measured values by content, and what lists say of a fitting at a step.
const KEPT: &str = "
    CREATE TABLE kept (number INTEGER PRIMARY KEY, key BLOB NOT NULL UNIQUE, value BLOB NOT NULL);
    ALTER TABLE steps ADD COLUMN summary TEXT NOT NULL DEFAULT '';
";

/// What the other sides that one hands over to can take.
const LIMITS: &str = "
    CREATE TABLE limit_sets (name TEXT PRIMARY KEY, limits TEXT NOT NULL) WITHOUT ROWID;
";

pub(crate) fn migrate(connection: &mut Connection) -> Result<()> {
    // Never changed once released, only added to.
    let all = Migrations::new(vec![M::up(FIRST_SCHEMA), M::up(KEPT), M::up(LIMITS)]);
    let found: i64 = connection.pragma_query_value(None, "user_version", |r| r.get(0))?;
    all.to_latest(connection).map_err(|error| match error {
        Error::MigrationDefinition(MigrationDefinitionError::DatabaseTooFarAhead) => {
            StoreError::Newer { found, known: 3 }
        }
        other => StoreError::Migrate(other),
    })
}
