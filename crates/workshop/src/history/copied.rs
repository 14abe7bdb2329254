//! Fittings copied and named anew: a second way on from a step is kept beside the first.

use crate::history::workshop::Workshop;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::checked_name;

impl Workshop {
    /// A copy of a fitting as it stands, or as it was after a step, with the steps that led there; its number.
    ///
    /// # Errors
    /// When there is no such fitting or step.
    pub fn copy(&self, fitting: i64, seq: Option<i64>) -> Result<i64, WorkshopError> {
        let all = self.store.fittings()?;
        let name = &self.stored(fitting)?.name;
        let free = |n: &usize| {
            let name = numbered(name, *n);
            all.iter().all(|f| f.name != name)
        };
        let name = (2..).find(free).map_or_else(|| name.clone(), |n| numbered(name, n));
        Ok(self.store.copy_fitting(fitting, seq, &name)?)
    }

    /// Gives a fitting another name.
    ///
    /// # Errors
    /// When it is not there, or the name is empty or too long.
    pub fn rename(&self, fitting: i64, name: &str) -> Result<(), WorkshopError> {
        Ok(self.store.rename_fitting(fitting, &checked_name(name)?)?)
    }
}

/// “Coat”, “Coat (2)”, “Coat (3)”.
fn numbered(name: &str, number: usize) -> String {
    let own = name.strip_suffix(')').and_then(|n| n.rsplit_once(" ("));
    let own = own.filter(|(_, n)| n.parse::<usize>().is_ok()).map_or(name, |(own, _)| own);
    format!("{own} ({number})")
}
