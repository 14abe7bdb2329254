//! Hiding what nobody sees: masks of the body, by the pieces that cover it.

use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::making::doing::{Doing, Phase};
use crate::state::blobs::{pack_indices, unpack_indices};
use crate::state::key::Key;
use crate::state::mask::{HideOptions, Mask};
use crate::state::names::PieceId;
use crate::state::trial_plan::Counts;
use std::collections::{BTreeSet, HashSet};
use tin_cloak_core::clearance::{faces_within, never_seen, LookedAt};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::mesh::Topology;

/// More rings than this leave nothing of any mask.
const MOST_RINGS: usize = 20;

/// A mask as people read it.
#[derive(Clone, Debug, PartialEq)]
pub struct MaskRow {
    /// What hides it.
    pub by: String,
    /// Faces of the body.
    pub count: usize,
    /// Of all that the body has, 0 to 1.
    pub share: f32,
    /// True when something was changed since that may have bared it.
    pub older: bool,
}

impl Room {
    /// All that what is seen of the body depends on.
    fn seen_by(&self) -> String {
        let worn = self.state.pieces.iter().filter(|p| p.bound.is_some() && !p.cage);
        let worn: Vec<_> = worn.map(|p| (p.id, &p.rest, &p.bound, &p.cut, &p.amounts, &p.carried)).collect();
        let tried: Vec<_> = self.trials.trials.iter().map(|t| t.label()).collect();
        let key = Key::begin("seen").and_key(self.contents.body).and(&worn).and(&tried).and(&self.state.plan);
        key.end().bytes().iter().take(12).map(|b| format!("{b:02x}")).collect()
    }

    /// What is hidden of the body, as people read it.
    pub fn masks(&self) -> Vec<MaskRow> {
        let all = self.dress.body.topology.triangles.len().max(1);
        let name = |id: &PieceId| {
            self.state.pieces.iter().find(|p| p.id == *id).map_or("a piece taken off", |p| p.name())
        };
        let now = self.seen_by();
        let row = |mask: &Mask| MaskRow {
            by: match mask.by.as_slice() {
                [one] => name(one).to_owned(),
                several => format!("all {} together", several.len()),
            },
            count: mask.count,
            share: mask.count as f32 / all as f32,
            older: mask.found_on != now,
        };
        self.state.masks.iter().map(row).collect()
    }

    /// The poses that count, the body at rest first.
    fn counted_poses(&self) -> Vec<TrialPose> {
        let all = self.trials.poses(&self.dress.body);
        let counts = |i: usize| {
            let trial = &self.trials.trials[i];
            self.state.plan.of_pose(&trial.group, &trial.name, trial.time) == Counts::Counted
        };
        all.into_iter().enumerate().filter(|(i, _)| *i == 0 || counts(*i)).map(|(_, pose)| pose).collect()
    }
}

