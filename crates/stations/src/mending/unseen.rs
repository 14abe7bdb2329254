//! What nobody sees of the body and of pieces, found by looking, and what hides it.

use std::collections::{BTreeSet, HashMap};
use tin_cloak_core::clearance::{faces_within, never_seen, HiddenBy, LookedAt, LookingAt, Outfit};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::mesh::Topology;
use tin_cloak_measure::measuring::cells::ThroughOf;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::mask::HideOptions;
use tin_cloak_model::state::names::PieceId;

/// Faces of a part that are seen in no pose while some pieces are worn.
pub struct Hidden {
    pub of: PieceId,
    pub by: Vec<PieceId>,
    /// Ascending.
    pub faces: Vec<u32>,
}

/// Vertices of a part, by flag.
pub type Of<'a> = (PieceId, &'a [bool]);

/// What nobody sees in the `poses` of a room (by number), with all of the body and the pieces there. `through` says
/// what is through what in each pose of the room; empty when that is seen like the rest. `only` names the part that is
/// asked for alone, and its vertices by flag; none for all.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn unseen(
    room: &Room,
    poses: &[usize],
    through: &ThroughOf,
    only: Option<Of>,
    options: HideOptions,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Vec<Hidden>, WorkshopError> {
    let (outfit, piece_of) = room.dress.whole().outfit();
    let all = room.trials.poses(&room.dress.body);
    let through = through.iter().map(|by_pose| poses.iter().map(|&p| by_pose[p].clone()).collect());
    let looking = Looking {
        ids: piece_of.iter().map(|p| p.map_or(0, |i| room.piece_state(i).id)).collect(),
        poses: poses.iter().map(|&p| all[p].clone()).collect(),
        through: through.collect(),
        only,
        rings: options.rings,
        outfit,
    };
    let lies_beneath = |layer: &usize| looking.outfit.pairs.iter().any(|p| p.inner == *layer);
    let last = if options.beneath { looking.outfit.layers.len() } else { 1 };
    let is_asked = |layer: &usize| only.is_none_or(|(part, _)| looking.ids[*layer] == part);
    looking.hidden_of((0..last).filter(lies_beneath).filter(is_asked).collect(), progress)
}

/// Of a layer, which vertices of its outside are looked at, and past which layers.
struct Past<'a> {
    of: usize,
    among: &'a [u32],
    by: Vec<usize>,
    /// What is known to hide places of the layer, from an earlier look past more.
    known: &'a HiddenPlaces,
}

type HiddenPlaces = HashMap<LookedAt, HiddenBy>;

impl Past<'_> {
    /// True when it is known that these layers hide the place.
    fn is_hidden(&self, place: &LookedAt) -> bool {
        match self.known.get(place) {
            Some(HiddenBy::Itself) => true,
            Some(HiddenBy::One(layer)) => self.by.contains(layer),
            _ => false,
        }
    }
}

struct Looking<'a> {
    outfit: Outfit,
    /// The number of each layer's part.
    ids: Vec<PieceId>,
    poses: Vec<TrialPose>,
    /// By layer, then pose.
    through: Vec<Vec<Vec<(u32, usize)>>>,
    /// The part that is asked for alone, and which of its vertices.
    only: Option<Of<'a>>,
    rings: usize,
}

