//! What each step does to a state.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::step::Step;

impl Doing<'_> {
    /// Changes the draft as `step` says; the answer is its sentence.
    pub fn apply(&mut self, step: &Step) -> Result<String, WorkshopError> {
        match step {
            Step::Begin { .. } => {
                Err(WorkshopError::Job("a fitting has one body; begin another fitting".to_owned()))
            }
            Step::AddPiece { file, file_name, mesh, layer, kind } => {
                self.add_piece((file, file_name, mesh), *layer, *kind)
            }
            Step::PutOn { pieces } => self.put_on(pieces),
            // Each cure is looked for in what the one before has made: see `run`.
            Step::CureAll => Err(WorkshopError::NoCures),
            Step::RemovePiece { piece } => self.remove_piece(*piece),
            Step::MoveToLayer { piece, layer } => self.move_to_layer(*piece, *layer),
            Step::PutOver { piece, over } => self.put_over(*piece, *over),
            Step::SetKind { piece, kind } => self.set_kind(*piece, *kind),
            Step::SetPlace { piece, place } => self.set_place(*piece, *place),
            Step::SetShell { piece, shell, stiff } => self.set_shell(*piece, *shell, *stiff),
            Step::LeaveOutStrays { piece } => self.leave_out_strays(*piece),
            Step::LeaveOutUnseen { piece } => self.leave_out_unseen(*piece),
            Step::LeaveOutEmpty { piece } => self.leave_out_empty(*piece),
            Step::AddRows { piece, at, rows, along } => self.add_rows(*piece, at, (*rows, *along)),
            Step::Mirror { piece } => self.mirror(*piece),
            Step::CopyMirrored { piece } => self.copy_mirrored(*piece),
            Step::Place { piece, options } => self.place(*piece, *options),
            Step::FindPose { piece } => self.find_pose(*piece),
            Step::SeatFromPose { piece, pose, turns } => self.seat_from_pose(*piece, *pose, turns),
            Step::Ease { piece, chosen, options } => self.ease(*piece, chosen, *options),
            Step::Relax { piece, chosen, options, shape } => {
                self.relax(*piece, chosen, *options, shape.as_deref())
            }
            Step::MoveChosen { piece, chosen, options, in_pose, into_shape } => {
                self.move_chosen(*piece, chosen, (*options, in_pose.as_ref(), into_shape.as_deref()))
            }
            Step::Brush { piece, stroke } => self.brush(*piece, stroke),
            Step::ClearControls => self.clear_controls(),
            Step::SizeBody { scale, up } => self.size_body(*scale, *up),
            Step::KeepPose { name, pose, turns } => self.keep_pose(name, *pose, turns),
            Step::DropPose { name } => self.drop_pose(name),
            Step::AddMotion { file, file_name, name } => self.add_motion(file, file_name, name),
            Step::MatchJoints { motion, pairs } => self.match_joints(*motion, pairs),
            Step::RemoveMotion { motion } => self.remove_motion(*motion),
            Step::SetRange { joint, range, piece } => self.set_range(joint, *range, *piece),
            Step::SetRole { joint, role } => self.set_role(joint, *role),
            Step::Try { plan, said } => self.set_plan(plan, said),
            Step::ChangeTrials { change } => self.change_trials(change),
            Step::SetTolerance { tolerance_mm } => self.set_tolerance(*tolerance_mm),
            Step::Bind { pieces } => self.bind(pieces),
            Step::ChooseMethod { piece, options } => self.choose_method(*piece, options),
            Step::MatchCame { piece, pairs } => self.match_came(*piece, pairs),
            Step::TakeFrom { piece, takes, part } => self.take_from(*piece, takes, part),
            Step::Follow { piece, shell, follow } => self.follow(*piece, *shell, follow),
            Step::MarkSide { piece, mark } => self.mark_side(*piece, *mark),
            Step::ClearSides { piece } => self.clear_sides(*piece),
            Step::MakeCage { pieces, offset_mm, cell_mm } => self.make_cage(pieces, (*offset_mm, *cell_mm)),
            Step::UseAsCage { piece, cage } => self.use_as_cage(*piece, *cage),
            Step::AddJoint { joint } => self.add_joint(joint),
            Step::ChangeJoint { joint } => self.change_joint(joint),
            Step::RemoveJoint { name } => self.remove_joint(name),
            Step::ChooseJoints { piece, choice } => self.choose_joints(*piece, choice.as_ref()),
            Step::WearShape { piece, shape, amount } => self.wear_shape(*piece, *shape, *amount),
            Step::WearBodyShape { shape, amount } => self.wear_body_shape(shape, *amount),
            Step::CallUpShape { shape, turn } => self.call_up_shape(shape, turn.as_ref()),
            Step::FollowShapes { pieces, follow, shapes } => self.follow_shapes(pieces, (*follow, shapes)),
            Step::SetBodyParts { parts } => self.set_body_parts(parts),
            Step::ForgetCleaning { piece } => self.forget_cleaning(*piece),
            Step::KeepPatch { piece, name, picks } => self.keep_patch(*piece, name, picks),
            Step::DropPatch { piece, name } => self.drop_patch(*piece, name),
            Step::Clean { piece, clean, chosen, locked } => self.clean(*piece, clean, chosen, locked),
            Step::Hide { options } => self.hide(*options),
            Step::Mask { part, chosen, hide } => self.mask(*part, chosen, *hide),
            Step::ShowMask { of, by } => self.show_mask(*of, by),
            Step::ShowHidden => self.show_hidden(),
            Step::Tuck { options, of, chosen, pose } => self.tuck(*options, (*of, chosen, *pose)),
            Step::ChangeTuck { of, by, share } => self.change_tuck(*of, by, *share),
            Step::Untuck => self.untuck(),
            Step::PushOut { pieces, chosen, options, against, turns } => {
                self.push_out(pieces, chosen, (*options, *against, turns))
            }
            Step::Correct { pieces, options, chosen, against, turns } => {
                self.correct(pieces, chosen, (*options, *against, turns))
            }
            Step::BeginCorrective { part, pose, turns, joint } => {
                self.begin_corrective(*part, (*pose, turns), joint.as_deref())
            }
            Step::TurnCorrective { name, from_degrees, full_degrees } => {
                self.turn_corrective(name, *from_degrees, *full_degrees)
            }
            Step::MirrorCorrective { name } => self.mirror_corrective(name),
            Step::KeepVolume { pieces, least_mm } => self.keep_volume(pieces, *least_mm),
            Step::ChangeCorrective { piece, name, share } => self.change_corrective(*piece, name, *share),
        }
    }
}

