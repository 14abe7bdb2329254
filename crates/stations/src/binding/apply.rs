//! What steps on weights: where they come from, and what is changed on them do.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::step::BindingStep;

impl Doing<'_> {
    /// Changes the draft as `step` says; the answer is its sentence.
    pub fn apply_binding(&mut self, step: &BindingStep) -> Result<String, WorkshopError> {
        match step {
            BindingStep::Bind { pieces } => self.bind(pieces),
            BindingStep::ChooseMethod { piece, options } => self.choose_method(*piece, options),
            BindingStep::MatchCame { piece, pairs } => self.match_came(*piece, pairs),
            BindingStep::TakeFrom { piece, takes, part } => self.take_from(*piece, takes, part),
            BindingStep::Follow { piece, shell, follow } => self.follow(*piece, *shell, follow),
            BindingStep::MarkSide { piece, mark } => self.mark_side(*piece, *mark),
            BindingStep::ClearSides { piece } => self.clear_sides(*piece),
            BindingStep::MakeCage { pieces, offset_mm, cell_mm } => {
                self.make_cage(pieces, *offset_mm, *cell_mm)
            }
            BindingStep::UseAsCage { piece, cage } => self.use_as_cage(*piece, *cage),
            BindingStep::AddJoint { joint } => self.add_joint(joint),
            BindingStep::ChangeJoint { joint } => self.change_joint(joint),
            BindingStep::RemoveJoint { name } => self.remove_joint(name),
            BindingStep::ChooseJoints { piece, choice } => self.choose_joints(*piece, choice.as_ref()),
            BindingStep::ForgetCleaning { piece } => self.forget_cleaning(*piece),
            BindingStep::KeepPatch { piece, name, picks } => self.keep_patch(*piece, name, picks),
            BindingStep::DropPatch { piece, name } => self.drop_patch(*piece, name),
            BindingStep::Clean { piece, clean, chosen, locked } => self.clean(*piece, clean, chosen, locked),
        }
    }
}
