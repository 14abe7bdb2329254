//! Steps that set what is tried and how it counts.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::trial_change::TrialChange;
use tin_cloak_model::state::trial_plan::TrialPlan;

impl Doing<'_> {
    pub fn set_plan(&mut self, plan: &TrialPlan, said: &str) -> Result<String, WorkshopError> {
        plan.checked().map_err(WorkshopError::BadTrials)?;
        let skeleton = &self.room.dress.body.skeleton;
        if let Some(sweep) = plan.sweeps.iter().find(|s| skeleton.find(&s.joint).is_none()) {
            return Err(WorkshopError::NoSuchJoint { joint: sweep.joint.clone() });
        }
        self.draft.state.plan = plan.clone();
        Ok(said.to_owned())
    }

    pub fn change_trials(&mut self, change: &TrialChange) -> Result<String, WorkshopError> {
        let (plan, said) = change.made_in(self.draft.state.plan.clone()).map_err(WorkshopError::BadTrials)?;
        self.set_plan(&plan, &said)
    }

    pub fn set_tolerance(&mut self, tolerance_mm: f32) -> Result<String, WorkshopError> {
        if !tolerance_mm.is_finite() || !(0.0..=200.0).contains(&tolerance_mm) {
            return Err(WorkshopError::BadTrials("a tolerance is 0 to 200 mm".to_owned()));
        }
        self.draft.state.tolerance_mm = tolerance_mm;
        Ok(format!("Let pass up to {tolerance_mm} mm"))
    }
}
