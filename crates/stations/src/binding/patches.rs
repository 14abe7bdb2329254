//! Steps that keep choices of vertices under a name.

use crate::making::doing::Doing;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::choice::{Patch, Pick};
use tin_cloak_model::state::names::checked_name;
use tin_cloak_model::state::names::{PieceId, BODY};

impl Doing<'_> {
    pub fn keep_patch(
        &mut self,
        piece: PieceId,
        name: &str,
        picks: &[Pick],
    ) -> Result<String, WorkshopError> {
        let name = &*checked_name(name)?;
        let worn = self.room.weighted(piece)?;
        let on = worn.name.clone();
        let chosen = Choosing::on(&worn, &self.room.dress.body).picked(picks)?;
        let count = chosen.iter().filter(|c| **c).count();
        if count == 0 {
            return Err(WorkshopError::NothingChosen { piece: on });
        }
        let kept = Patch { name: name.to_owned(), picks: picks.to_vec() };
        let patches = self.patches_mut(piece)?;
        match patches.iter_mut().find(|p| p.name == name) {
            Some(known) => *known = kept,
            None => patches.push(kept),
        }
        Ok(format!("Keep {count} vertices of {on} as “{name}”"))
    }

    pub fn drop_patch(&mut self, piece: PieceId, name: &str) -> Result<String, WorkshopError> {
        let patches = self.patches_mut(piece)?;
        let before = patches.len();
        patches.retain(|p| p.name != name);
        match patches.len() == before {
            true => Err(WorkshopError::NoSuchPatch { patch: name.to_owned() }),
            false => Ok(format!("Forget the patch “{name}”")),
        }
    }

    fn patches_mut(&mut self, piece: PieceId) -> Result<&mut Vec<Patch>, WorkshopError> {
        if piece == BODY {
            return Ok(&mut self.draft.state.body_patches);
        }
        Ok(&mut self.draft.piece(piece)?.patches)
    }
}
