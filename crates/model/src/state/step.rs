//! Steps: what can be done to a fitting, as values that can be kept and run again.

use crate::state::choice::Pick;
use crate::state::clean::Clean;
use crate::state::fitting::BodyPart;
use crate::state::mask::HideOptions;
use crate::state::names::PieceId;
use crate::state::own_joint::OwnJoint;
use crate::state::placing::{EaseOptions, MoveOptions, PlaceOptions, RelaxOptions, RowsAlong};
use crate::state::push::{Against, MendOptions};
use crate::state::recipe::{BindOptions, CamePair, FollowWish, JointChoice, SideWish, SourcePart, Takes};
use crate::state::said_driver::CallingTurn;
use crate::state::stroke::{BrushStroke, Chosen, StrokePose};
use crate::state::trial_change::TrialChange;
use crate::state::trial_plan::TrialPlan;
use crate::state::turn::Turn;
use serde::{Deserialize, Serialize};
use tin_cloak_core::intake::{JointRole, Place, Up};
use tin_cloak_core::trial::JointRange;
use tin_cloak_formats::PieceKind;
use tin_cloak_store::BlobId;

/// One recorded, undoable change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Step {
    /// The fitting begins with a body.
    Begin { file: BlobId, file_name: String, mesh: String },
    /// A piece is put on.
    AddPiece { file: BlobId, file_name: String, mesh: String, layer: u16, kind: PieceKind },
    /// Pieces are put on, each on its layer, at once.
    PutOn { pieces: Vec<PutOn> },
    /// What was found is cured wherever the cure loses nothing.
    CureAll,
    /// A piece is taken off.
    RemovePiece { piece: PieceId },
    /// A piece goes to another layer.
    MoveToLayer { piece: PieceId, layer: u16 },
    /// A piece is filed as another kind; a bound one is bound again.
    SetKind { piece: PieceId, kind: PieceKind },
    /// A piece goes over another, or next to the skin; the pieces further out make room.
    PutOver { piece: PieceId, over: Option<PieceId> },
    /// Where on the body a piece is worn.
    SetPlace { piece: PieceId, place: Place },
    /// A part of a mixed piece is stiff, or cloth; a bound piece is bound again.
    SetShell { piece: PieceId, shell: u32, stiff: bool },
    /// Faces that nobody will see are left out.
    LeaveOutUnseen { piece: PieceId },
    /// Vertices that lie nowhere near the others are left out, with their faces.
    LeaveOutStrays { piece: PieceId },
    /// Faces without area are left out.
    LeaveOutEmpty { piece: PieceId },
    /// Rows of vertices are added to a piece across the edge between two chosen vertices, from face to face.
    AddRows {
        piece: PieceId,
        at: Chosen,
        rows: usize,
        #[serde(default)]
        along: RowsAlong,
    },
    /// A piece is replaced by its mirror image.
    Mirror { piece: PieceId },
    /// The mirror image of a piece is put on beside it.
    CopyMirrored { piece: PieceId },
    /// A piece is moved, turned and sized; its weights stay when it keeps its size and goes to no other
    /// joint, else it is bound again.
    Place { piece: PieceId, options: PlaceOptions },
    /// A piece is taken back to rest from the pose it was modelled in, which is searched for.
    FindPose { piece: PieceId },
    /// The same from a pose set by hand: a trial pose and turns on top of it.
    SeatFromPose { piece: PieceId, pose: usize, turns: Vec<Turn> },
    /// A piece is eased off what lies beneath, or drawn in.
    Ease { piece: PieceId, chosen: Chosen, options: EaseOptions },
    /// A piece is given back the shape that it came in, as far as its place allows: at rest, or in a shape of the body
    /// that it follows, by its name.
    Relax {
        piece: PieceId,
        chosen: Chosen,
        options: RelaxOptions,
        #[serde(default)]
        shape: Option<String>,
    },
    /// So much of one of a piece's own shapes is worn: 0 for none, 1 for all of it.
    WearShape { piece: PieceId, shape: usize, amount: f32 },
    /// So much of one of its shapes, by its name, is what the body is: 0 for none, 1 for all of it.
    WearBodyShape { shape: String, amount: f32 },
    /// Which turn calls up one of the body's shapes, by its name; none for no turn.
    CallUpShape { shape: String, turn: Option<CallingTurn> },
    /// Pieces (all of them when the list is empty) follow these shapes of the body (all when none is named) and no
    /// others, or no longer follow any.
    FollowShapes {
        pieces: Vec<PieceId>,
        follow: bool,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        shapes: Vec<String>,
    },
    /// What is chosen of a piece is moved by hand: at rest or in a pose, in its shape at rest or in another one.
    MoveChosen {
        piece: PieceId,
        chosen: Chosen,
        options: MoveOptions,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        in_pose: Option<StrokePose>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        into_shape: Option<String>,
    },
    /// Dabs of a brush on a piece.
    Brush { piece: PieceId, stroke: BrushStroke },
    /// Which meshes of the body's file, and which parts of them, are the body.
    SetBodyParts { parts: Vec<BodyPart> },
    /// Weight on control joints of the body goes to joints that deform.
    ClearControls,
    /// The body is brought to metres and Y up: multiplied by `scale`, then turned.
    SizeBody { scale: f32, up: Up },
    /// A pose set by hand is kept under a name and tried with the others.
    KeepPose { name: String, pose: usize, turns: Vec<Turn> },
    /// A kept pose is no longer tried.
    DropPose { name: String },
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
    /// What is tried and how it counts; `said` is what was changed, in words.
    Try { plan: TrialPlan, said: String },
    /// One thing about the trials is changed; what else is set meanwhile stays.
    ChangeTrials { change: TrialChange },
    /// What is let pass everywhere, millimetres.
    SetTolerance { tolerance_mm: f32 },
    /// Pieces take their weights as their recipes say (all of them when the list is empty).
    Bind { pieces: Vec<PieceId> },
    /// By which method a piece takes its weights; a bound one is bound again.
    ChooseMethod { piece: PieceId, options: BindOptions },
    /// Which joint of the body stands for each joint of a piece's file; the piece has its file's
    /// weights then.
    MatchCame { piece: PieceId, pairs: Vec<CamePair> },
    /// Whose weights a piece takes, and which part of them; a bound one is bound again.
    TakeFrom { piece: PieceId, takes: Takes, part: SourcePart },
    /// What stiff parts of a piece follow (one by number, or all); a bound one is bound again.
    Follow { piece: PieceId, shell: Option<u32>, follow: FollowWish },
    /// Which side a place of a piece is; a bound one is bound again.
    MarkSide { piece: PieceId, mark: SideWish },
    /// What was said of a piece's sides is forgotten; a bound one is bound again.
    ClearSides { piece: PieceId },
    /// A cage is made round pieces (all of them when the list is empty), which hang in it then.
    MakeCage { pieces: Vec<PieceId>, offset_mm: f32, cell_mm: f32 },
    /// A piece is used as a cage, or is worn again.
    UseAsCage { piece: PieceId, cage: bool },
    /// A piece is given a joint of its own; a bound one is bound again.
    AddJoint { joint: OwnJoint },
    /// A joint of a piece's own is set anew; its piece is bound again.
    ChangeJoint { joint: OwnJoint },
    /// A joint of a piece's own is taken out; its weight goes to its parent.
    RemoveJoint { name: String },
    /// Which of the body's joints a piece may follow; a bound one is bound again.
    ChooseJoints { piece: PieceId, choice: Option<JointChoice> },
    /// The weights of a bound piece are cleaned; those of `locked` joints stay.
    Clean {
        piece: PieceId,
        clean: Clean,
        #[serde(default)]
        chosen: Chosen,
        #[serde(default)]
        locked: Vec<String>,
    },
    /// A choice of a piece's vertices is kept under a name.
    KeepPatch { piece: PieceId, name: String, picks: Vec<Pick> },
    /// A kept choice is forgotten.
    DropPatch { piece: PieceId, name: String },
    /// What was cleaned on a piece is forgotten; it is bound again.
    ForgetCleaning { piece: PieceId },
    /// Faces of the body, and of pieces beneath others, that nobody sees in any counted pose are left out while what
    /// hides them is worn.
    Hide { options: HideOptions },
    /// Faces of a part within what is chosen are left out whatever is worn, or those at it are there again.
    Mask { part: PieceId, chosen: Chosen, hide: bool },
    /// What pieces hide of a part (its number, and theirs) is there again; no pieces for what was hidden by hand.
    ShowMask { of: PieceId, by: Vec<PieceId> },
    /// Everything is there again.
    ShowHidden,
    /// A piece, or the body where none is named, is drawn in under what is worn over it, where nobody sees it.
    Tuck {
        options: MendOptions,
        #[serde(default)]
        of: Option<PieceId>,
        #[serde(default)]
        chosen: Chosen,
        /// Against what is through in this pose alone, by its number.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        pose: Option<usize>,
    },
    /// So much of how far a part (its number) is drawn in under pieces: 1 for all, 0 takes it back.
    ChangeTuck { of: PieceId, by: Vec<PieceId>, share: f32 },
    /// Nothing is drawn in any longer.
    Untuck,
    /// Cloth is pushed off what pokes through it in all trial poses.
    PushOut {
        pieces: Vec<PieceId>,
        chosen: Chosen,
        options: MendOptions,
        #[serde(default)]
        against: Against,
        /// Joints turned by hand on top of the one pose that it is pushed in.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        turns: Vec<Turn>,
    },
    /// Pieces (the body, where it is named) are given shapes that turns of joints call up, against what is through in
    /// some poses.
    Correct {
        pieces: Vec<PieceId>,
        options: MendOptions,
        #[serde(default)]
        chosen: Chosen,
        #[serde(default)]
        against: Against,
        /// As of a push.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        turns: Vec<Turn>,
    },
    /// A part is given an empty shape, to be worked on by hand: the furthest turn in a pose calls it up, or that of a
    /// joint.
    BeginCorrective {
        part: PieceId,
        pose: usize,
        turns: Vec<Turn>,
        #[serde(default)]
        joint: Option<String>,
    },
    /// From which turn on a corrective is there, and at which in full, degrees.
    TurnCorrective { name: String, from_degrees: f32, full_degrees: f32 },
    /// Whatever has a corrective does the same on its other side, in the turn of the joint there.
    MirrorCorrective { name: String },
    /// Pieces are given shapes that give back what twists and turns of wrists draw in by so much or more, millimetres.
    KeepVolume { pieces: Vec<PieceId>, least_mm: f32 },
    /// So much of such a shape of a part (its number): 1 for all of it, 0 takes it away.
    ChangeCorrective { piece: PieceId, name: String, share: f32 },
}

