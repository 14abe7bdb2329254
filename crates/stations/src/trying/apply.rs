//! What steps on what is tried and how it counts do.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::step::TrialStep;

impl Doing<'_> {
    /// Changes the draft as `step` says; the answer is its sentence.
    pub fn apply_trial(&mut self, step: &TrialStep) -> Result<String, WorkshopError> {
        match step {
            TrialStep::KeepPose { name, pose, turns } => self.keep_pose(name, *pose, turns),
            TrialStep::DropPose { name } => self.drop_pose(name),
            TrialStep::AddMotion { file, file_name, name } => self.add_motion(file, file_name, name),
            TrialStep::MatchJoints { motion, pairs } => self.match_joints(*motion, pairs),
            TrialStep::RemoveMotion { motion } => self.remove_motion(*motion),
            TrialStep::SetRange { joint, range, piece } => self.set_range(joint, *range, *piece),
            TrialStep::Try { plan, said } => self.set_plan(plan, said),
            TrialStep::ChangeTrials { change } => self.change_trials(change),
            TrialStep::SetTolerance { tolerance_mm } => self.set_tolerance(*tolerance_mm),
        }
    }
}
