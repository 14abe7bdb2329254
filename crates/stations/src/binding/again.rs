//! What becomes of the weights of a piece that a step changes in another way.

use crate::making::doing::Doing;
use std::collections::HashMap;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;

impl Doing<'_> {
    /// Says that the weights of a bound piece stay; the end of a step's sentence.
    pub fn weights_stay(&mut self, piece: PieceId) -> Result<&'static str, WorkshopError> {
        Ok(if self.draft.piece(piece)?.bound.is_some() { "; its weights stay" } else { "" })
    }

    /// Binds a piece that was bound before the step again as its recipe says, as the draft has it by now,
    /// with its cleaning; answers the end of the step's sentence. Where that cannot be done its weights
    /// are taken off and it is said why.
    pub fn bound_again(&mut self, piece: PieceId) -> Result<&'static str, WorkshopError> {
        if self.draft.piece(piece)?.bound.is_none() {
            return Ok("");
        }
        let before = self.draft.state.clone();
        match self.bind_as_drafted(piece) {
            Ok(()) => Ok("; bound again as its recipe says"),
            Err(WorkshopError::Stopped) => Err(WorkshopError::Stopped),
            Err(why) => {
                self.draft.state = before;
                let p = self.draft.piece(piece)?;
                p.bound = None;
                let note = format!("{} could not be bound again: {why}", p.name());
                self.draft.notes.push(note);
                Ok("; its weights are taken off")
            }
        }
    }

    /// Binds a piece in a room that has what the step has changed so far.
    fn bind_as_drafted(&mut self, piece: PieceId) -> Result<(), WorkshopError> {
        let blob = |id: &_| self.draft.blob(self.store, id);
        let room = self.decoder.build(self.store, self.draft.state.clone(), &blob)?;
        let index = room.find(piece)?;
        let Self { store, decoder, job, .. } = *self;
        let mut later = Doing { store, decoder, room: &room, draft: self.draft, job };
        later.bind_in_order(vec![index], HashMap::new()).map(|_| ())
    }
}