impl Doing<'_> {
    pub fn hide(&mut self, options: HideOptions) -> Result<String, WorkshopError> {
        if options.rings > MOST_RINGS {
            return Err(WorkshopError::BadRings { most: MOST_RINGS });
        }
        // Several meshes go out as they came: what is not left out of the file must not be left out of the board.
        if !self.room.dress.body.members.is_empty() {
            return Err(WorkshopError::HidesOneMesh);
        }
        let before = self.room.dress.masked.to_vec();
        // Looked for with all of the body there.
        let (outfit, piece_of) = self.room.dress.whole().outfit();
        let layers: Vec<usize> = (1..outfit.layers.len()).collect();
        if layers.is_empty() {
            return Err(WorkshopError::BindFirst);
        }
        let poses = self.room.counted_poses();
        let id = |layer: usize| piece_of[layer].map(|i| self.room.piece_state(i).id);
        let body = &self.room.dress.body;
        let steps = (layers.len() + 2) as f32;
        let triangles = &body.topology.triangles;
        // Corners first, as most of what is seen is found by them; then the middles of the faces that are left.
        let find = |n: usize, among: &[u32], by: &[usize]| {
            let part = |from: f32| Phase {
                job: self.job,
                from: (n as f32 + from) / steps,
                to: (n as f32 + from + 0.5) / steps,
            };
            let (corners, middles) = (part(0.0), part(0.5));
            let places: Vec<LookedAt> = among.iter().map(|v| [*v; 3]).collect();
            let left = never_seen(&outfit, (0, &places, by), &poses, &|share| corners.tell(share));
            let left: Vec<u32> = left.ok_or(WorkshopError::Stopped)?.into_iter().map(|p| p[0]).collect();
            let faces = faces_within(&body.topology, &left, 0);
            let places: Vec<LookedAt> = faces.iter().map(|f| triangles[*f as usize]).collect();
            let left = never_seen(&outfit, (0, &places, by), &poses, &|share| middles.tell(share));
            let left: HashSet<LookedAt> = left.ok_or(WorkshopError::Stopped)?.into_iter().collect();
            Ok::<_, WorkshopError>(unseen_corners(&body.topology, &left))
        };
        let faces = |vertices: &[u32]| faces_within(&body.topology, vertices, options.rings);
        let hidden = find(0, &outfit.layers[0].walls.outside().used, &layers)?;
        // What the body hides of itself, as the inside of a mouth, belongs to no piece.
        let own = faces(&find(1, &hidden, &[])?);
        let mut together: BTreeSet<u32> = faces(&hidden).into_iter().collect();
        own.iter().for_each(|f| {
            together.remove(f);
        });
        let mut masks = Vec::new();
        let found_on = self.room.seen_by();
        for (n, &layer) in layers.iter().enumerate() {
            let found = faces(&find(n + 2, &hidden, &[layer])?);
            let faces: Vec<u32> = found.into_iter().filter(|f| own.binary_search(f).is_err()).collect();
            faces.iter().for_each(|f| {
                together.remove(f);
            });
            masks.extend(id(layer).filter(|_| !faces.is_empty()).map(|piece| (vec![piece], faces)));
        }
        let all: Vec<PieceId> = layers.iter().filter_map(|&layer| id(layer)).collect();
        if !together.is_empty() && all.len() > 1 {
            masks.push((all, together.into_iter().collect()));
        }
        self.draft.state.masks.clear();
        for (by, faces) in masks {
            let (count, faces) = (faces.len(), self.draft.keep(pack_indices(&faces)));
            self.draft.state.masks.push(Mask { by, faces, count, found_on: found_on.clone() });
        }
        let now = self.masked_in_draft()?;
        if now == before {
            return Err(WorkshopError::NothingHidden);
        }
        let share = 100.0 * now.len() as f32 / body.topology.triangles.len().max(1) as f32;
        let poses = poses.len();
        self.draft.notes.push(format!(
            "{} of its faces ({share:.0} %) are seen in none of {poses} poses, from none of 256 sides",
            now.len()
        ));
        let bared = before.iter().filter(|f| now.binary_search(f).is_err()).count();
        if bared > 0 {
            self.draft.notes.push(format!("{bared} faces that were hidden are seen now: they are back"));
        }
        Ok(format!("Hide what nobody sees of {}", body.name))
    }

    /// Faces of the body that are hidden as the draft has it, ascending.
    fn masked_in_draft(&self) -> Result<Vec<u32>, WorkshopError> {
        let mut all = BTreeSet::new();
        for mask in &self.draft.state.masks {
            all.extend(unpack_indices(&self.draft.blob(self.store, &mask.faces)?));
        }
        Ok(all.into_iter().collect())
    }

    pub fn show_hidden(&mut self) -> Result<String, WorkshopError> {
        if self.draft.state.masks.is_empty() {
            return Err(WorkshopError::NothingHidden);
        }
        self.draft.state.masks.clear();
        Ok(format!("Take all of {} back", self.room.dress.body.name))
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
