//! Named sets of limits, as text that only its owner understands.

use crate::{Result, Store};

impl Store {
    /// All of them by name: the names, and what was kept under each.
    ///
    /// # Errors
    /// When the database fails.
    pub fn limit_sets(&self) -> Result<Vec<(String, String)>> {
        let connection = self.read();
        let mut all = connection.prepare("SELECT name, limits FROM limit_sets ORDER BY name")?;
        let rows = all.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }

    /// Keeps one in the place of the one of that name.
    ///
    /// # Errors
    /// When the database fails.
    pub fn keep_limit_set(&self, name: &str, limits: &str) -> Result<()> {
        self.write(|db| {
            db.execute("INSERT OR REPLACE INTO limit_sets (name, limits) VALUES (?1, ?2)", [name, limits])?;
            Ok(())
        })
    }

    /// Forgets one; false when there is none of that name.
    ///
    /// # Errors
    /// When the database fails.
    pub fn drop_limit_set(&self, name: &str) -> Result<bool> {
        self.write(|db| Ok(db.execute("DELETE FROM limit_sets WHERE name = ?1", [name])? > 0))
    }
}
