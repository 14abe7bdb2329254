//! Hiding what nobody sees: masks of the body and of pieces, by the pieces that cover them.

use crate::making::doing::{Doing, Phase};
use crate::mending::unseen::unseen;
use glam::Vec3;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use tin_cloak_core::mend::PoseCache;
use tin_cloak_core::trial::Humanoid;
use tin_cloak_measure::measuring::cells::{through_of, Counts as Counted, Kept, ThroughOf};
use tin_cloak_measure::measuring::missing::measure_all;
use tin_cloak_measure::measuring::snag_cards::SnagCardsOfRoom;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::dressed::Masked;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_indices, unpack_indices};
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::mask::{HideOptions, Mask};
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::trial_plan::Counts;

/// More rings than this leave nothing of any mask.
const MOST_RINGS: usize = 20;

/// A mask as people read it.
#[derive(Clone, Debug, PartialEq)]
pub struct MaskRow {
    /// Whose faces, and the pieces that hide them, by number.
    pub ids: (PieceId, Vec<PieceId>),
    /// Whose faces.
    pub of: String,
    /// What hides them.
    pub by: String,
    /// How many faces.
    pub count: usize,
    /// Of all that the body has, 0 to 1.
    pub share: f32,
    /// True when something was changed since that may have bared it.
    pub older: bool,
}

/// Asked of a room: hiding what nobody sees: masks of the body and of pieces, by the pieces that cover them.
pub trait HideOfRoom {
    /// What is hidden of the body, as people read it.
    fn masks(&self) -> Vec<MaskRow>;

    /// How many faces of the part of a name are hidden, and their share of all it has.
    fn hidden_of(&self, part: &str) -> (usize, f32);

    /// Which poses count, the body at rest first.
    fn counted_poses(&self) -> Vec<usize>;
}

impl HideOfRoom for Room {
    fn masks(&self) -> Vec<MaskRow> {
        if self.state.masks.is_empty() {
            return Vec::new();
        }
        let name = |id: &PieceId| match *id {
            BODY => self.dress.body.name.as_str(),
            id => self.state.pieces.iter().find(|p| p.id == id).map_or("a piece taken off", |p| p.name()),
        };
        let faces = |id: PieceId| {
            let piece = self.dress.pieces.iter().find(|p| p.id == id);
            piece.map_or(&self.dress.body.topology, |p| &p.topology).triangles.len().max(1)
        };
        let now = seen_by(self);
        let row = |mask: &Mask| MaskRow {
            ids: (mask.of, mask.by.clone()),
            of: name(&mask.of).to_owned(),
            by: match mask.by.as_slice() {
                [] => "no piece: by hand".to_owned(),
                [one] => name(one).to_owned(),
                several => format!("all {} together", several.len()),
            },
            count: mask.count,
            share: mask.count as f32 / faces(mask.of) as f32,
            older: !mask.by.is_empty() && mask.found_on != now,
        };
        self.state.masks.iter().map(row).collect()
    }

    fn hidden_of(&self, part: &str) -> (usize, f32) {
        let piece = self.dress.pieces.iter().find(|p| p.name == part);
        let topology = piece.map_or(&self.dress.body.topology, |p| &p.topology);
        let count = self.dress.masked.faces_of(piece.map_or(BODY, |p| p.id)).len();
        (count, count as f32 / topology.triangles.len().max(1) as f32)
    }

    fn counted_poses(&self) -> Vec<usize> {
        let counts = |i: &usize| {
            let trial = &self.trials.trials[*i];
            self.state.plan.of_pose(&trial.group, &trial.name, trial.time) == Counts::Counted
        };
        (0..self.trials.trials.len()).filter(|i| *i == 0 || counts(i)).collect()
    }
}

