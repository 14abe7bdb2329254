//! Fittings, steps and blobs in SQLite.
