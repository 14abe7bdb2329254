//! What a step does to a state: its station knows.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::step::Step;

impl Doing<'_> {
    /// Changes the draft as `step` says; the answer is its sentence.
    pub fn apply(&mut self, step: &Step) -> Result<String, WorkshopError> {
        match step {
            Step::Intake(step) => self.apply_intake(step),
            Step::Trial(step) => self.apply_trial(step),
            Step::Binding(step) => self.apply_binding(step),
            Step::Seating(step) => self.apply_seating(step),
            Step::Mending(step) => self.apply_mending(step),
        }
    }
}