impl Doing<'_> {
    pub fn hide(&mut self, options: HideOptions) -> Result<String, WorkshopError> {
        if options.rings > MOST_RINGS {
            return Err(WorkshopError::BadRings { most: MOST_RINGS });
        }
        if self.room.pile().facts.len() < 2 {
            return Err(WorkshopError::BindFirst);
        }
        let before = Arc::clone(&self.room.dress.masked);
        self.draft.state.masks.retain(|m| m.by.is_empty());
        let through = match options.through {
            true => self.through_with_all_there()?,
            false => Vec::new(),
        };
        let phase = Phase { job: self.job, from: 0.3, to: 1.0 };
        let poses = self.room.counted_poses();
        let found_on = seen_by(self.room);
        for found in unseen(self.room, &poses, &through, None, options, &|s| phase.tell(s))? {
            self.add_mask(found.of, found.by, found.faces, found_on.clone());
        }
        let now = self.masked_in_draft()?;
        if now == *before {
            return Err(WorkshopError::NothingHidden);
        }
        if now.faces_of(BODY).len() == self.room.dress.body.topology.triangles.len() {
            return Err(WorkshopError::NoBodySeen);
        }
        self.tell_hidden(&before, &now, poses.len());
        let body = &self.room.dress.body.name;
        Ok(match options.beneath {
            true => format!("Hide what nobody sees of {body} and of what is worn"),
            false => format!("Hide what nobody sees of {body}"),
        })
    }

    /// Faces within what is chosen are left out, or those at it are there again.
    pub fn mask(&mut self, part: PieceId, chosen: &Chosen, hide: bool) -> Result<String, WorkshopError> {
        let room = self.room;
        let on = room.weighted(part)?;
        let flags = Choosing::on(&on, &room.dress.body).chosen(chosen)?;
        let (name, before) = (on.name.clone(), self.room.dress.masked.faces_of(part).to_vec());
        let within = |all: bool| {
            let meant = move |t: &[u32; 3]| match all {
                true => t.iter().all(|v| flags[*v as usize]),
                false => t.iter().any(|v| flags[*v as usize]),
            };
            let faces = (0u32..).zip(&on.topology.triangles);
            faces.filter(|(_, t)| meant(t)).map(|(f, _)| f).collect::<Vec<u32>>()
        };
        let faces = within(hide);
        if hide {
            let mine = |m: &Mask| m.of == part && m.by.is_empty();
            let mut all: BTreeSet<u32> = faces.into_iter().collect();
            for mask in self.draft.state.masks.iter().filter(|m| mine(m)) {
                all.extend(unpack_indices(&self.draft.blob(self.store, &mask.faces)?));
            }
            self.draft.state.masks.retain(|m| !mine(m));
            self.add_mask(part, Vec::new(), all.into_iter().collect(), String::new());
        } else {
            for mask in std::mem::take(&mut self.draft.state.masks) {
                let mut left = unpack_indices(&self.draft.blob(self.store, &mask.faces)?);
                if mask.of == part {
                    left.retain(|f| faces.binary_search(f).is_err());
                }
                self.add_mask(mask.of, mask.by, left, mask.found_on);
            }
        }
        let now = self.masked_in_draft()?;
        let (was, is) = (before.len(), now.faces_of(part).len());
        if hide && is == on.topology.triangles.len() {
            return Err(match part {
                BODY => WorkshopError::NoBodySeen,
                _ => WorkshopError::NothingLeft { part: name },
            });
        }
        if now.faces_of(part) == before {
            return Err(if hide {
                WorkshopError::NothingHidden
            } else {
                WorkshopError::NothingShown { part: name }
            });
        }
        Ok(match hide {
            true => format!("Hide {} faces of {name} by hand", is - was),
            false => format!("Take {} faces of {name} back", was - is),
        })
    }

    fn add_mask(&mut self, of: PieceId, by: Vec<PieceId>, faces: Vec<u32>, found_on: String) {
        let count = faces.len();
        if count > 0 {
            let faces = self.draft.keep(pack_indices(&faces));
            self.draft.state.masks.push(Mask { of, by, faces, count, found_on });
        }
    }

    /// What is through what, measured with nothing left out.
    fn through_with_all_there(&self) -> Result<ThroughOf, WorkshopError> {
        let counts = Counted::default();
        let kept = Kept { derived: self.decoder.derived(), store: self.store, counts: &counts };
        let blob = |id: &_| self.draft.blob(self.store, id);
        let whole = self.decoder.build(self.store, self.draft.state.clone(), &blob)?;
        let phase = Phase { job: self.job, from: 0.0, to: 0.3 };
        measure_all(&whole, kept, &PoseCache::none(), &|s| phase.tell(s))?;
        through_of(&whole, kept)
    }

    fn tell_hidden(&mut self, before: &Masked, now: &Masked, poses: usize) {
        let body = &self.room.dress.body;
        let all = |id: PieceId| match id {
            BODY => Some((body.name.as_str(), body.topology.triangles.len())),
            id => {
                let piece = self.room.dress.pieces.iter().find(|p| p.id == id)?;
                Some((piece.name.as_str(), piece.topology.triangles.len()))
            }
        };
        let each = now.0.iter().filter_map(|(id, faces)| {
            let (name, all) = all(*id)?;
            let share = 100.0 * faces.len() as f32 / all.max(1) as f32;
            Some(format!("{} faces of {name} ({share:.0} %)", faces.len()))
        });
        let each = each.collect::<Vec<_>>().join(", ");
        self.draft.notes.push(format!("{each} are seen in none of {poses} poses, from none of 256 sides"));
        let bared = self.bared(before, now);
        let count: usize = bared.values().sum();
        if count > 0 {
            let mut places: Vec<(String, usize)> = bared.into_iter().collect();
            places.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
            let told = places.iter().take(3).map(|(place, n)| format!("{place} {n}")).collect::<Vec<_>>();
            let told = told.join(", ");
            self.draft.notes.push(format!(
                "{count} faces that were hidden are seen now, or lie at what is, and are back: {told}"
            ));
        }
    }

    /// How many faces that were hidden are not any more, by where on the body they are.
    fn bared(&self, before: &Masked, now: &Masked) -> BTreeMap<String, usize> {
        let dress = &self.room.dress;
        let skeleton = &dress.body.skeleton;
        let (person, joints) = (Humanoid::find(skeleton), skeleton.rest_positions());
        let mut bared = BTreeMap::new();
        for (id, faces) in &before.0 {
            let piece = dress.pieces.iter().find(|p| p.id == *id);
            let (rest, topology) = match piece {
                Some(piece) => (&piece.rest[..], &piece.topology),
                None => (&dress.body.rest[..], &dress.body.topology),
            };
            for face in faces.iter().filter(|f| now.faces_of(*id).binary_search(f).is_err()) {
                let Some(t) = topology.triangles.get(*face as usize) else { continue };
                let middle = t.iter().map(|v| rest[*v as usize]).sum::<Vec3>() / 3.0;
                *bared.entry(self.room.place_name_by(&person, &joints, middle)).or_default() += 1;
            }
        }
        bared
    }

    /// Faces that are hidden as the draft has it.
    fn masked_in_draft(&self) -> Result<Masked, WorkshopError> {
        let mut all = Masked::default();
        for mask in &self.draft.state.masks {
            let faces = unpack_indices(&self.draft.blob(self.store, &mask.faces)?);
            all.0.entry(mask.of).or_default().extend(faces);
        }
        for faces in all.0.values_mut() {
            faces.sort_unstable();
            faces.dedup();
        }
        Ok(all)
    }

    pub fn show_mask(&mut self, of: PieceId, by: &[PieceId]) -> Result<String, WorkshopError> {
        let room = self.room;
        let at = room.state.masks.iter().position(|m| m.of == of && m.by == by);
        let at = at.ok_or(WorkshopError::NothingHidden)?;
        let MaskRow { of: name, by, .. } = room.masks().swap_remove(at);
        self.draft.state.masks.remove(at);
        // Some of them may be hidden by others, too.
        let back =
            room.dress.masked.faces_of(of).len().saturating_sub(self.masked_in_draft()?.faces_of(of).len());
        Ok(format!("Take {back} faces of {name} back that were hidden by {by}"))
    }

    pub fn show_hidden(&mut self) -> Result<String, WorkshopError> {
        if self.draft.state.masks.is_empty() {
            return Err(WorkshopError::NothingHidden);
        }
        let any_piece = self.draft.state.masks.iter().any(|m| m.of != BODY);
        self.draft.state.masks.clear();
        let body = &self.room.dress.body.name;
        Ok(if any_piece {
            format!("Take all of {body} and of what is worn back")
        } else {
            format!("Take all of {body} back")
        })
    }
}

/// All that what is seen of the body depends on.
fn seen_by(room: &Room) -> String {
    let worn = room.state.pieces.iter().filter(|p| p.bound.is_some() && !p.cage);
    let worn: Vec<_> =
        worn.map(|p| (p.id, &p.rest, &p.bound, &p.cut, &p.amounts, (&p.carried, &p.correctives))).collect();
    let mut key = Key::begin("seen").and_key(room.contents.body).and(&worn);
    if !room.state.body_correctives.is_empty() {
        key = key.and(&room.state.body_correctives);
    }
    // Poses themselves, not their names: a kept pose or a range may be another by the same name.
    for trial in room.counted_poses().into_iter().map(|p| &room.trials.trials[p]) {
        let pose = &trial.pose;
        key = key.and_bytes(bytemuck::cast_slice(&pose.rotations)).and(&(&trial.shapes, trial.driven_off));
        key = key.and_bytes(bytemuck::cast_slice(&pose.translations));
        key = key.and_bytes(bytemuck::cast_slice(&pose.scales));
    }
    key.end().short()
}
