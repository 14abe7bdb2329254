//! Steps that leave faces of a piece out.

use crate::dress::piece::Piece;
use crate::error::WorkshopError;
use crate::intake::unseen::unseen;
use crate::making::doing::Doing;
use crate::state::blobs::{pack_bound, pack_indices, pack_positions, unpack_indices};
use crate::state::bound::Bound;
use crate::state::fitting::{Cut, PieceState};
use crate::state::names::PieceId;
use crate::state::recipe::SourcePart;
use glam::Vec3;
use tin_cloak_store::BlobId;

impl Doing<'_> {
    pub fn leave_out_unseen(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let faces = unseen(&self.room.dress.body, worn);
        if faces.is_empty() || faces.len() == worn.topology.triangles.len() {
            return Err(WorkshopError::NothingUnseen { piece: worn.name.clone() });
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
        let p = self.keep_left_over(&before, state, &after, &left)?;
        let name = p.name().to_owned();
        let note = format!("{name}: {} faces left out, {} in all", faces.len(), left_out.len());
        self.draft.notes.push(note);
        Ok(format!("Leave out what nobody sees of {name}"))
    }

    /// Shape, weights and parts of what is left of a piece; `left` has the vertex before of each
    /// vertex after, welded ones.
    fn keep_left_over(
        &mut self,
        before: &Piece,
        mut state: PieceState,
        after: &Piece,
        left: &[u32],
    ) -> Result<&PieceState, WorkshopError> {
        let rest: Vec<Vec3> = left.iter().map(|&v| before.rest[v as usize]).collect();
        state.rest = Some(self.draft.keep(pack_positions(&rest)));
        if let Some(bound) = &before.bound {
            let is_filled = |v: &u32| bound.filled.binary_search(&left[*v as usize]).is_ok();
            let filled: Vec<u32> = (0..left.len() as u32).filter(is_filled).collect();
            let matched = bound.filled.is_empty().then_some(bound.matched_share);
            let matched_share = matched.unwrap_or(1.0 - filled.len() as f32 / left.len().max(1) as f32);
            let skin = bound.skin.pick(left);
            let bound = Bound { skin, filled, matched_share, ..(**bound).clone() };
            state.bound = Some(self.draft.keep(pack_bound(&bound)?));
        }
        let was = |v: usize| before.topology.shell_of_vertex[left[v] as usize];
        let mut shells: Vec<(u32, bool)> = (0..left.len())
            .filter_map(|v| {
                let known = state.shells.iter().find(|s| s.0 == was(v))?;
                Some((after.topology.shell_of_vertex[v], known.1))
            })
            .collect();
        shells.sort_unstable();
        shells.dedup();
        state.shells = shells;
        // What was said of parts and places goes by their new numbers.
        let new_part =
            |old: u32| (0..left.len()).find(|&v| was(v) == old).map(|v| after.topology.shell_of_vertex[v]);
        let follows = std::mem::take(&mut state.recipe.follows);
        state.recipe.follows = follows
            .into_iter()
            .filter_map(|(part, follow)| match part {
                None => Some((None, follow)),
                Some(old) => Some((Some(new_part(old)?), follow)),
            })
            .collect();
        state.recipe.sides.retain_mut(|side| {
            let new = left.iter().position(|&v| v == side.vertex);
            side.vertex = new.map_or(0, |v| v as u32);
            new.is_some()
        });
        for other in &mut self.draft.state.pieces {
            // Others that take a part of it by number take all of it again.
            let by_number = matches!(other.recipe.part, SourcePart::Shells(_) | SourcePart::Patch(_));
            if by_number && other.recipe.takes.pieces().first() == Some(&state.id) {
                other.recipe.part = SourcePart::Whole;
            }
        }
        let piece = self.draft.piece(state.id)?;
        *piece = state;
        Ok(piece)
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
