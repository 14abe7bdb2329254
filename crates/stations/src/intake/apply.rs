//! What steps on what comes in, what it is, and cures of what was found in it do.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::{FileRef, BODY};
use tin_cloak_model::state::step::IntakeStep;

impl Doing<'_> {
    /// Changes the draft as `step` says; the answer is its sentence.
    pub fn apply_intake(&mut self, step: &IntakeStep) -> Result<String, WorkshopError> {
        match step {
            IntakeStep::Begin { .. } => {
                Err(WorkshopError::Job("a fitting has one body; begin another fitting".to_owned()))
            }
            IntakeStep::AddPiece { file, file_name, mesh, layer, kind } => {
                self.add_piece(file, file_name, mesh, *layer, *kind)
            }
            IntakeStep::PutOn { pieces } => self.put_on(pieces),
            IntakeStep::ReplaceFile { piece, file, file_name, mesh } => {
                let source = FileRef { file: file.clone(), file_name: file_name.clone(), mesh: mesh.clone() };
                match *piece {
                    BODY => self.replace_body(source),
                    piece => self.replace_file(piece, source),
                }
            }
            IntakeStep::WearOutfit { outfit, of, stiff } => self.wear_outfit(outfit, of, *stiff),
            // Each cure is looked for in what the one before has made: see `run`.
            IntakeStep::CureAll => Err(WorkshopError::NoCures),
            IntakeStep::ApplyRecipe { recipe } => self.apply_recipe(recipe),
            IntakeStep::RenamePiece { piece, name } => self.rename_piece(*piece, name),
            IntakeStep::RemovePiece { piece } => self.remove_piece(*piece),
            IntakeStep::MoveToLayer { piece, layer } => self.move_to_layer(*piece, *layer),
            IntakeStep::PutOver { piece, over } => self.put_over(*piece, *over),
            IntakeStep::SetKind { piece, kind } => self.set_kind(*piece, *kind),
            IntakeStep::SetPlace { piece, place } => self.set_place(*piece, *place),
            IntakeStep::SetShell { piece, shell, stiff } => self.set_shell(*piece, *shell, *stiff),
            IntakeStep::LeaveOutStrays { piece } => self.leave_out_strays(*piece),
            IntakeStep::LeaveOutUnseen { piece } => self.leave_out_unseen(*piece),
            IntakeStep::LeaveOutEmpty { piece } => self.leave_out_empty(*piece),
            IntakeStep::AddRows { piece, at, rows, along } => self.add_rows(*piece, at, *rows, *along),
            IntakeStep::ClearControls => self.clear_controls(),
            IntakeStep::SizeBody { scale, up } => self.size_body(*scale, *up),
            IntakeStep::SetRole { joint, role } => self.set_role(joint, *role),
            IntakeStep::WearBodyShape { shape, amount } => self.wear_body_shape(shape, *amount),
            IntakeStep::CallUpShape { shape, turn } => self.call_up_shape(shape, turn.as_ref()),
            IntakeStep::SetBodyParts { parts } => self.set_body_parts(parts),
        }
    }
}