/// What the page says while a step is run.
pub fn title(step: &Step) -> &'static str {
    match step {
        Step::Begin { .. } => "Beginning",
        Step::AddPiece { .. } => "Adding the piece",
        Step::PutOn { .. } => "Putting the pieces on",
        Step::CureAll => "Curing what was found",
        Step::RemovePiece { .. } => "Taking the piece off",
        Step::MoveToLayer { .. } | Step::PutOver { .. } => "Moving the piece",
        Step::SetKind { .. } | Step::SetPlace { .. } => "Filing the piece",
        Step::SetShell { .. } => "Filing the part",
        Step::LeaveOutUnseen { .. } => "Leaving out what nobody sees",
        Step::LeaveOutStrays { .. } => "Leaving out what strayed",
        Step::LeaveOutEmpty { .. } => "Leaving out faces without area",
        Step::AddRows { .. } => "Adding rows",
        Step::Mirror { .. } | Step::CopyMirrored { .. } => "Mirroring the piece",
        Step::Place { .. } => "Placing the piece",
        Step::FindPose { .. } => "Finding the pose it was modelled in",
        Step::SeatFromPose { .. } => "Taking the piece to rest",
        Step::Ease { .. } => "Easing",
        Step::Relax { .. } => "Relaxing",
        Step::Brush { .. } => "Brushing",
        Step::MoveChosen { .. } => "Moving what is chosen",
        Step::WearShape { .. } | Step::WearBodyShape { .. } => "Wearing the shape",
        Step::CallUpShape { .. } => "Setting what calls up the shape",
        Step::FollowShapes { .. } => "Carrying the body’s shapes",
        Step::SetBodyParts { .. } => "Joining the body",
        Step::ForgetCleaning { .. } => "Binding and measuring",
        Step::ClearControls => "Moving weight off control joints",
        Step::SizeBody { .. } => "Sizing the body",
        Step::KeepPose { .. } => "Keeping the pose",
        Step::DropPose { .. } => "Dropping the pose",
        Step::AddMotion { .. } => "Trying the motion",
        Step::MatchJoints { .. } => "Matching joints",
        Step::RemoveMotion { .. } => "Leaving the motion out",
        Step::Try { .. } | Step::ChangeTrials { .. } | Step::SetTolerance { .. } => "Setting the trials",
        Step::SetRange { .. } => "Setting the range",
        Step::SetRole { .. } => "Filing the joint",
        Step::Bind { .. } | Step::ChooseMethod { .. } | Step::MatchCame { .. } | Step::Follow { .. } => {
            "Binding and measuring"
        }
        Step::MarkSide { .. } | Step::ClearSides { .. } => "Keeping sides apart",
        Step::MakeCage { .. } | Step::UseAsCage { .. } => "Making the cage",
        Step::AddJoint { .. } => "Adding the joint",
        Step::ChangeJoint { .. } => "Setting the joint",
        Step::RemoveJoint { .. } => "Taking the joint out",
        Step::TakeFrom { .. } => "Choosing the source",
        Step::ChooseJoints { .. } => "Choosing joints",
        Step::KeepPatch { .. } | Step::DropPatch { .. } => "Keeping the patch",
        Step::Clean { clean: Clean::ByHand { .. }, .. } => "Changing weights",
        Step::Clean { .. } => "Cleaning weights",
        Step::Hide { .. } => "Looking for what nobody sees",
        Step::Mask { .. } => "Masking",
        Step::ShowMask { .. } | Step::ShowHidden => "Taking it back",
        Step::Tuck { .. } | Step::ChangeTuck { .. } | Step::Untuck => "Drawing in",
        Step::PushOut { .. } => "Pushing cloth out",
        Step::Correct { .. } | Step::KeepVolume { .. } => "Making correctives",
        Step::BeginCorrective { .. } => "Beginning the corrective",
        Step::ChangeCorrective { .. } | Step::TurnCorrective { .. } => "Setting the corrective",
        Step::MirrorCorrective { .. } => "Mirroring the corrective",
    }
}
