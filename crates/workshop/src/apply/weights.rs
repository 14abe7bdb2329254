//! Steps that clean weights and push pieces out.

use super::{Doing, Phase};
use crate::cleaning::{cleaned, Clean};
use crate::rooms::{pack_bound, pack_positions};
use crate::steps::{Chosen, PieceId};
use crate::{mend, Bound, MendOptions, WorkshopError};

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
        let bound = Bound { skin, ..old.ok_or(WorkshopError::BindFirst)? };
        self.draft.notes.extend(notes);
        let blob = self.draft.keep(pack_bound(&bound)?);
        self.draft.piece(piece)?.bound = Some(blob);
        self.bind_hanging(piece, bound)?;
        Ok(clean.sentence(&name))
    }

    pub fn push_out(&mut self, pieces: &[PieceId], options: MendOptions) -> Result<String, WorkshopError> {
        let dress = &self.room.dress;
        let mut bound = self.chosen_pieces(pieces)?;
        bound.retain(|&i| dress.pieces[i].bound.is_some());
        if bound.is_empty() {
            return Err(WorkshopError::BindFirst);
        }
        let phase = Phase { job: self.job, from: 0.0, to: 0.85 };
        let outcome = mend(dress, &bound, &self.room.trials, options, &|s| phase.tell(s))?;
        for (index, rest) in outcome.rest.iter().enumerate() {
            if let Some(rest) = rest {
                let blob = self.draft.keep(pack_positions(rest));
                self.draft.piece(self.room.piece_state(index).id)?.rest = Some(blob);
            }
        }
        self.draft.notes.extend(outcome.notes);
        let names: Vec<&str> = bound.iter().map(|&i| dress.pieces[i].name.as_str()).collect();
        Ok(format!("Push out {}", names.join(", ")))
    }
}
