//! Steps: what can be done to a fitting, as values that can be kept and run again.

use crate::{
    BindOptions, BrushStroke, EaseOptions, MendOptions, MotionState, PieceKind, PlaceOptions, RangeState,
    Turn,
};
use serde::{Deserialize, Serialize};
use tin_cloak_core::intake::JointRole;
use tin_cloak_core::trial::JointRange;
use tin_cloak_store::BlobId;

/// Number of a piece within its fitting; never used again for another.
pub type PieceId = u32;

/// Which vertices a step works on.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Chosen {
    /// All of them.
    #[default]
    Everything,
}

/// One recorded, undoable change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Step {
    /// The fitting begins with a body.
    Begin { file: BlobId, file_name: String, mesh: String },
    /// A piece is put on.
    AddPiece { file: BlobId, file_name: String, mesh: String, layer: u16, kind: PieceKind },
    /// A piece is taken off.
    RemovePiece { piece: PieceId },
    /// A piece goes to another layer.
    MoveToLayer { piece: PieceId, layer: u16 },
    /// A piece is filed as another kind; its weights are taken off.
    SetKind { piece: PieceId, kind: PieceKind },
    /// A piece is moved, turned and sized; its weights are taken off.
    Place { piece: PieceId, options: PlaceOptions },
    /// A piece is taken back to rest from the pose it was modelled in, which is searched for.
    FindPose { piece: PieceId },
    /// The same from a pose set by hand: a trial pose and turns on top of it.
    SeatFromPose { piece: PieceId, pose: usize, turns: Vec<Turn> },
    /// A piece is eased off what lies beneath, or drawn in.
    Ease { piece: PieceId, chosen: Chosen, options: EaseOptions },
    /// Dabs of a brush on a piece.
    Brush { piece: PieceId, stroke: BrushStroke },
    /// Weight on control joints of the body goes to joints that deform.
    ClearControls,
    /// A motion of another file is tried too; its joints are matched by name and place.
    AddMotion { file: BlobId, file_name: String, name: String },
    /// Which joint of a motion moves which joint of the body.
    MatchJoints { motion: usize, pairs: Vec<(String, String)> },
    /// A motion is no longer tried.
    RemoveMotion { motion: usize },
    /// How far a joint may turn: of the body, or as a piece allows. None is the handbook's range,
    /// or no limit by the piece.
    SetRange { joint: String, range: Option<JointRange>, piece: Option<PieceId> },
    /// What a joint is for.
    SetRole { joint: String, role: JointRole },
    /// Pieces take their weights from the body (all of them when the list is empty).
    Bind { pieces: Vec<PieceId>, options: BindOptions },
    /// Cloth is pushed off what pokes through it in all trial poses.
    PushOut { pieces: Vec<PieceId>, chosen: Chosen, options: MendOptions },
}

/// What a step did.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Effect {
    /// Deepest poke-through before, millimetres, if it had been measured.
    pub deepest_before_mm: Option<f32>,
    /// The same after.
    pub deepest_after_mm: Option<f32>,
    /// Board cells that got better.
    pub better: usize,
    /// Board cells that got worse.
    pub worse: usize,
    /// More, in words.
    pub notes: Vec<String>,
}

/// The state of a fitting after a step: small, with everything large behind blob names.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct FittingState {
    pub body: FileRef,
    /// Weights of the body, when they are no longer the file's.
    #[serde(default)]
    pub body_skin: Option<BlobId>,
    pub pieces: Vec<PieceState>,
    pub next_piece: PieceId,
    pub tolerance_mm: f32,
    /// Motions of other files.
    #[serde(default)]
    pub motions: Vec<MotionState>,
    /// Ranges of motion set by hand.
    #[serde(default)]
    pub ranges: Vec<RangeState>,
    /// Roles of joints set by hand.
    #[serde(default)]
    pub roles: Vec<(String, JointRole)>,
    /// The measured board, once something is bound.
    pub board: Option<BlobId>,
}

/// A mesh of a kept file.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct FileRef {
    pub file: BlobId,
    pub file_name: String,
    pub mesh: String,
}

/// A piece in a state.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PieceState {
    pub id: PieceId,
    pub source: FileRef,
    pub layer: u16,
    pub kind: PieceKind,
    /// Rest positions, when they are no longer the file's.
    pub rest: Option<BlobId>,
    /// Weights, once bound.
    pub bound: Option<BlobId>,
    /// Ranges of motion that it narrows.
    #[serde(default)]
    pub limits: Vec<RangeState>,
}
