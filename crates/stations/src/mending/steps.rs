//! Steps that push pieces out.

use crate::making::carried::Turned;
use crate::making::doing::{Doing, Phase};
use crate::making::draft::Draft;
use crate::mending::push_out::{mend, ChosenOn, ToMend};
use crate::seating::relaxing::change_note;
use glam::Vec3;
use tin_cloak_core::mend::PoseCache;
use tin_cloak_core::seat::shape_change;
use tin_cloak_measure::measuring::cells::{measured_of, Counts, Kept};
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_measure::measuring::missing::measure_all;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::fitting::KeptPose;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::push::{Against, MendOptions};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::trial_plan::{CountRule, Counts as PoseCounts, Target, Tries};
use tin_cloak_model::state::turn::Turn;

impl Doing<'_> {
    pub fn push_out(
        &mut self,
        pieces: &[PieceId],
        chosen: &Chosen,
        options: MendOptions,
        against: Against,
        turns: &[Turn],
    ) -> Result<String, WorkshopError> {
        let options = options.checked()?;
        if options.combined > 0 && against.pose.is_some() {
            return Err(WorkshopError::OnePoseOrMore);
        }
        if options.combined > 0 {
            let own = MendOptions { combined: 0, ..options };
            return self
                .in_more_poses(options.combined, |more| more.push_out(pieces, chosen, own, against, turns));
        }
        let bound = self.bound_pieces(pieces)?;
        self.check_against(against)?;
        let said = self.in_pose(against.pose, turns);
        let (asked, against) = self.asked_in(against, turns)?;
        let room = asked.as_ref().map_or(self.room, |(room, _)| room);
        let begun = asked.as_ref().map_or(&*self.draft, |(_, draft)| draft);
        let dress = &room.dress;
        let movable: Vec<Option<usize>> = bound.iter().map(|i| Some(*i)).collect();
        let only = self.only_chosen(&movable, chosen)?;
        let worn = room.worn();
        let ids: Vec<PieceId> = worn.facts.iter().map(|f| f.piece).collect();
        let trials = &*room.trials;
        let tolerance_mm = self.room.state.tolerance_mm;
        let (pieces, chosen) = (&*bound, &*only);
        let body = false;
        let what = ToMend { dress, ids: &ids, trials, pieces, body, chosen, options, tolerance_mm, against };
        let phase = Phase { job: self.job, from: 0.0, to: 0.99 };
        let cache = PoseCache::new(trials.trials.len());
        let measure = |rest: &[Option<Vec<Vec3>>], tell: &(dyn Fn(f32) -> bool + Sync)| match rest
            .iter()
            .any(Option::is_some)
        {
            false => self.measured_in(room, &cache, tell),
            true => {
                let draft = self.reseated(rest, begun.clone())?;
                self.measured_in(&self.room_of(&draft)?, &cache, tell)
            }
        };
        let outcome = mend(&what, &measure, &cache, &|s| phase.tell(s))?;
        self.reseated(&outcome.rest, self.draft.clone()).map(|draft| *self.draft = draft)?;
        self.draft.notes.extend(outcome.notes());
        for (index, rest) in outcome.rest.iter().enumerate() {
            let Some(rest) = rest else { continue };
            let worn = &dress.pieces[index];
            let came = self.came_in(worn, worn.id)?;
            let all = vec![true; came.len()];
            let change = |now: &[Vec3]| shape_change(&worn.topology, &came, now, &all);
            self.draft.notes.push(change_note(&worn.name, change(&worn.rest), change(rest)));
        }
        let names: Vec<&str> = bound.iter().map(|&i| dress.pieces[i].name.as_str()).collect();
        Ok(format!("Push out {}{said}", self.against_in_words(against, &names)?))
    }

    /// # Errors
    /// When the pair or the pose is not there.
    pub(super) fn check_against(&self, Against { pair, pose }: Against) -> Result<(), WorkshopError> {
        let there = |id: PieceId| id == BODY || self.room.find(id).is_ok();
        if pair.is_some_and(|(outer, inner)| !there(outer) || !there(inner)) {
            return Err(WorkshopError::NoSuchPair);
        }
        match pose.filter(|p| *p >= self.room.trials.trials.len()) {
            Some(pose) => Err(WorkshopError::Missing { what: "pose", id: pose as i64 }),
            None => Ok(()),
        }
    }

    /// What is chosen of what may move (none for the body); nothing where all of it is.
    pub(super) fn only_chosen(
        &self,
        movable: &[Option<usize>],
        chosen: &Chosen,
    ) -> Result<Vec<ChosenOn>, WorkshopError> {
        if *chosen == Chosen::Everything {
            return Ok(Vec::new());
        }
        let one = |index: &Option<usize>| {
            let part = index.map_or(BODY, |i| self.room.piece_state(i).id);
            let on = self.room.weighted(part)?;
            Ok((*index, Choosing::on(&on, &self.room.dress.body).chosen(chosen)?))
        };
        movable.iter().map(one).collect()
    }

    /// What a push in one pose is measured in, where that pose is none of those that count: joints are turned by hand
    /// in it, or it is there for stress only. There it is one that counts; what was asked for is the same.
    pub(super) fn asked_in(
        &self,
        against: Against,
        turns: &[Turn],
    ) -> Result<(Option<(Room, Draft)>, Against), WorkshopError> {
        let Some(pose) = against.pose else { return Ok((None, against)) };
        let trial = &self.room.trials.trials[pose];
        let counts = self.room.state.plan.of_pose(&trial.group, &trial.name, trial.time);
        if turns.is_empty() && counts == PoseCounts::Counted {
            return Ok((None, against));
        }
        let mut draft = self.draft.clone();
        if turns.is_empty() {
            let (group, time) = (trial.group.clone(), trial.time);
            let target = match trial.is_still {
                true => Target::Pose { group, name: trial.name.clone() },
                false => Target::Frames { group, from_s: time, to_s: time },
            };
            let rule = CountRule { target, counts: PoseCounts::Counted, note: "pushed in".to_owned() };
            draft.state.plan = draft.state.plan.with_rule(rule);
            return Ok((Some((self.room_of(&draft)?, draft)), against));
        }
        let name = format!("{} as it is shown", trial.label());
        let known = |n: &String| draft.state.poses.iter().any(|p| p.name == *n);
        let free =
            std::iter::once(name.clone()).chain((2..).map(|n| format!("{name} {n}"))).find(|n| !known(n));
        let name = free.unwrap_or_default();
        let pose = self.room.pose_of(pose, turns)?;
        draft.state.poses.push(KeptPose { name: name.clone(), pose });
        draft.state.plan.left_out.retain(|t| *t != Tries::ByHand);
        let room = self.room_of(&draft)?;
        let at = room.trials.trials.iter().rposition(|t| t.name == name);
        let missing = WorkshopError::Missing { what: "pose", id: against.pose.map_or(0, |p| p as i64) };
        let against = Against { pose: Some(at.ok_or(missing)?), ..against };
        Ok((Some((room, draft)), against))
    }

    /// What is pushed against: a pair of layers, or all that is through the pieces.
    pub(super) fn against_in_words(&self, against: Against, names: &[&str]) -> Result<String, WorkshopError> {
        let Some((outer, inner)) = against.pair else { return Ok(names.join(", ")) };
        let name = |id: PieceId| -> Result<&str, WorkshopError> {
            let piece = if id == BODY { None } else { Some(self.room.find(id)?) };
            Ok(self.room.dress.layer_name(piece))
        };
        Ok(format!("where {} is through {}", name(inner)?, name(outer)?))
    }

    pub(super) fn in_pose(&self, pose: Option<usize>, turns: &[Turn]) -> String {
        let turned = if turns.is_empty() { "" } else { " as it is turned by hand" };
        pose.map_or_else(String::new, |pose| {
            format!(", in {}{turned}", self.room.trials.trials[pose].label())
        })
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

    /// The same, and whether the body is named among them; it alone may be.
    pub(super) fn bound_parts(&self, parts: &[PieceId]) -> Result<(Vec<usize>, bool), WorkshopError> {
        let pieces: Vec<PieceId> = parts.iter().copied().filter(|id| *id != BODY).collect();
        match parts.contains(&BODY) {
            true if pieces.is_empty() => Ok((Vec::new(), true)),
            body => Ok((self.bound_pieces(&pieces)?, body)),
        }
    }

    /// Measures the fitting, or what a draft makes of it; what is measured is kept, so that the board behind the step
    /// is there with it.
    pub fn measured(
        &self,
        draft: Option<Draft>,
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Measured, WorkshopError> {
        let cache = PoseCache::none();
        match draft {
            None => self.measured_in(self.room, &cache, tell),
            Some(draft) => self.measured_in(&self.room_of(&draft)?, &cache, tell),
        }
    }

    pub fn room_of(&self, draft: &Draft) -> Result<Room, WorkshopError> {
        let blob = |id: &_| draft.blob(self.store, id);
        self.decoder.build(self.store, draft.state.clone(), &blob)
    }

    pub fn measured_in(
        &self,
        room: &Room,
        cache: &PoseCache,
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Measured, WorkshopError> {
        let counts = Counts::default();
        let kept = Kept { derived: self.decoder.derived(), store: self.store, counts: &counts };
        measure_all(room, kept, cache, tell)?;
        measured_of(room, kept)
    }
}
