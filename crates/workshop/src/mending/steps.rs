//! Steps that push pieces out, at rest or as a joint turns.

use crate::dress::chosen::Choosing;
use crate::dress::piece::Piece;
use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::making::carried::Turned;
use crate::making::doing::{Doing, Phase};
use crate::making::draft::Draft;
use crate::measuring::cells::{measured_of, Counts, Kept};
use crate::measuring::measured::Measured;
use crate::measuring::missing::measure_all;
use crate::mending::correct::{is_less, next_turn, shape_for, CalledUp};
use crate::mending::push_out::{mend, ToMend};
use crate::seating::relaxing::change_note;
use crate::state::blobs::pack_positions;
use crate::state::corrective::Corrective;
use crate::state::names::{PieceId, BODY};
use crate::state::push::{Against, MendOptions};
use crate::state::stroke::Chosen;
use glam::Vec3;
use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::seat::shape_change;

/// So many turns are tried at most.
const TURNS: usize = 24;

impl Doing<'_> {
    pub fn push_out(
        &mut self,
        pieces: &[PieceId],
        chosen: &Chosen,
        (options, against): (MendOptions, Against),
    ) -> Result<String, WorkshopError> {
        let dress = &self.room.dress;
        let bound = self.bound_pieces(pieces)?;
        let (pair, pose) = (against.pair, against.pose);
        let there = |id: PieceId| id == BODY || self.room.find(id).is_ok();
        if pair.is_some_and(|(outer, inner)| !there(outer) || !there(inner)) {
            return Err(WorkshopError::NoSuchPair);
        }
        if let Some(pose) = pose.filter(|p| *p >= self.room.trials.trials.len()) {
            return Err(WorkshopError::Missing { what: "pose", id: pose as i64 });
        }
        let mut only = Vec::new();
        if *chosen != Chosen::Everything {
            for &index in &bound {
                only.push((index, Choosing::on(&dress.pieces[index], &dress.body).chosen(chosen)?));
            }
        }
        let worn = self.room.worn();
        let ids: Vec<PieceId> = worn.facts.iter().map(|f| f.piece).collect();
        let trials = &*self.room.trials;
        let what = ToMend { dress, ids: &ids, trials, pieces: &bound, chosen: &only, options, against };
        let phase = Phase { job: self.job, from: 0.0, to: 0.99 };
        let measure = |rest: &[Option<Vec<Vec3>>], tell: &(dyn Fn(f32) -> bool + Sync)| match rest
            .iter()
            .any(Option::is_some)
        {
            false => self.measured(None, tell),
            true => self.measured(Some(self.reseated(rest, self.draft.clone())?), tell),
        };
        let outcome = mend(&what, &measure, &|s| phase.tell(s))?;
        self.reseated(&outcome.rest, self.draft.clone()).map(|draft| *self.draft = draft)?;
        self.draft.notes.extend(outcome.notes());
        for (index, rest) in outcome.rest.iter().enumerate() {
            let Some(rest) = rest else { continue };
            let worn = &dress.pieces[index];
            let came = self.came_in(worn, worn.id)?;
            let all = vec![true; came.len()];
            let change = |now: &[Vec3]| shape_change(&worn.topology, (&came, now), &all);
            self.draft.notes.push(change_note(&worn.name, change(&worn.rest), change(rest)));
        }
        let names: Vec<&str> = bound.iter().map(|&i| dress.pieces[i].name.as_str()).collect();
        Ok(format!("Push out {}", names.join(", ")))
    }

    /// A draft with pieces at other rest positions.
    fn reseated(&self, rest: &[Option<Vec<Vec3>>], mut draft: Draft) -> Result<Draft, WorkshopError> {
        for (index, rest) in rest.iter().enumerate() {
            if let Some(rest) = rest {
                draft.reseat(self.room, index, rest, &Turned::Not)?;
            }
        }
        Ok(draft)
    }

    /// The pieces named that are bound; all that are when none is named.
    pub(super) fn bound_pieces(&self, pieces: &[PieceId]) -> Result<Vec<usize>, WorkshopError> {
        let mut bound = self.chosen_pieces(pieces)?;
        bound.retain(|&i| self.room.dress.pieces[i].bound.is_some());
        if bound.is_empty() {
            return Err(WorkshopError::BindFirst);
        }
        Ok(bound)
    }

    /// Measures the fitting, or what a draft makes of it; what is measured is kept, so that the board behind the step
    /// is there with it.
    pub(crate) fn measured(
        &self,
        draft: Option<Draft>,
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Measured, WorkshopError> {
        match draft {
            None => self.measured_in(self.room, tell),
            Some(draft) => self.measured_in(&self.room_of(&draft)?, tell),
        }
    }

    pub(crate) fn room_of(&self, draft: &Draft) -> Result<Room, WorkshopError> {
        let blob = |id: &_| draft.blob(self.store, id);
        self.decoder.build(self.store, draft.state.clone(), &blob)
    }

    pub(crate) fn measured_in(
        &self,
        room: &Room,
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Measured, WorkshopError> {
        let counts = Counts::default();
        let kept = Kept { derived: self.decoder.derived(), store: self.store, counts: &counts };
        measure_all(room, kept, tell)?;
        measured_of(room, kept)
    }

    /// Shapes that turns of joints call up on pieces, against what is through: of the turns to blame the worst first,
    /// each measured on top of those before, and kept when it brings something.
    pub fn correct(&mut self, pieces: &[PieceId], options: MendOptions) -> Result<String, WorkshopError> {
        let bound = self.bound_pieces(pieces)?;
        let names: Vec<&str> = bound.iter().map(|&i| self.room.dress.pieces[i].name.as_str()).collect();
        let phase = |part: f32, of: f32| {
            let from = of / (TURNS + 1) as f32;
            Phase { job: self.job, from, to: from + part / (TURNS + 1) as f32 }
        };
        let mut now = self.measured(None, &|s| phase(1.0, 0.0).tell(s))?;
        let first = std::sync::Arc::clone(&now.board);
        let (was, mut draft, mut made) = (first.bad_cells(), self.draft.clone(), None);
        // What brought nothing, or enough; what brought something and may bring more.
        let (mut tried, mut taken) = (Vec::new(), Vec::new());
        for turn in 1..=TURNS {
            let room = made.as_ref().unwrap_or(self.room);
            let what = ToMend {
                dress: &room.dress,
                ids: &[],
                trials: &room.trials,
                pieces: &bound,
                chosen: &[],
                options,
                against: Against::default(),
            };
            let Some(bad) = next_turn(&what, &now, (&tried, &taken)) else { break };
            let tell = |s: f32| phase(0.7, turn as f32).tell(s);
            let Some(shape) = shape_for(&what, &now, &bad, &tell)? else {
                tried.push(bad.driver);
                continue;
            };
            let tell = |s: f32| phase(1.0, turn as f32).tell(s);
            let with = |shape: &CalledUp| {
                let draft = self.with_corrective(room, draft.clone(), shape)?;
                let room = self.room_of(&draft)?;
                let after = self.measured_in(&room, &tell)?;
                Ok::<_, WorkshopError>((draft, room, after))
            };
            let is_less = |after: &Measured| is_less(&after.board, &now.board, &first, options.limit_mm);
            let (mut with_it, mut room, mut after) = with(&shape)?;
            if !is_less(&after) {
                let shape = shape.without_what_spoils(&room.dress, &now, &after);
                (with_it, room, after) = with(&shape)?;
            }
            let told = |m: &Measured| (m.board.bad_cells(), m.board.out_mm(), m.board.deepest_mm());
            tracing::info!(?bad.driver, was = ?told(&now), is = ?told(&after), "corrective");
            if is_less(&after) {
                (draft, now, made) = (with_it, after, Some(room));
                if taken.contains(&bad.driver) {
                    tried.push(bad.driver);
                }
                taken.push(bad.driver);
            } else {
                tried.push(bad.driver);
            }
        }
        let is = now.board.bad_cells();
        match made {
            Some(room) => {
                draft.notes.push(format!("{was} cells were out of tolerance, {is} are"));
                draft.notes.extend(corrective_notes(&room, &taken));
            }
            None => draft.notes.push(format!(
                "nothing was taken: no shape that a turn calls up brings the {was} cells out of tolerance down"
            )),
        }
        *self.draft = draft;
        Ok(format!("Make correctives for {}", names.join(", ")))
    }

    pub(super) fn with_corrective(
        &self,
        room: &Room,
        mut draft: Draft,
        shape: &CalledUp,
    ) -> Result<Draft, WorkshopError> {
        let body = &room.dress.body;
        let Driver { joint, axis, from, full } = shape.driver;
        let joint = body.skeleton.names[joint.index()].clone();
        let about = format!("{joint} {:.0}", full.to_degrees());
        let numbered = (2..).map(|n| format!("{about} ({n})"));
        let known = body.morphs[body.own_shapes().len()..].iter().find(|m| m.driver == Some(shape.driver));
        let is_free = |n: &String| !body.morphs.iter().any(|m| m.name == *n);
        let fresh = || std::iter::once(about.clone()).chain(numbered).find(is_free).unwrap_or_default();
        let name = known.map_or_else(fresh, |m| m.name.clone());
        for (piece, moves) in &shape.offsets {
            let state = room.piece_state(*piece);
            let mut moves = moves.clone();
            // More of a shape that there is.
            if let Some(before) = room.dress.pieces[*piece].correctives.iter().find(|m| m.name == name) {
                before.vertices.iter().zip(&before.offsets).for_each(|(v, o)| moves[*v as usize] += *o);
                draft.piece(state.id)?.correctives.retain(|c| c.name != name);
            }
            let (name, joint, offsets) = (name.clone(), joint.clone(), draft.keep(pack_positions(&moves)));
            let corrective = Corrective { name, joint, axis, from, full, offsets };
            draft.piece(state.id)?.correctives.push(corrective);
        }
        Ok(draft)
    }

    /// So much of a corrective of a piece as there is now, 1 for all; none of it takes it away.
    pub fn change_corrective(
        &mut self,
        piece: PieceId,
        name: &str,
        share: f32,
    ) -> Result<String, WorkshopError> {
        if !(0.0..=2.0).contains(&share) {
            return Err(WorkshopError::BadAmount);
        }
        let room = self.room;
        let worn = &room.dress.pieces[room.find(piece)?];
        let missing = || WorkshopError::NoSuchCorrective { piece: worn.name.clone(), name: name.to_owned() };
        let shape = worn.correctives.iter().find(|m| m.name == name).ok_or_else(missing)?;
        let moves: Vec<Vec3> = shape.to_dense(worn.rest.len()).iter().map(|o| *o * share).collect();
        let blob = (share > 0.0).then(|| self.draft.keep(pack_positions(&moves)));
        let correctives = &mut self.draft.piece(piece)?.correctives;
        match blob {
            None => correctives.retain(|c| c.name != name),
            Some(blob) => {
                let of_name = correctives.iter_mut().filter(|c| c.name == name);
                of_name.for_each(|c| c.offsets = blob.clone());
            }
        }
        Ok(match share {
            0.0 => format!("Take the corrective {name} off {}", worn.name),
            _ => format!("{} of the corrective {name} on {}", in_percent(share), worn.name),
        })
    }
}

fn in_percent(share: f32) -> String {
    format!("{:.0} %", share * 100.0)
}

/// What each of the shapes that turns call up does.
fn corrective_notes(room: &Room, drivers: &[Driver]) -> Vec<String> {
    let of_turn = |shape: &Morph| {
        let driver = shape.driver.filter(|d| drivers.contains(d))?;
        let does = |piece: &Piece| {
            let made = piece.correctives.iter().find(|m| m.name == shape.name)?;
            let most = made.offsets.iter().map(|o| o.length() * 1000.0).fold(0.0, f32::max);
            Some(format!("{} {} vertices, at most {most:.1} mm", piece.name, made.vertices.len()))
        };
        let told: Vec<String> = room.dress.pieces.iter().filter_map(does).collect();
        let (from, full) = (driver.from.to_degrees(), driver.full.to_degrees());
        Some(format!("{}: from {from:.0}° to {full:.0}° of it, {}", shape.name, told.join("; ")))
    };
    room.dress.body.morphs.iter().filter_map(of_turn).collect()
}
