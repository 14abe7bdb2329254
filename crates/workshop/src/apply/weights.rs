//! Steps that bind pieces and push them out.

use super::{Doing, Phase};
use crate::rooms::{pack_bound, pack_positions};
use crate::steps::PieceId;
use crate::{bind_piece, mend, BindOptions, Bound, MendOptions, Piece, WorkshopError};

impl Doing<'_> {
    pub fn bind(&mut self, pieces: &[PieceId], options: BindOptions) -> Result<String, WorkshopError> {
        let chosen = self.chosen_pieces(pieces)?;
        if chosen.is_empty() {
            return Err(WorkshopError::NothingToBind);
        }
        let mut names = Vec::new();
        for (n, &index) in chosen.iter().enumerate() {
            if !self.job.tell(0.3 * n as f32 / chosen.len() as f32) {
                return Err(WorkshopError::Stopped);
            }
            let piece = &self.room.dress.pieces[index];
            let (bound, _) = bind_piece(&self.room.dress.body, piece, options)?;
            self.draft.notes.push(bind_note(piece, &bound));
            let blob = self.draft.keep(pack_bound(&bound)?);
            self.draft.piece(self.room.piece_state(index).id)?.bound = Some(blob);
            names.push(piece.name.clone());
        }
        Ok(format!("Bind {}", names.join(", ")))
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

fn bind_note(piece: &Piece, bound: &Bound) -> String {
    match bound.method.as_str() {
        "stiff" => format!("{}: moves as one with a single joint", piece.name),
        "inpaint" => format!(
            "{}: {:.1} % of its vertices matched the skin, the rest filled in; at most {} joints a vertex",
            piece.name,
            bound.matched_share * 100.0,
            bound.skin.max_influences()
        ),
        method => format!("{}: by nearest {method}", piece.name),
    }
}