/// A piece to be put on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PutOn {
    pub file: BlobId,
    pub file_name: String,
    pub mesh: String,
    pub layer: u16,
    pub kind: PieceKind,
}

impl Step {
    /// True of a cure after which everything is still there: how a piece is filed, sized and placed.
    pub fn loses_nothing(&self) -> bool {
        matches!(
            self,
            Self::SetKind { .. }
                | Self::SetPlace { .. }
                | Self::Place { .. }
                | Self::PutOver { .. }
                | Self::MoveToLayer { .. }
                | Self::SizeBody { .. }
                | Self::SetBodyParts { .. }
                | Self::FindPose { .. }
        )
    }
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
    /// The counted cell out of tolerance that got deeper by the most, if any did.
    pub worst_new: Option<WorseCell>,
    /// More, in words.
    pub notes: Vec<String>,
}

/// A cell that a step made worse: where to look at it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct WorseCell {
    /// By how much deeper it is, millimetres.
    pub by_mm: f32,
    /// How deep that is now, millimetres.
    pub depth_mm: f32,
    /// Its row: the numbers of the outer and the inner piece.
    pub ids: [PieceId; 2],
    /// Its column: group, name and seconds into the clip.
    pub group: String,
    /// See `group`.
    pub pose: String,
    /// See `group`.
    pub time_s: f32,
    /// Where in words: “left hip”; nothing where it has no place.
    pub place: String,
}
