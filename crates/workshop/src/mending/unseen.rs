//! What nobody sees of the body and of pieces, found by looking, and what hides it.

use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::measuring::cells::ThroughOf;
use crate::state::mask::HideOptions;
use crate::state::names::PieceId;
use std::collections::{BTreeSet, HashSet};
use tin_cloak_core::clearance::{faces_within, never_seen, LookedAt, LookingAt, Outfit};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::mesh::Topology;

/// Faces of a part that are seen in no pose while some pieces are worn.
pub(crate) struct Hidden {
    pub of: PieceId,
    pub by: Vec<PieceId>,
    /// Ascending.
    pub faces: Vec<u32>,
}

/// What nobody sees in the `poses` of a room (by number), with all of the body and the pieces there. `through` says
/// what is through what in each pose of the room; empty when that is seen like the rest.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub(crate) fn unseen(
    room: &Room,
    (poses, through): (&[usize], &ThroughOf),
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
        rings: options.rings,
        outfit,
    };
    let lies_beneath = |layer: &usize| looking.outfit.pairs.iter().any(|p| p.inner == *layer);
    let last = if options.beneath { looking.outfit.layers.len() } else { 1 };
    looking.hidden_of((0..last).filter(lies_beneath).collect(), progress)
}

/// Of a layer, which vertices of its outside are looked at, and past which layers.
struct Past<'a> {
    of: usize,
    among: &'a [u32],
    by: Vec<usize>,
}

struct Looking {
    outfit: Outfit,
    /// The number of each layer's part.
    ids: Vec<PieceId>,
    poses: Vec<TrialPose>,
    /// By layer, then pose.
    through: Vec<Vec<Vec<(u32, usize)>>>,
    rings: usize,
}

impl Looking {
    /// What nobody sees of some layers: what single pieces hide, then what only all together do.
    fn hidden_of(
        &self,
        layers: Vec<usize>,
        progress: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Vec<Hidden>, WorkshopError> {
        let others = |of: usize| (1..self.ids.len()).filter(move |layer| *layer != of);
        let past_all = layers.iter().map(|&of| {
            let among = &*self.outfit.layers[of].walls.outside().used;
            Past { of, among, by: others(of).collect() }
        });
        let hidden = self.unseen_past(&past_all.collect::<Vec<_>>(), &|s| progress(s * 0.5))?;
        // What a part hides of itself, as the inside of a mouth, belongs to no piece.
        let over = |of: usize| self.outfit.pairs.iter().filter(move |p| p.inner == of).map(|p| p.outer);
        let mut singly: Vec<Past> = Vec::new();
        for (&of, among) in layers.iter().zip(&hidden) {
            let by = std::iter::once(Vec::new()).chain(over(of).map(|outer| vec![outer]));
            singly.extend(by.map(|by| Past { of, among, by }));
        }
        let mut past_one = self.unseen_past(&singly, &|s| progress(0.5 + s * 0.5))?.into_iter();
        let mut found = Vec::new();
        for (of, hidden) in layers.into_iter().zip(&hidden) {
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

    /// Of each the vertices (ascending) of the outside of its layer all of whose faces no look reaches past its layers.
    /// Corners are looked at first, as most of what is seen is found by them; then the middles of the faces that are
    /// left.
    fn unseen_past(
        &self,
        lists: &[Past],
        progress: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Vec<Vec<u32>>, WorkshopError> {
        let side = |past: &Past| &self.outfit.layers[past.of].walls.outside().topology;
        let look = |places: &[Vec<LookedAt>], from: f32| {
            let at = lists.iter().zip(places).map(|(past, places)| {
                let through = self.through.get(past.of).map_or(&[][..], Vec::as_slice);
                LookingAt { of: past.of, places, by: &past.by, through }
            });
            never_seen(&self.outfit, &at.collect::<Vec<_>>(), &self.poses, &|s| progress(from + s * 0.5))
                .ok_or(WorkshopError::Stopped)
        };
        let corners: Vec<Vec<LookedAt>> =
            lists.iter().map(|past| past.among.iter().map(|v| [*v; 3]).collect()).collect();
        let left = look(&corners, 0.0)?;
        let middles = lists.iter().zip(left).map(|(past, left)| {
            let left: Vec<u32> = left.into_iter().map(|p| p[0]).collect();
            let faces = faces_within(side(past), &left, 0);
            faces.iter().map(|f| side(past).triangles[*f as usize]).collect::<Vec<LookedAt>>()
        });
        let left = look(&middles.collect::<Vec<_>>(), 0.5)?;
        Ok(lists
            .iter()
            .zip(left)
            .map(|(p, left)| unseen_corners(side(p), &left.into_iter().collect()))
            .collect())
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
fn unseen_corners(topology: &Topology, unseen: &HashSet<LookedAt>) -> Vec<u32> {
    let all_unseen = |v: &u32| {
        let faces = topology.incident.row(*v as usize);
        !faces.is_empty() && faces.iter().all(|f| unseen.contains(&topology.triangles[*f as usize]))
    };
    (0..topology.vertices() as u32).filter(all_unseen).collect()
}
