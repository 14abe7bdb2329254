//! Steps that clean weights.

use crate::binding::cleaning::cleaned;
use crate::error::WorkshopError;
use crate::making::doing::Doing;
use crate::state::blobs::pack_bound;
use crate::state::bound::Bound;
use crate::state::clean::Clean;
use crate::state::names::PieceId;
use crate::state::step::Chosen;

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
        let (skin, notes) = cleaned(self.room, index, clean, chosen, locked)?;
        let bound = Bound { skin, ..(*old.ok_or(WorkshopError::BindFirst)?).clone() };
        self.draft.notes.extend(notes);
        let blob = self.draft.keep(pack_bound(&bound)?);
        self.draft.piece(piece)?.bound = Some(blob);
        self.bind_hanging(piece, bound)?;
        Ok(clean.sentence(&name))
    }
}
