//! Steps that clean weights.

use crate::binding::cleaning::cleaned;
use crate::dress::beneath::Beneath;
use crate::dress::body::Body;
use crate::dress::piece::Piece;
use crate::dress::trials::TrialSet;
use crate::error::WorkshopError;
use crate::making::doing::Doing;
use crate::state::blobs::pack_bound;
use crate::state::bound::Bound;
use crate::state::clean::Clean;
use crate::state::clean::Cleaned;
use crate::state::names::PieceId;
use crate::state::stroke::Chosen;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::sync::Arc;

impl Doing<'_> {
    pub fn clean(
        &mut self,
        piece: PieceId,
        clean: &Clean,
        chosen: &Chosen,
        locked: &[String],
    ) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let (name, old) = (worn.name.clone(), worn.bound.clone());
        let old = old.ok_or(WorkshopError::BindFirst)?;
        let what = Cleaned { clean: clean.clone(), chosen: chosen.clone(), locked: locked.to_vec() };
        let with = (&*self.room.dress.body, &*self.room.trials);
        let beneath = || self.room.beneath(index);
        let (skin, notes) = cleaned((worn, &old.skin, &beneath), with, &what)?;
        let bound = Bound { skin, ..(*old).clone() };
        self.draft.notes.extend(notes);
        let blob = self.draft.keep(pack_bound(&bound)?);
        let p = self.draft.piece(piece)?;
        p.bound = Some(blob);
        p.cleaned.push(what);
        self.bind_hanging(piece, bound)?;
        Ok(clean.sentence(&name))
    }

    pub fn forget_cleaning(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let p = self.draft.piece(piece)?;
        let name = p.name().to_owned();
        if p.cleaned.is_empty() {
            return Err(WorkshopError::NothingToClean { piece: name });
        }
        p.cleaned.clear();
        let weights = self.bound_again(piece)?;
        Ok(format!("Forget what was cleaned on {name}{weights}"))
    }

    /// Does again on fresh weights what was cleaned on a piece. What cannot be done is said.
    pub(super) fn clean_again(
        &mut self,
        (id, piece): (PieceId, &Piece),
        (bound, done): (&mut Bound, &HashMap<usize, Bound>),
        with: (&Body, &TrialSet),
    ) -> Result<(), WorkshopError> {
        let made = OnceCell::new();
        let beneath = || {
            let make = |index| Arc::new(Beneath::of(&self.room.dress, with.0, index, done));
            Arc::clone(made.get_or_init(|| make(self.room.index_of(id).unwrap_or(0))))
        };
        let mut notes = Vec::new();
        for what in self.draft.piece(id)?.cleaned.clone() {
            match cleaned((piece, &bound.skin, &beneath), with, &what) {
                Ok((skin, _)) => {
                    bound.skin = skin;
                    notes.push(format!("again: {}", what.clean.sentence(&piece.name)));
                }
                Err(WorkshopError::NothingToClean { .. }) => {}
                Err(why) => {
                    let note = format!("not done again: {}: {why}", what.clean.sentence(&piece.name));
                    notes.push(note);
                }
            }
        }
        self.draft.notes.extend(notes);
        Ok(())
    }
}
