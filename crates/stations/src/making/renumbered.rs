//! Everything that goes by the number of a vertex or a part, for a piece of which something is left out, or whose mesh
//! is another.
//! This is the one place that knows what does.

use crate::making::doing::Doing;
use glam::Vec3;
use std::collections::{HashMap, HashSet};
use tin_cloak_core::deform::Morph;
use tin_cloak_core::intake::OldPlace;
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_bound, pack_positions};
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::choice::{renumber, Numbers};
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::recipe::{Recipe, SourcePart};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::stroke::Reach;

/// A piece before and after something of it was left out, or its mesh was exchanged.
pub struct Renumbered<'a> {
    pub before: &'a Piece,
    pub after: &'a Piece,
    /// The vertex before of each vertex after, welded ones; of another mesh the nearest.
    pub left: &'a [u32],
    /// Of another mesh: where each vertex lies on that before, and its place at rest.
    pub other: Option<OtherMesh<'a>>,
}

/// Joint numbers are below this: which of them there are was checked where the weights came from.
const JOINTS: usize = u16::MAX as usize + 1;

/// A mesh that takes the place of another.
#[derive(Clone, Copy)]
pub struct OtherMesh<'a> {
    pub places: &'a [OldPlace],
    pub rest: &'a [Vec3],
}

impl Renumbered<'_> {
    fn pick(&self, list: &[Vec3]) -> Vec<Vec3> {
        match self.other {
            Some(other) => other.places.iter().map(|p| p.mixed(list)).collect(),
            None => self.left.iter().map(|&v| list[v as usize]).collect(),
        }
    }

    fn rest(&self) -> Vec<Vec3> {
        self.other.map_or_else(|| self.pick(&self.before.unshaped), |other| other.rest.to_vec())
    }

    fn skin(&self, skin: &Skin) -> Result<Skin, SkinError> {
        let Some(other) = self.other else { return Ok(skin.pick(self.left)) };
        let rows: Vec<_> = other.places.iter().map(|p| skin.at(p.corners, p.shares)).collect();
        Ok(Skin::from_rows(&rows, JOINTS)?.limit(skin.max_influences()))
    }

    /// The vertex after of each vertex before: where several lie on it the nearest.
    fn numbers(&self) -> HashMap<u32, u32> {
        let Some(other) = self.other else {
            return self.left.iter().zip(0..).map(|(old, new)| (*old, new)).collect();
        };
        let mut nearest: HashMap<u32, (f32, u32)> = HashMap::new();
        for (new, place) in (0..).zip(other.places) {
            for (old, share) in place.corners.iter().zip(place.shares) {
                let known = nearest.entry(*old).or_insert((share, new));
                if share > known.0 {
                    *known = (share, new);
                }
            }
        }
        nearest.into_iter().map(|(old, (_, new))| (old, new)).collect()
    }

    /// Weights, and which of them were filled in.
    fn bound(&self, bound: &Bound) -> Result<Bound, SkinError> {
        let is_filled = |v: &u32| bound.filled.binary_search(&self.left[*v as usize]).is_ok();
        let filled: Vec<u32> = (0..self.left.len() as u32).filter(is_filled).collect();
        let matched = bound.filled.is_empty().then_some(bound.matched_share);
        let matched_share = matched.unwrap_or(1.0 - filled.len() as f32 / self.left.len().max(1) as f32);
        Ok(Bound { skin: self.skin(&bound.skin)?, filled, matched_share, ..bound.clone() })
    }

    /// The offsets of shapes of it, shape by shape.
    fn offsets_of(&self, shapes: &[Morph]) -> Vec<Vec3> {
        let all = self.before.rest.len();
        shapes.iter().flat_map(|s| self.pick(&s.to_dense(all))).collect()
    }

    fn new_vertex(&self, old: u32) -> Option<u32> {
        match self.other {
            Some(_) => self.numbers().get(&old).copied(),
            None => self.left.iter().position(|&v| v == old).map(|v| v as u32),
        }
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
        let numbers = self.numbers();
        let one = |old: u32| numbers.get(&old).copied();
        let many = |list: &[u32]| {
            let old: HashSet<u32> = list.iter().copied().collect();
            (0..self.left.len() as u32).filter(|v| old.contains(&self.left[*v as usize])).collect()
        };
        let new = Numbers { one: &one, many: &many };
        state.patches.iter_mut().for_each(|patch| renumber(&mut patch.picks, &new));
        state.cleaned.retain_mut(|cleaned| {
            match &mut cleaned.chosen {
                Chosen::Everything => {}
                Chosen::Around(reach) => self.reach(reach),
                Chosen::Picks(picks) => renumber(picks, &new),
            }
            let Clean::ByHand { change, .. } = &mut cleaned.clean else { return true };
            change.renumber(&one)
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
        state.rest = Some(self.draft.keep(pack_positions(&new.rest())));
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
            let fail =
                |e: SkinError| WorkshopError::Bind { piece: state.name().to_owned(), source: e.into() };
            let bound = new.bound(bound).map_err(fail)?;
            state.bound = Some(self.draft.keep(pack_bound(&bound)?));
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
