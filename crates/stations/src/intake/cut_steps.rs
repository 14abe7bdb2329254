//! Steps that leave faces of a piece out.

use crate::intake::unseen::unseen;
use crate::making::doing::Doing;
use crate::making::renumbered::Renumbered;
use tin_cloak_core::intake::{look_over, strays};
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_indices, unpack_indices};
use tin_cloak_model::state::fitting::{Cut, PieceState};
use tin_cloak_model::state::names::PieceId;
use tin_cloak_store::BlobId;

impl Doing<'_> {
    pub fn leave_out_unseen(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let worn = self.worn_piece(piece)?.1;
        let faces = unseen(&self.room.dress.body, worn);
        if faces.is_empty() || faces.len() == worn.topology.triangles.len() {
            return Err(WorkshopError::NothingUnseen { piece: worn.name.clone() });
        }
        let name = self.leave_out(piece, &faces)?;
        Ok(format!("Leave out what nobody sees of {name}"))
    }

    pub fn leave_out_strays(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let worn = self.worn_piece(piece)?.1;
        let lost = strays(&worn.rest);
        let corner =
            |f: &u32| worn.topology.triangles[*f as usize].iter().any(|v| lost.binary_search(v).is_ok());
        let faces: Vec<u32> = (0..worn.topology.triangles.len() as u32).filter(corner).collect();
        if lost.is_empty() || faces.len() == worn.topology.triangles.len() {
            return Err(WorkshopError::NothingStrayed { piece: worn.name.clone() });
        }
        let name = self.leave_out(piece, &faces)?;
        Ok(format!("Leave out what strayed from {name}"))
    }

    pub fn leave_out_empty(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let worn = self.worn_piece(piece)?.1;
        let faces = look_over(&worn.topology, &worn.rest).empty_faces;
        if faces.is_empty() || faces.len() == worn.topology.triangles.len() {
            return Err(WorkshopError::NoEmptyFaces { piece: worn.name.clone() });
        }
        let name = self.leave_out(piece, &faces)?;
        Ok(format!("Leave out faces without area of {name}"))
    }

    /// Leaves faces of a piece out, and vertices that no face has then; answers its name.
    fn leave_out(&mut self, piece: PieceId, faces: &[u32]) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        if !self.room.piece_state(index).cut.rows.is_empty() {
            return Err(WorkshopError::HasRows { piece: worn.name.clone() });
        }
        let before = worn.clone();
        let mut left_out: Vec<u32> = faces.iter().map(|&f| before.kept.faces[f as usize]).collect();
        let state = self.room.piece_state(index);
        if let Some(id) = &state.cut.left_out {
            left_out.extend(unpack_indices(&self.draft.blob(self.store, id)?));
        }
        left_out.sort_unstable();
        let cut = Cut { left_out: Some(self.draft.keep(pack_indices(&left_out))), ..state.cut.clone() };
        let state = PieceState { cut, ..state.clone() };
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let after = self.decoder.piece(&blob, &state)?;
        let left = left_over(&before, &after);
        let name = state.name().to_owned();
        self.renumber(state, &Renumbered { before: &before, after: &after, left: &left, other: None })?;
        let note = format!("{name}: {} faces left out, {} in all", faces.len(), left_out.len());
        self.draft.notes.push(note);
        Ok(name)
    }
}

/// The vertex before of each vertex after, welded ones.
fn left_over(before: &Piece, after: &Piece) -> Vec<u32> {
    let weld = &after.topology.weld;
    let file = |w: usize| after.kept.vertices[weld.members.row(w)[0] as usize];
    // What is left was there before.
    let split = |w: usize| before.kept.vertices.binary_search(&file(w)).unwrap_or(0);
    (0..weld.count()).map(|w| before.topology.weld.of_vertex[split(w)]).collect()
}
