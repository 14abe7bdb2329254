//! A state in the making.

use crate::making::carried::{carried_along, Turned};
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_positions;
use tin_cloak_model::state::corrective::Corrective;
use tin_cloak_model::state::fitting::{FittingState, PieceState};
use tin_cloak_model::state::motion::MotionState;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_store::{BlobId, Store};

/// A state in the making, with the blobs it needs.
#[derive(Clone)]
pub struct Draft {
    pub state: FittingState,
    /// Shared: many drafts begin with those of one.
    pub blobs: Vec<Arc<Vec<u8>>>,
    pub notes: Vec<String>,
    /// Name of each of `blobs`.
    names: Vec<BlobId>,
}

impl Draft {
    pub fn new(state: &FittingState) -> Self {
        Self { state: state.clone(), blobs: Vec::new(), notes: Vec::new(), names: Vec::new() }
    }

    /// The same with nothing told yet, to go on from.
    pub fn gone_on_from(&self) -> Self {
        Self { notes: Vec::new(), ..self.clone() }
    }

    pub fn keep(&mut self, bytes: Vec<u8>) -> BlobId {
        let id = BlobId::hashed(&bytes);
        self.blobs.push(Arc::new(bytes));
        self.names.push(id.clone());
        id
    }

    /// The blobs that the state has to do with, by its text: what came after has taken the place of the others.
    pub fn named_in(&self, state: &str) -> Vec<Vec<u8>> {
        let all = self.names.iter().zip(&self.blobs);
        all.filter(|(name, _)| state.contains(name.as_str())).map(|(_, blob)| blob.to_vec()).collect()
    }

    /// A blob of the draft or of the store.
    pub fn blob(&self, store: &Store, id: &BlobId) -> Result<Vec<u8>, WorkshopError> {
        match self.names.iter().position(|n| n == id) {
            Some(at) => Ok(self.blobs[at].to_vec()),
            None => Ok(store.blob(id)?),
        }
    }

    /// New rest positions for a piece of the room, its shapes as far as it wears them among them; its own
    /// joints go along, and its shapes turn with it.
    pub fn reseat(
        &mut self,
        room: &Room,
        index: usize,
        rest: &[Vec3],
        turned: &Turned,
    ) -> Result<&mut PieceState, WorkshopError> {
        let (worn, id) = (&room.dress.pieces[index], room.piece_state(index).id);
        let before = &worn.rest;
        // Shapes made for it were those of the place where it was: they do not go along.
        let stays = matches!(turned, Turned::Not);
        let carried = worn.carried.clone().filter(|_| stays);
        let worn = &worn.clone().carrying(carried, &room.dress.body);
        let bare = match turned.offsets(worn, rest) {
            None => worn.without_shapes(rest),
            Some(offsets) => {
                let shapes = Some(self.keep(pack_positions(&offsets)));
                self.piece(id)?.shapes = shapes;
                worn.clone().with_offsets(&offsets).without_shapes(rest)
            }
        };
        let blob = self.keep(pack_positions(&bare));
        self.carry_joints(room, index, before, rest);
        if !stays {
            let notes = self.piece(id)?.drop_made_shapes();
            self.notes.extend(notes);
        }
        let piece = self.piece(id)?;
        piece.rest = Some(blob);
        Ok(piece)
    }

    /// Takes the own joints of a piece of the room along with vertices that move.
    pub fn carry_joints(&mut self, room: &Room, index: usize, before: &[Vec3], after: &[Vec3]) {
        let id = room.piece_state(index).id;
        for joint in self.state.joints.iter_mut().filter(|j| j.piece == id) {
            joint.place = carried_along(joint.place, before, after);
            joint.tip = carried_along(joint.tip, before, after);
        }
    }

    /// A piece of the room stays where it is without the shapes that were carried to it.
    pub fn stay_without_carried(&mut self, room: &Room, index: usize) -> Result<(), WorkshopError> {
        let worn = &room.dress.pieces[index];
        if worn.moves_along() {
            let blob = self.keep(pack_positions(&worn.bare()));
            self.piece(room.piece_state(index).id)?.rest = Some(blob);
        }
        Ok(())
    }

    /// The body is another: no piece follows its shapes, and it is drawn in under none.
    pub fn follow_no_shapes(&mut self, room: &Room) -> Result<(), WorkshopError> {
        for index in 0..room.dress.pieces.len() {
            self.stay_without_carried(room, index)?;
        }
        if !std::mem::take(&mut self.state.tucks).is_empty() {
            self.notes
                .push("the body is drawn in under nothing any more: draw it in again (Mending)".to_owned());
        }
        if !std::mem::take(&mut self.state.body_correctives).is_empty() {
            self.notes.push("the body has its correctives no longer: make them again (Mending)".to_owned());
        }
        for piece in &mut self.state.pieces {
            self.notes.extend(piece.drop_made_shapes());
        }
        Ok(())
    }

    pub fn motion(&mut self, index: usize) -> Result<&mut MotionState, WorkshopError> {
        let missing = WorkshopError::Missing { what: "motion", id: index as i64 };
        self.state.motions.get_mut(index).ok_or(missing)
    }

    /// What turns call up on a part, by its number.
    pub fn correctives_of(&mut self, part: PieceId) -> Result<&mut Vec<Corrective>, WorkshopError> {
        match part {
            BODY => Ok(&mut self.state.body_correctives),
            piece => Ok(&mut self.piece(piece)?.correctives),
        }
    }

    pub fn piece(&mut self, id: PieceId) -> Result<&mut PieceState, WorkshopError> {
        let found = self.state.pieces.iter_mut().find(|p| p.id == id);
        found.ok_or(WorkshopError::Missing { what: "piece", id: i64::from(id) })
    }
}
