//! Sets of limits that are kept, and what of a room is beyond them.

use crate::history::workshop::Workshop;
use tin_cloak_formats::Frame;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::checked_name;
use tin_cloak_stations::handover::limits::{Beyond, Limits};

impl Workshop {
    /// The sets of limits that were kept, by name.
    ///
    /// # Errors
    /// When the store fails.
    pub fn limit_sets(&self) -> Result<Vec<Limits>, WorkshopError> {
        let read = |(name, text): (String, String)| {
            let known: Limits = serde_json::from_str(&text).ok()?;
            Some(Limits { name, ..known })
        };
        Ok(self.store.limit_sets()?.into_iter().filter_map(read).collect())
    }

    /// For each set of limits that was kept, its name and what of a room is beyond it; where none was kept, for what
    /// most take.
    ///
    /// # Errors
    /// When the store fails, or the room cannot go out.
    pub fn limits_met(&self, room: &Room) -> Result<Vec<(String, Vec<Beyond>)>, WorkshopError> {
        let mut sets = self.limit_sets()?;
        if sets.is_empty() {
            sets.push(Limits { name: "what most take".to_owned(), ..Limits::usual() });
        }
        let met =
            |set: Limits| Ok((set.name.clone(), set.broken_by(&room.dress, &room.trials, Frame::default())?));
        sets.into_iter().map(met).collect()
    }

    /// Keeps a set under its name, in the place of the one that had it.
    ///
    /// # Errors
    /// When it has no name, or makes no sense.
    pub fn keep_limits(&self, limits: &Limits) -> Result<(), WorkshopError> {
        let name = &*checked_name(&limits.name)?;
        let text = serde_json::to_string(limits)?;
        Limits::of_json(name, text.as_bytes())?;
        Ok(self.store.keep_limit_set(name, &text)?)
    }

    /// Forgets a set.
    ///
    /// # Errors
    /// When there is none of that name.
    pub fn forget_limits(&self, name: &str) -> Result<(), WorkshopError> {
        match self.store.drop_limit_set(name)? {
            true => Ok(()),
            false => Err(WorkshopError::NoSuchLimits { name: name.to_owned() }),
        }
    }
}
