//! Steps that push pieces out.

use crate::error::WorkshopError;
use crate::making::carried::Turned;
use crate::making::doing::{Doing, Phase};
use crate::mending::push_out::mend;
use crate::state::names::PieceId;
use crate::state::push::MendOptions;

impl Doing<'_> {
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
                self.draft.reseat(self.room, index, rest, &Turned::Not)?;
            }
        }
        self.draft.notes.extend(outcome.notes());
        let names: Vec<&str> = bound.iter().map(|&i| dress.pieces[i].name.as_str()).collect();
        Ok(format!("Push out {}", names.join(", ")))
    }
}
