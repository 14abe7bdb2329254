//! Choosing by what is elsewhere: snags over all poses, and patches of other parts.

use tin_cloak_core::query::Bvh;
use tin_cloak_measure::measuring::board::through_in_words;
use tin_cloak_measure::measuring::snag_tracks::{SnagTrack, SnagTracks};
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::weighted::Weighted;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::choice::What;
use tin_cloak_model::state::names::{PieceId, BODY};

/// So many snags can be chosen one by one.
const SNAGS: usize = 24;

/// What of another part lies further away than this is not there, metres.
const THERE: f32 = 0.06;

/// Asked of a room: choosing by what is elsewhere: snags over all poses, and patches of other parts.
pub trait ChoosingElseOfRoom {
    /// What else could be chosen on a part, in words.
    fn more_to_choose(&self, on: &Weighted, tied: Option<&SnagTracks>) -> Vec<(String, What)>;

    /// Vertices of a part that are in the snags that `of` takes by their place in the list and their parts; where
    /// those are vertices of the other part, what lies nearest to them at rest.
    fn in_snags(
        &self,
        on: &Weighted,
        tied: Option<&SnagTracks>,
        of: impl Fn(usize, [PieceId; 2]) -> bool,
    ) -> Vec<u32>;

    /// Which vertices of a part lie where a patch of another part is: the nearest place there is more in it than out.
    ///
    /// # Errors
    /// When there is no such part or patch.
    fn where_patch_is(&self, on: &Piece, piece: PieceId, name: &str) -> Result<Vec<bool>, WorkshopError>;
}

impl ChoosingElseOfRoom for Room {
    fn more_to_choose(&self, on: &Weighted, tied: Option<&SnagTracks>) -> Vec<(String, What)> {
        let mut more = Vec::new();
        let all = tied.map_or(&[][..], |t| &t.0);
        let parts_of = parts_of_snags(self);
        // Of things that press into each other as they did not at rest there is a place, but no vertices.
        let has_some = |s: &SnagTrack| parts_of(s).contains(&on.id) && !s.vertices.is_empty();
        let mine = || all.iter().enumerate().filter(|(_, s)| has_some(s));
        let words = |s: &SnagTrack| through_in_words(&s.outer, &s.inner);
        let mut pairs: Vec<[PieceId; 2]> = mine().map(|(_, s)| parts_of(s)).collect();
        pairs.dedup();
        for pair in pairs {
            let of_pair: Vec<&SnagTrack> = mine().map(|m| m.1).filter(|s| parts_of(s) == pair).collect();
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

    fn in_snags(
        &self,
        on: &Weighted,
        tied: Option<&SnagTracks>,
        of: impl Fn(usize, [PieceId; 2]) -> bool,
    ) -> Vec<u32> {
        let mut found = Vec::new();
        let parts_of = parts_of_snags(self);
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

    fn where_patch_is(&self, on: &Piece, piece: PieceId, name: &str) -> Result<Vec<bool>, WorkshopError> {
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

/// The numbers of both parts of a snag.
fn parts_of_snags(room: &Room) -> impl Fn(&SnagTrack) -> [PieceId; 2] {
    let id = |part: &Option<usize>| part.map_or(BODY, |i| room.piece_state(i).id);
    let of_layer: Vec<PieceId> = room.worn().piece_of.iter().map(id).collect();
    move |snag| [of_layer[snag.layers.0], of_layer[snag.layers.1]]
}
