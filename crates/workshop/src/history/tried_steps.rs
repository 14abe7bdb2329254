//! Steps that are tried first: each is made and measured on a draft, and can be looked at beside the fitting as it
//! stands. Nothing is changed by it; what is done then is there already.

use crate::history::jobs::JobId;
use crate::history::judged::look_of_all;
use crate::history::plan::{brought, StepGain};
use crate::history::workshop::Workshop;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::step::Step;
use tin_cloak_stations::making::draft::Draft;
use tin_cloak_stations::making::job::Job;
use tin_cloak_store::BlobId;

/// So many are kept side by side; one more, and the first goes.
const KEPT: usize = 4;

/// A step that was tried.
pub struct TriedStep {
    /// What it does, as it would say it when done.
    pub sentence: String,
    /// The step.
    pub step: Step,
    /// What it brings over all counted poses; nothing before all is bound.
    pub brought: Option<StepGain>,
    /// What else it would tell.
    pub notes: Vec<String>,
    room: Arc<Room>,
}

/// The tried steps of each fitting, with the state that they were tried on.
pub(crate) type TriedSteps = Mutex<HashMap<i64, (BlobId, Vec<Arc<TriedStep>>)>>;

/// Where a fitting is looked at as a step that was tried would leave it: its place among them counts down from here,
/// below all numbers of steps.
const FIRST_TRIED: i64 = -1;

/// The place in the list of tried steps that a step's number means; none for steps that were done.
pub(super) fn tried_place(seq: i64) -> Option<usize> {
    usize::try_from(FIRST_TRIED - seq).ok()
}

impl TriedStep {
    /// The number that the tried step at a place is looked at by.
    pub fn number(place: usize) -> i64 {
        FIRST_TRIED - place as i64
    }
}

impl Workshop {
    /// Tries a step as a job: it is made and measured, and nothing is changed.
    ///
    /// # Errors
    /// When the fitting has a job running already.
    pub fn try_step(self: &Arc<Self>, fitting: i64, step: Step) -> Result<JobId, WorkshopError> {
        self.store.fitting(fitting)?;
        self.found_out(fitting, "Trying it", move |shop, job| shop.tried_once(fitting, step, job))
    }

    /// The steps that were tried on a fitting as it stands, in that order.
    ///
    /// # Errors
    /// When the fitting is not there.
    pub fn tried_steps(&self, fitting: i64) -> Result<Vec<Arc<TriedStep>>, WorkshopError> {
        let state = self.store.state_at(fitting, None)?;
        let tried = self.tried.lock().unwrap_or_else(PoisonError::into_inner);
        Ok(tried.get(&fitting).filter(|t| t.0 == state).map_or_else(Vec::new, |t| t.1.clone()))
    }

    /// Does a step that was tried, by its place.
    ///
    /// # Errors
    /// When it is not there any more, or the fitting has a job running already.
    pub fn do_tried(self: &Arc<Self>, fitting: i64, place: usize) -> Result<JobId, WorkshopError> {
        let step = self.tried_step(fitting, place)?.step.clone();
        self.start(fitting, step)
    }

    /// Forgets the steps that were tried.
    pub fn forget_tried(&self, fitting: i64) {
        self.tried.lock().unwrap_or_else(PoisonError::into_inner).remove(&fitting);
    }

    fn tried_step(&self, fitting: i64, place: usize) -> Result<Arc<TriedStep>, WorkshopError> {
        let missing = || WorkshopError::Missing { what: "step that was tried", id: place as i64 + 1 };
        self.tried_steps(fitting)?.get(place).cloned().ok_or_else(missing)
    }

    /// The fitting as a step that was tried would leave it.
    pub(super) fn tried_room(&self, fitting: i64, place: usize) -> Result<Arc<Room>, WorkshopError> {
        Ok(Arc::clone(&self.tried_step(fitting, place)?.room))
    }

    fn tried_once(&self, fitting: i64, step: Step, job: &Job) -> Result<String, WorkshopError> {
        let state = self.store.state_at(fitting, None)?;
        let room = self.room(fitting, None)?;
        job.at(0.0, 0.15);
        let was = room.is_measurable().then(|| self.measured_in(&room, job)).transpose()?;
        job.at(0.15, 0.7);
        let made = self.made_by(&room, &Draft::new(&room.state), &step, job)?;
        let after = self.build_draft(&made.draft)?;
        job.at(0.7, 1.0);
        let is = after.is_measurable().then(|| self.measured_in(&after, job)).transpose()?;
        let gain = was.zip(is).map(|(was, is)| {
            let look = look_of_all(&room, &after);
            StepGain { turned: (look.turned, look.over), ..brought(&room, &was, &after, &is) }
        });
        let (sentence, notes) = (made.sentence.clone(), made.draft.notes.clone());
        let told = format!("Tried: {sentence}");
        let one = TriedStep { sentence, step, brought: gain, notes, room: Arc::new(after) };
        let mut all = self.tried.lock().unwrap_or_else(PoisonError::into_inner);
        let known = all.entry(fitting).or_insert_with(|| (state.clone(), Vec::new()));
        if known.0 != state {
            *known = (state, Vec::new());
        }
        // Tried again it is that one.
        known.1.retain(|t| t.step != one.step);
        if known.1.len() == KEPT {
            known.1.remove(0);
        }
        known.1.push(Arc::new(one));
        Ok(told)
    }
}
