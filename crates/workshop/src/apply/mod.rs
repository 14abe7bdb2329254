//! What each step does to a state; how it is measured and recorded is the workshop's.

mod bind;
mod body;
mod cages;
mod joints;
mod pieces;
mod seating;
mod weights;

use crate::jobs::Job;
use crate::own_joints::carried_along;
use crate::rooms::{pack_positions, Room, Rooms};
use crate::steps::{FittingState, PieceId, PieceState, Step};
use crate::{MotionState, Piece, PieceKind, WorkshopError};
use glam::Vec3;
use tin_cloak_store::{BlobId, Store};

/// A state in the making, with the blobs it needs.
pub(crate) struct Draft {
    pub state: FittingState,
    pub blobs: Vec<Vec<u8>>,
    pub notes: Vec<String>,
    /// Name of each of `blobs`.
    names: Vec<BlobId>,
}

impl Draft {
    pub fn of(state: &FittingState) -> Self {
        Self { state: state.clone(), blobs: Vec::new(), notes: Vec::new(), names: Vec::new() }
    }

    pub fn keep(&mut self, bytes: Vec<u8>) -> BlobId {
        let id = BlobId::of(&bytes);
        self.blobs.push(bytes);
        self.names.push(id.clone());
        id
    }

    /// A blob of the draft or of the store.
    pub fn blob(&self, store: &Store, id: &BlobId) -> Result<Vec<u8>, WorkshopError> {
        match self.names.iter().position(|n| n == id) {
            Some(at) => Ok(self.blobs[at].clone()),
            None => Ok(store.blob(id)?),
        }
    }

    /// New rest positions for a piece of the room; its own joints go along.
    fn reseat(&mut self, room: &Room, index: usize, rest: &[Vec3]) -> Result<&mut PieceState, WorkshopError> {
        let blob = self.keep(pack_positions(rest));
        let id = room.piece_state(index).id;
        let before = &room.dress.pieces[index].rest;
        for joint in self.state.joints.iter_mut().filter(|j| j.piece == id) {
            joint.place = carried_along(joint.place, before, rest);
            joint.tip = carried_along(joint.tip, before, rest);
        }
        let piece = self.piece(id)?;
        piece.rest = Some(blob);
        Ok(piece)
    }

    fn motion(&mut self, index: usize) -> Result<&mut MotionState, WorkshopError> {
        let missing = WorkshopError::Missing { what: "motion", id: index as i64 };
        self.state.motions.get_mut(index).ok_or(missing)
    }

    fn piece(&mut self, id: PieceId) -> Result<&mut PieceState, WorkshopError> {
        let found = self.state.pieces.iter_mut().find(|p| p.id == id);
        found.ok_or(WorkshopError::Missing { what: "piece", id: i64::from(id) })
    }
}

/// Which part of the whole a phase of a job is.
pub(crate) struct Phase<'a> {
    pub job: &'a Job,
    pub from: f32,
    pub to: f32,
}

impl Phase<'_> {
    pub fn tell(&self, share: f32) -> bool {
        self.job.tell(self.from + (self.to - self.from) * share)
    }
}

