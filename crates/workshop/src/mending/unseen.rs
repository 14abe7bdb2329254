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
    let parts: Vec<usize> = (0..last).filter(lies_beneath).collect();
    let mut hidden = Vec::new();
    for (n, &layer) in parts.iter().enumerate() {
        let share = |s: f32| progress((n as f32 + s) / parts.len() as f32);
        hidden.extend(looking.hidden_of(layer, &share)?);
    }
    Ok(hidden)
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
    /// What nobody sees of a layer: what single pieces hide, then what only all together do.
    fn hidden_of(
        &self,
        layer: usize,
        progress: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Vec<Hidden>, WorkshopError> {
        let over: Vec<usize> =
            self.outfit.pairs.iter().filter(|p| p.inner == layer).map(|p| p.outer).collect();
        let others: Vec<usize> = (1..self.ids.len()).filter(|l| *l != layer).collect();
        let steps = (over.len() + 2) as f32;
        let find = |n: usize, among: &[u32], by: &[usize]| {
            self.unseen_past(layer, (among, by), &|s| progress((n as f32 + s) / steps))
        };
        let hidden = find(0, &self.outfit.layers[layer].walls.outside().used, &others)?;
        // What a part hides of itself, as the inside of a mouth, belongs to no piece.
        let own = self.faces(layer, &find(1, &hidden, &[])?);
        let mut together: BTreeSet<u32> = self.faces(layer, &hidden).into_iter().collect();
        own.iter().for_each(|f| {
            together.remove(f);
        });
        let mut found = Vec::new();
        for (n, &outer) in over.iter().enumerate() {
            let mut faces = self.faces(layer, &find(n + 2, &hidden, &[outer])?);
            faces.retain(|f| own.binary_search(f).is_err());
            faces.iter().for_each(|f| {
                together.remove(f);
            });
            if !faces.is_empty() {
                found.push(Hidden { of: self.ids[layer], by: vec![self.ids[outer]], faces });
            }
        }
        if !together.is_empty() && others.len() > 1 {
            let by = others.iter().map(|l| self.ids[*l]).collect();
            found.push(Hidden { of: self.ids[layer], by, faces: together.into_iter().collect() });
        }
        Ok(found)
    }

    /// Vertices (ascending) of the outside of a layer all of whose faces no look reaches past the layers `by`. Corners
    /// are looked at first, as most of what is seen is found by them; then the middles of the faces that are left.
    fn unseen_past(
        &self,
        of: usize,
        (among, by): (&[u32], &[usize]),
        progress: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Vec<u32>, WorkshopError> {
        let side = &self.outfit.layers[of].walls.outside().topology;
        let look = |places: &[LookedAt], from: f32| {
            let through = self.through.get(of).map_or(&[][..], Vec::as_slice);
            let at = LookingAt { of, places, by, through };
            never_seen(&self.outfit, at, &self.poses, &|s| progress(from + s * 0.5))
                .ok_or(WorkshopError::Stopped)
        };
        let corners: Vec<LookedAt> = among.iter().map(|v| [*v; 3]).collect();
        let left: Vec<u32> = look(&corners, 0.0)?.into_iter().map(|p| p[0]).collect();
        let faces = faces_within(side, &left, 0);
        let middles: Vec<LookedAt> = faces.iter().map(|f| side.triangles[*f as usize]).collect();
        let left: HashSet<LookedAt> = look(&middles, 0.5)?.into_iter().collect();
        Ok(unseen_corners(side, &left))
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
