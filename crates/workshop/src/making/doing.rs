//! A step under way.

use crate::dress::decode::Decoder;
use crate::dress::piece::Piece;
use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::making::draft::Draft;
use crate::making::job::Job;
use crate::state::names::PieceId;
use tin_cloak_store::Store;

/// Which part of the whole a phase of a job is.
pub(crate) struct Phase<'a> {
    pub job: &'a Job,
    pub from: f32,
    pub to: f32,
}

impl Phase<'_> {
    pub fn tell(&self, share: f32) -> bool {
        self.job.tell(self.from + (self.to - self.from) * share)
    }
}

/// A step under way: the state before it, and the state it makes.
pub(crate) struct Doing<'a> {
    pub store: &'a Store,
    pub decoder: &'a Decoder,
    pub room: &'a Room,
    pub draft: &'a mut Draft,
    pub job: &'a Job,
}

impl Doing<'_> {
    pub(crate) fn worn_piece(&self, id: PieceId) -> Result<(usize, &Piece), WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(id) };
        let index = self.room.index_of(id).ok_or(missing)?;
        Ok((index, &self.room.dress.pieces[index]))
    }

    /// Positions in the dress of the pieces named; all of them when none is.
    pub(crate) fn chosen_pieces(&self, pieces: &[PieceId]) -> Result<Vec<usize>, WorkshopError> {
        if pieces.is_empty() {
            return Ok((0..self.room.dress.pieces.len()).collect());
        }
        pieces.iter().map(|&id| Ok(self.worn_piece(id)?.0)).collect()
    }
}
