//! What steps on clearance: what is hidden, drawn in, pushed out and corrected do.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::step::MendingStep;

impl Doing<'_> {
    /// Changes the draft as `step` says; the answer is its sentence.
    pub fn apply_mending(&mut self, step: &MendingStep) -> Result<String, WorkshopError> {
        match step {
            MendingStep::Hide { options } => self.hide(*options),
            MendingStep::Mask { part, chosen, hide } => self.mask(*part, chosen, *hide),
            MendingStep::ShowMask { of, by } => self.show_mask(*of, by),
            MendingStep::ShowHidden => self.show_hidden(),
            MendingStep::Tuck { options, of, chosen, pose } => self.tuck(*options, *of, chosen, *pose),
            MendingStep::ChangeTuck { of, by, share } => self.change_tuck(*of, by, *share),
            MendingStep::Untuck => self.untuck(),
            MendingStep::PushOut { pieces, chosen, options, against, turns } => {
                self.push_out(pieces, chosen, *options, *against, turns)
            }
            MendingStep::Correct { pieces, options, chosen, against, turns } => {
                self.correct(pieces, chosen, *options, *against, turns)
            }
            MendingStep::BeginCorrective { part, pose, turns, joint } => {
                self.begin_corrective(*part, *pose, turns, joint.as_deref())
            }
            MendingStep::TurnCorrective { name, from_degrees, full_degrees } => {
                self.turn_corrective(name, *from_degrees, *full_degrees)
            }
            MendingStep::MirrorCorrective { name } => self.mirror_corrective(name),
            MendingStep::KeepVolume { pieces, least_mm } => self.keep_volume(pieces, *least_mm),
            MendingStep::ChangeCorrective { piece, name, share } => {
                self.change_corrective(*piece, name, *share)
            }
        }
    }
}
