//! A state in the making.

use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::making::carried::carried_along;
use crate::state::blobs::pack_positions;
use crate::state::fitting::{FittingState, PieceState};
use crate::state::motion::MotionState;
use crate::state::names::PieceId;
use glam::Vec3;
use tin_cloak_store::{BlobId, Store};

/// A state in the making, with the blobs it needs.
pub(crate) struct Draft {
    pub state: FittingState,
    pub blobs: Vec<Vec<u8>>,
    pub notes: Vec<String>,
    /// Name of each of `blobs`.
    names: Vec<BlobId>,
}

impl Draft {
    pub fn of(state: &FittingState) -> Self {
        Self { state: state.clone(), blobs: Vec::new(), notes: Vec::new(), names: Vec::new() }
    }

    pub fn keep(&mut self, bytes: Vec<u8>) -> BlobId {
        let id = BlobId::of(&bytes);
        self.blobs.push(bytes);
        self.names.push(id.clone());
        id
    }

    /// A blob of the draft or of the store.
    pub fn blob(&self, store: &Store, id: &BlobId) -> Result<Vec<u8>, WorkshopError> {
        match self.names.iter().position(|n| n == id) {
            Some(at) => Ok(self.blobs[at].clone()),
            None => Ok(store.blob(id)?),
        }
    }

    /// New rest positions for a piece of the room; its own joints go along.
    pub(crate) fn reseat(
        &mut self,
        room: &Room,
        index: usize,
        rest: &[Vec3],
    ) -> Result<&mut PieceState, WorkshopError> {
        let blob = self.keep(pack_positions(rest));
        let id = room.piece_state(index).id;
        let before = &room.dress.pieces[index].rest;
        for joint in self.state.joints.iter_mut().filter(|j| j.piece == id) {
            joint.place = carried_along(joint.place, before, rest);
            joint.tip = carried_along(joint.tip, before, rest);
        }
        let piece = self.piece(id)?;
        piece.rest = Some(blob);
        Ok(piece)
    }

    pub(crate) fn motion(&mut self, index: usize) -> Result<&mut MotionState, WorkshopError> {
        let missing = WorkshopError::Missing { what: "motion", id: index as i64 };
        self.state.motions.get_mut(index).ok_or(missing)
    }

    pub(crate) fn piece(&mut self, id: PieceId) -> Result<&mut PieceState, WorkshopError> {
        let found = self.state.pieces.iter_mut().find(|p| p.id == id);
        found.ok_or(WorkshopError::Missing { what: "piece", id: i64::from(id) })
    }
}
