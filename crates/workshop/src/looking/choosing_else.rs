//! Choosing by what is elsewhere: snags over all poses, and patches of other parts.

use crate::dress::chosen::Choosing;
use crate::dress::piece::Piece;
use crate::dress::room::Room;
use crate::dress::weighted::Weighted;
use crate::error::WorkshopError;
use crate::measuring::board::through_in_words;
use crate::measuring::tied::{TiedSnag, TiedSnags};
use crate::state::choice::What;
use crate::state::names::{PieceId, BODY};
use tin_cloak_core::query::Bvh;

/// So many snags can be chosen one by one.
const SNAGS: usize = 24;

/// What of another part lies further away than this is not there, metres.
const THERE: f32 = 0.06;

impl Room {
    /// What else could be chosen on a part, in words.
    pub(crate) fn more_to_choose(&self, on: &Weighted, tied: Option<&TiedSnags>) -> Vec<(String, What)> {
        let mut more = Vec::new();
        let all = tied.map_or(&[][..], |t| &t.0);
        let parts_of = self.parts_of_snags();
        // Of things that press into each other as they did not at rest there is a place, but no vertices.
        let has_some = |s: &TiedSnag| parts_of(s).contains(&on.id) && !s.vertices.is_empty();
        let mine = || all.iter().enumerate().filter(|(_, s)| has_some(s));
        let words = |s: &TiedSnag| through_in_words(&s.outer, &s.inner);
        let mut pairs: Vec<[PieceId; 2]> = mine().map(|(_, s)| parts_of(s)).collect();
        pairs.dedup();
        for pair in pairs {
            let of_pair: Vec<&TiedSnag> = mine().map(|m| m.1).filter(|s| parts_of(s) == pair).collect();
            let what = What::Snags(pair);
            if of_pair.len() > 1 && !more.iter().any(|(_, known)| *known == what) {
                more.push((format!("all {} snags: {}", of_pair.len(), words(of_pair[0])), what));
            }
        }
        more.extend(mine().take(SNAGS).map(|(number, s)| {
            let pose = self.trials.trials[s.pose].label();
            (format!("{:.1} mm in {pose}: {}", s.deepest_mm, words(s)), What::Snag(number))
        }));
        let body = (BODY, &*self.dress.body.name, &self.state.body_patches);
        let pieces = self.state.pieces.iter().map(|p| (p.id, p.name(), &p.patches));
        for (piece, part, patches) in std::iter::once(body).chain(pieces).filter(|p| p.0 != on.id) {
            let patch = |name: &String| (format!("where “{name}” of {part} is"), name.clone());
            let named = patches.iter().map(|p| patch(&p.name));
            more.extend(named.map(|(words, name)| (words, What::PatchOf { piece, name })));
        }
        more
    }

    /// The numbers of both parts of a snag.
    fn parts_of_snags(&self) -> impl Fn(&TiedSnag) -> [PieceId; 2] {
        let id = |part: &Option<usize>| part.map_or(BODY, |i| self.piece_state(i).id);
        let of_layer: Vec<PieceId> = self.worn().piece_of.iter().map(id).collect();
        move |snag| [of_layer[snag.layers.0], of_layer[snag.layers.1]]
    }

    /// Vertices of a part that are in the snags that `of` takes by their place in the list and their parts; where
    /// those are vertices of the other part, what lies nearest to them at rest.
    pub(crate) fn in_snags(
        &self,
        on: &Weighted,
        tied: Option<&TiedSnags>,
        of: impl Fn(usize, [PieceId; 2]) -> bool,
    ) -> Vec<u32> {
        let mut found = Vec::new();
        let parts_of = self.parts_of_snags();
        let tree = Bvh::build(&on.rest, &on.topology.triangles);
        let all = tied.map_or(&[][..], |t| &t.0).iter().enumerate();
        for (number, snag) in all {
            let parts = parts_of(snag);
            if !of(number, parts) || !parts.contains(&on.id) {
                continue;
            }
            let theirs = parts[usize::from(!snag.on_outer)];
            let Ok(other) = self.weighted(theirs) else { continue };
            if theirs == on.id {
                found.extend(snag.vertices.iter().copied());
                continue;
            }
            let near = |v: &u32| tree.closest(*other.rest.get(*v as usize)?, THERE);
            let faces = snag.vertices.iter().filter_map(near).map(|hit| hit.triangle as usize);
            found.extend(faces.flat_map(|t| on.topology.triangles[t]));
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    /// Which vertices of a part lie where a patch of another part is: the nearest place there is more in it than out.
    ///
    /// # Errors
    /// When there is no such part or patch.
    pub(crate) fn where_patch_is(
        &self,
        on: &Piece,
        (piece, name): (PieceId, &str),
    ) -> Result<Vec<bool>, WorkshopError> {
        let other = self.weighted(piece)?;
        let patch = self.patches_of(&other).iter().find(|p| p.name == name);
        let patch = patch.ok_or_else(|| WorkshopError::NoSuchPatch { patch: name.to_owned() })?;
        let there = Choosing::on(&other, &self.dress.body).picked(&patch.picks)?;
        let tree = Bvh::build(&other.rest, &other.topology.triangles);
        let within = |p: &glam::Vec3| {
            let Some(hit) = tree.closest(*p, THERE) else { return false };
            let corners = other.topology.triangles[hit.triangle as usize].into_iter().zip(hit.barycentric);
            corners.filter(|(v, _)| there[*v as usize]).map(|(_, share)| share).sum::<f32>() > 0.5
        };
        Ok(on.rest.iter().map(within).collect())
    }
}
