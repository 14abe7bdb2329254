//! Everything that goes by the number of a vertex or a part, for a piece of which something is left out.
//! This is the one place that knows what does.

use crate::making::doing::Doing;
use glam::Vec3;
use std::collections::HashMap;
use tin_cloak_core::deform::Morph;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_bound, pack_positions};
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::choice::renumber;
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::recipe::{Recipe, SourcePart};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::stroke::Reach;

/// A piece before and after something of it was left out.
pub struct Renumbered<'a> {
    pub before: &'a Piece,
    pub after: &'a Piece,
    /// The vertex before of each vertex after, welded ones.
    pub left: &'a [u32],
}

impl Renumbered<'_> {
    fn pick<T: Copy>(&self, list: &[T]) -> Vec<T> {
        self.left.iter().map(|&v| list[v as usize]).collect()
    }

    /// Weights, and which of them were filled in.
    fn bound(&self, bound: &Bound) -> Bound {
        let is_filled = |v: &u32| bound.filled.binary_search(&self.left[*v as usize]).is_ok();
        let filled: Vec<u32> = (0..self.left.len() as u32).filter(is_filled).collect();
        let matched = bound.filled.is_empty().then_some(bound.matched_share);
        let matched_share = matched.unwrap_or(1.0 - filled.len() as f32 / self.left.len().max(1) as f32);
        Bound { skin: bound.skin.pick(self.left), filled, matched_share, ..bound.clone() }
    }

    /// The offsets of shapes of it, shape by shape.
    fn offsets_of(&self, shapes: &[Morph]) -> Vec<Vec3> {
        let all = self.before.rest.len();
        shapes.iter().flat_map(|s| self.pick(&s.to_dense(all))).collect()
    }

    fn new_vertex(&self, old: u32) -> Option<u32> {
        self.left.iter().position(|&v| v == old).map(|v| v as u32)
    }

    fn new_part(&self, old: u32) -> Option<u32> {
        let was = |v: &usize| self.before.topology.shell_of_vertex[self.left[*v] as usize] == old;
        (0..self.left.len()).find(was).map(|v| self.after.topology.shell_of_vertex[v])
    }

    /// A part may fall into several: each is what it was.
    fn shells(&self, said: &[(u32, bool)]) -> Vec<(u32, bool)> {
        let (was, is) = (&self.before.topology.shell_of_vertex, &self.after.topology.shell_of_vertex);
        let known = |(new, &old): (usize, &u32)| {
            let said = said.iter().find(|s| s.0 == was[old as usize])?;
            Some((is[new], said.1))
        };
        let mut shells: Vec<(u32, bool)> = self.left.iter().enumerate().filter_map(known).collect();
        shells.sort_unstable();
        shells.dedup();
        shells
    }

    fn recipe(&self, recipe: &mut Recipe) {
        let follows = std::mem::take(&mut recipe.follows);
        let new = |part: Option<u32>| part.map_or(Some(None), |old| self.new_part(old).map(Some));
        recipe.follows = follows.into_iter().filter_map(|(part, f)| Some((new(part)?, f))).collect();
        recipe.sides.retain_mut(|side| {
            let new = self.new_vertex(side.vertex);
            side.vertex = new.unwrap_or(0);
            new.is_some()
        });
    }

    /// Choices that are kept, and what was done on others; where the vertex that a change goes by is gone, it
    /// cannot be done again.
    fn chosen(&self, state: &mut PieceState) {
        let numbers: HashMap<u32, u32> = self.left.iter().zip(0..).map(|(old, new)| (*old, new)).collect();
        let new = |old: u32| numbers.get(&old).copied();
        state.patches.iter_mut().for_each(|patch| renumber(&mut patch.picks, &new));
        state.cleaned.retain_mut(|cleaned| {
            match &mut cleaned.chosen {
                Chosen::Everything => {}
                Chosen::Around(reach) => self.reach(reach),
                Chosen::Picks(picks) => renumber(picks, &new),
            }
            let Clean::ByHand { change, .. } = &mut cleaned.clean else { return true };
            change.renumber(&new)
        });
    }

    fn reach(&self, reach: &mut Reach) {
        reach.dabs = reach.dabs.iter().filter_map(|&v| self.new_vertex(v)).collect();
    }

    /// The part of the piece that another takes its weights from; false when nothing of it is left.
    fn source(&self, part: &mut SourcePart) -> bool {
        match part {
            SourcePart::Shells(list) => {
                *list = list.iter().filter_map(|&old| self.new_part(old)).collect();
                !list.is_empty()
            }
            SourcePart::Patch(reach) => {
                self.reach(reach);
                !reach.dabs.is_empty()
            }
            SourcePart::Vertices(list) => {
                *list = list.iter().filter_map(|&v| self.new_vertex(v)).collect();
                !list.is_empty()
            }
            SourcePart::Whole | SourcePart::Joints(_) | SourcePart::Side(_) | SourcePart::Kept(_) => true,
        }
    }
}

impl Doing<'_> {
    /// Puts what is left of a piece in its place: shape, shapes, weights, parts, sides, what was cleaned,
    /// and what others take from it.
    pub fn renumber(&mut self, mut state: PieceState, new: &Renumbered) -> Result<(), WorkshopError> {
        state.rest = Some(self.draft.keep(pack_positions(&new.pick(&new.before.unshaped))));
        if state.shapes.is_some() {
            state.shapes = Some(self.draft.keep(pack_positions(&new.offsets_of(&new.before.shapes))));
        }
        if let Some(carried) = &new.before.carried {
            state.carried = Some(self.draft.keep(pack_positions(&new.offsets_of(&carried.0))));
        }
        for (corrective, shape) in state.correctives.iter_mut().zip(&new.before.correctives) {
            let offsets = new.pick(&shape.to_dense(new.before.rest.len()));
            corrective.offsets = self.draft.keep(pack_positions(&offsets));
            corrective.amount = 1.0;
        }
        if let Some(bound) = &new.before.bound {
            state.bound = Some(self.draft.keep(pack_bound(&new.bound(bound))?));
        }
        state.shells = new.shells(&state.shells);
        new.recipe(&mut state.recipe);
        new.chosen(&mut state);
        for other in &mut self.draft.state.pieces {
            let takes = other.recipe.takes.pieces().first() == Some(&state.id);
            if takes && !new.source(&mut other.recipe.part) {
                other.recipe.part = SourcePart::Whole;
                let note = format!("{} takes from all of {}: its part is gone", other.name(), state.name());
                self.draft.notes.push(note);
            }
        }
        // Its faces have other numbers now: what nobody saw of it is to be found again.
        self.draft.state.masks.retain(|m| m.of != state.id);
        let (id, before) = (state.id, self.room.state.clone());
        *self.draft.piece(id)? = state;
        self.draft.state.keep_made_of(id, &before);
        Ok(())
    }
}