/// A step under way: the state before it, and the state it makes.
pub(crate) struct Doing<'a> {
    pub store: &'a Store,
    pub rooms: &'a Rooms,
    pub room: &'a Room,
    pub draft: &'a mut Draft,
    pub job: &'a Job,
}

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
            Step::RemovePiece { piece } => self.remove_piece(*piece),
            Step::MoveToLayer { piece, layer } => self.move_to_layer(*piece, *layer),
            Step::PutOver { piece, over } => self.put_over(*piece, *over),
            Step::SetKind { piece, kind } => self.set_kind(*piece, *kind),
            Step::SetPlace { piece, place } => self.set_place(*piece, *place),
            Step::SetShell { piece, shell, stiff } => self.set_shell(*piece, *shell, *stiff),
            Step::LeaveOutUnseen { piece } => self.leave_out_unseen(*piece),
            Step::Mirror { piece } => self.mirror(*piece),
            Step::CopyMirrored { piece } => self.copy_mirrored(*piece),
            Step::Place { piece, options } => self.place(*piece, *options),
            Step::FindPose { piece } => self.find_pose(*piece),
            Step::SeatFromPose { piece, pose, turns } => self.seat_from_pose(*piece, *pose, turns),
            Step::Ease { piece, chosen, options } => self.ease(*piece, chosen, *options),
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
            Step::Bind { pieces } => self.bind(pieces),
            Step::ChooseMethod { piece, options } => self.choose_method(*piece, options),
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
            Step::Clean { piece, clean, chosen, locked } => self.clean(*piece, clean, chosen, locked),
            Step::PushOut { pieces, chosen: _, options } => self.push_out(pieces, *options),
        }
    }

    fn worn_piece(&self, id: PieceId) -> Result<(usize, &Piece), WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(id) };
        let index = self.room.index_of(id).ok_or(missing)?;
        Ok((index, &self.room.dress.pieces[index]))
    }

    /// Positions in the dress of the pieces named; all of them when none is.
    fn chosen_pieces(&self, pieces: &[PieceId]) -> Result<Vec<usize>, WorkshopError> {
        if pieces.is_empty() {
            return Ok((0..self.room.dress.pieces.len()).collect());
        }
        pieces.iter().map(|&id| Ok(self.worn_piece(id)?.0)).collect()
    }
}

/// What the page says while a step is run.
pub(crate) fn title(step: &Step) -> &'static str {
    match step {
        Step::Begin { .. } => "Beginning",
        Step::AddPiece { .. } => "Adding the piece",
        Step::RemovePiece { .. } => "Taking the piece off",
        Step::MoveToLayer { .. } | Step::PutOver { .. } => "Moving the piece",
        Step::SetKind { .. } | Step::SetPlace { .. } => "Filing the piece",
        Step::SetShell { .. } => "Filing the part",
        Step::LeaveOutUnseen { .. } => "Leaving out what nobody sees",
        Step::Mirror { .. } | Step::CopyMirrored { .. } => "Mirroring the piece",
        Step::Place { .. } => "Placing the piece",
        Step::FindPose { .. } => "Finding the pose it was modelled in",
        Step::SeatFromPose { .. } => "Taking the piece to rest",
        Step::Ease { .. } => "Easing",
        Step::Brush { .. } => "Brushing",
        Step::ClearControls => "Moving weight off control joints",
        Step::SizeBody { .. } => "Sizing the body",
        Step::KeepPose { .. } => "Keeping the pose",
        Step::DropPose { .. } => "Dropping the pose",
        Step::AddMotion { .. } => "Trying the motion",
        Step::MatchJoints { .. } => "Matching joints",
        Step::RemoveMotion { .. } => "Leaving the motion out",
        Step::SetRange { .. } => "Setting the range",
        Step::SetRole { .. } => "Filing the joint",
        Step::Bind { .. } | Step::ChooseMethod { .. } | Step::Follow { .. } => "Binding and measuring",
        Step::MarkSide { .. } | Step::ClearSides { .. } => "Keeping sides apart",
        Step::MakeCage { .. } | Step::UseAsCage { .. } => "Making the cage",
        Step::AddJoint { .. } => "Adding the joint",
        Step::ChangeJoint { .. } => "Setting the joint",
        Step::RemoveJoint { .. } => "Taking the joint out",
        Step::TakeFrom { .. } => "Choosing the source",
        Step::ChooseJoints { .. } => "Choosing joints",
        Step::Clean { .. } => "Cleaning weights",
        Step::PushOut { .. } => "Pushing cloth out",
    }
}

pub(crate) fn kind_word(kind: PieceKind) -> &'static str {
    match kind {
        PieceKind::Soft => "cloth",
        PieceKind::Stiff => "stiff",
        PieceKind::Mixed => "mixed",
    }
}
