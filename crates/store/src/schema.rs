//! The schema and its migrations, numbered by SQLite's `user_version`.

use crate::{Result, StoreError};
use rusqlite::Connection;

/// One entry a version; never changed once released, only added to.
const MIGRATIONS: &[&str] = &["
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
"];

pub(crate) fn migrate(connection: &mut Connection) -> Result<()> {
    let known = MIGRATIONS.len() as i64;
    let found: i64 = connection.pragma_query_value(None, "user_version", |r| r.get(0))?;
    if found > known {
        return Err(StoreError::Newer { found, known });
    }
    for (i, sql) in MIGRATIONS.iter().enumerate().skip(found as usize) {
        let transaction = connection.transaction()?;
        transaction.execute_batch(sql)?;
        transaction.pragma_update(None, "user_version", i as i64 + 1)?;
        transaction.commit()?;
    }
    Ok(())
}
