//! Steps that push pieces out.

use crate::dress::chosen::Choosing;
use crate::error::WorkshopError;
use crate::making::carried::Turned;
use crate::making::doing::{Doing, Phase};
use crate::making::draft::Draft;
use crate::measuring::cells::{measured_of, Counts, Kept};
use crate::measuring::measured::Measured;
use crate::measuring::missing::measure_all;
use crate::mending::push_out::{mend, ToMend};
use crate::state::names::PieceId;
use crate::state::push::MendOptions;
use crate::state::stroke::Chosen;
use glam::Vec3;

impl Doing<'_> {
    pub fn push_out(
        &mut self,
        pieces: &[PieceId],
        chosen: &Chosen,
        options: MendOptions,
    ) -> Result<String, WorkshopError> {
        let dress = &self.room.dress;
        let mut bound = self.chosen_pieces(pieces)?;
        bound.retain(|&i| dress.pieces[i].bound.is_some());
        if bound.is_empty() {
            return Err(WorkshopError::BindFirst);
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
        let what = ToMend { dress, ids: &ids, trials, pieces: &bound, chosen: &only, options };
        let phase = Phase { job: self.job, from: 0.0, to: 0.99 };
        let measure =
            |rest: &[Option<Vec<Vec3>>], tell: &(dyn Fn(f32) -> bool + Sync)| self.measured(rest, tell);
        let outcome = mend(&what, &measure, &|s| phase.tell(s))?;
        self.reseated(&outcome.rest, self.draft.clone()).map(|draft| *self.draft = draft)?;
        self.draft.notes.extend(outcome.notes());
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

    /// Measures the fitting with pieces at other rest positions; what is measured is kept, so that the board behind
    /// the step is there with it.
    fn measured(
        &self,
        rest: &[Option<Vec<Vec3>>],
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Measured, WorkshopError> {
        let counts = Counts::default();
        let kept = Kept { derived: self.decoder.derived(), store: self.store, counts: &counts };
        let made = match rest.iter().any(Option::is_some) {
            false => None,
            true => {
                let draft = self.reseated(rest, self.draft.clone())?;
                let blob = |id: &_| draft.blob(self.store, id);
                Some(self.decoder.build(self.store, draft.state.clone(), &blob)?)
            }
        };
        let room = made.as_ref().unwrap_or(self.room);
        measure_all(room, kept, tell)?;
        measured_of(room, kept)
    }
}