impl Looking<'_> {
    /// What nobody sees of some layers: what single pieces hide, then what only all together do.
    fn hidden_of(
        &self,
        layers: Vec<usize>,
        progress: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Vec<Hidden>, WorkshopError> {
        let others = |of: usize| (1..self.ids.len()).filter(move |layer| *layer != of);
        let nothing = HiddenPlaces::new();
        let asked: Vec<Vec<u32>> = layers.iter().map(|&of| self.asked_of(of)).collect();
        let past_all = layers.iter().zip(&asked);
        let past_all =
            past_all.map(|(&of, among)| Past { of, among, by: others(of).collect(), known: &nothing });
        let hidden = self.unseen_past(&past_all.collect::<Vec<_>>(), &|s| progress(s * 0.5))?;
        // What a part hides of itself, as the inside of a mouth, belongs to no piece.
        let over = |of: usize| self.outfit.pairs.iter().filter(move |p| p.inner == of).map(|p| p.outer);
        let mut singly: Vec<Past> = Vec::new();
        for (&of, (among, known)) in layers.iter().zip(&hidden) {
            let by = std::iter::once(Vec::new()).chain(over(of).map(|outer| vec![outer]));
            singly.extend(by.map(|by| Past { of, among, by, known }));
        }
        let past_one = self.unseen_past(&singly, &|s| progress(0.5 + s * 0.5))?;
        let mut past_one = past_one.into_iter().map(|unseen| unseen.0);
        let mut found = Vec::new();
        for (of, (hidden, _)) in layers.into_iter().zip(&hidden) {
            let own = self.faces(of, &past_one.next().unwrap_or_default());
            let but_own = |faces: Vec<u32>| faces.into_iter().filter(|f| own.binary_search(f).is_err());
            let mut together: BTreeSet<u32> = but_own(self.faces(of, hidden)).collect();
            for (outer, unseen) in over(of).zip(past_one.by_ref()) {
                let faces: Vec<u32> = but_own(self.faces(of, &unseen)).collect();
                faces.iter().for_each(|f| {
                    together.remove(f);
                });
                if !faces.is_empty() {
                    found.push(Hidden { of: self.ids[of], by: vec![self.ids[outer]], faces });
                }
            }
            if !together.is_empty() && others(of).count() > 1 {
                let by = others(of).map(|l| self.ids[l]).collect();
                found.push(Hidden { of: self.ids[of], by, faces: together.into_iter().collect() });
            }
        }
        Ok(found)
    }

    /// Vertices of the outside of a layer that are asked for.
    fn asked_of(&self, layer: usize) -> Vec<u32> {
        let mut asked = self.outfit.layers[layer].walls.outside().used.to_vec();
        if let Some((_, among)) = self.only.filter(|(part, _)| *part == self.ids[layer]) {
            asked.retain(|v| among.get(*v as usize) != Some(&false));
        }
        asked
    }

    /// Of each the vertices (ascending) of the outside of its layer all of whose faces no look reaches past its layers,
    /// and what hides each place that was looked at. Corners are looked at first, as most of what is seen is found by
    /// them; then the middles of the faces that are left.
    fn unseen_past(
        &self,
        lists: &[Past],
        progress: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Vec<(Vec<u32>, HiddenPlaces)>, WorkshopError> {
        let side = |past: &Past| &self.outfit.layers[past.of].walls.outside().topology;
        let corners: Vec<Vec<LookedAt>> =
            lists.iter().map(|past| past.among.iter().map(|v| [*v; 3]).collect()).collect();
        let corners = self.look_at(lists, &corners, &|s| progress(s * 0.5))?;
        let middles = lists.iter().zip(&corners).map(|(past, left)| {
            let mut left: Vec<u32> = left.keys().map(|p| p[0]).collect();
            left.sort_unstable();
            let faces = faces_within(side(past), &left, 0);
            faces.iter().map(|f| side(past).triangles[*f as usize]).collect::<Vec<LookedAt>>()
        });
        let middles = self.look_at(lists, &middles.collect::<Vec<_>>(), &|s| progress(0.5 + s * 0.5))?;
        let both = lists.iter().zip(corners).zip(middles).map(|((past, mut corners), middles)| {
            let vertices = unseen_corners(side(past), &middles);
            corners.extend(middles);
            (vertices, corners)
        });
        Ok(both.collect())
    }

    /// Of each list the places that are not seen, with what hides them; what is known already is not looked at again.
    fn look_at(
        &self,
        lists: &[Past],
        places: &[Vec<LookedAt>],
        progress: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Vec<HiddenPlaces>, WorkshopError> {
        let halves = lists.iter().zip(places).map(|(past, places)| {
            let (known, asked): (Vec<LookedAt>, Vec<LookedAt>) =
                places.iter().partition(|place| past.is_hidden(place));
            (known.into_iter().map(|place| (place, past.known[&place])).collect(), asked)
        });
        let (mut hidden, asked): (Vec<HiddenPlaces>, Vec<_>) = halves.unzip();
        let at = lists.iter().zip(&asked).map(|(past, places)| {
            let through = self.through.get(past.of).map_or(&[][..], Vec::as_slice);
            LookingAt { of: past.of, places, by: &past.by, through }
        });
        let unseen = never_seen(&self.outfit, &at.collect::<Vec<_>>(), &self.poses, progress)
            .ok_or(WorkshopError::Stopped)?;
        hidden.iter_mut().zip(unseen).for_each(|(hidden, unseen)| hidden.extend(unseen));
        Ok(hidden)
    }

    /// The faces of a layer of which the `vertices` of its outside are not seen, without the rings next to what is:
    /// a wall that faces the body goes with the outside over it.
    fn faces(&self, layer: usize, vertices: &[u32]) -> Vec<u32> {
        let layer = &self.outfit.layers[layer];
        if layer.walls.away_from_body.is_none() {
            return faces_within(&layer.topology, vertices, self.rings);
        }
        let partners = layer.walls.outside().measured_partners(&layer.rest);
        let goes = |v: &u32| vertices.binary_search(&partners[*v as usize]).is_ok();
        let all: Vec<u32> = (0..layer.rest.len() as u32).filter(goes).collect();
        faces_within(&layer.topology, &all, self.rings)
    }
}

/// Vertices all of whose faces are among `unseen`, ascending.
fn unseen_corners(topology: &Topology, unseen: &HiddenPlaces) -> Vec<u32> {
    let all_unseen = |v: &u32| {
        let faces = topology.incident.row(*v as usize);
        !faces.is_empty() && faces.iter().all(|f| unseen.contains_key(&topology.triangles[*f as usize]))
    };
    (0..topology.vertices() as u32).filter(all_unseen).collect()
}
