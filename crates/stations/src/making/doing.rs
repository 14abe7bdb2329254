//! A step under way.

use crate::making::draft::Draft;
use crate::making::job::Job;
use tin_cloak_model::dress::decode::Decoder;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_store::Store;

/// Which part of the whole a phase of a job is.
pub struct Phase<'a> {
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
pub struct Doing<'a> {
    pub store: &'a Store,
    pub decoder: &'a Decoder,
    pub room: &'a Room,
    pub draft: &'a mut Draft,
    pub job: &'a Job,
}

impl Doing<'_> {
    pub fn worn_piece(&self, id: PieceId) -> Result<(usize, &Piece), WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(id) };
        let index = self.room.index_of(id).ok_or(missing)?;
        Ok((index, &self.room.dress.pieces[index]))
    }

    /// Positions in the dress of the pieces named; all of them when none is.
    pub fn chosen_pieces(&self, pieces: &[PieceId]) -> Result<Vec<usize>, WorkshopError> {
        if pieces.is_empty() {
            return Ok((0..self.room.dress.pieces.len()).collect());
        }
        pieces.iter().map(|&id| Ok(self.worn_piece(id)?.0)).collect()
    }

    /// Refuses a joint that the body does not have.
    pub fn is_joint(&self, joint: &str) -> Result<(), WorkshopError> {
        let missing = || WorkshopError::NoSuchJoint { joint: joint.to_owned() };
        self.room.dress.body.skeleton.find(joint).map(|_| ()).ok_or_else(missing)
    }
}
