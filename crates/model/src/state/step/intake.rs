//! Steps on what comes in, what it is, and cures of what was found in it.

use crate::state::fitting::BodyPart;
use crate::state::names::PieceId;
use crate::state::outfit_recipe::OutfitRecipe;
use crate::state::placing::RowsAlong;
use crate::state::said_driver::CallingTurn;
use crate::state::step::PutOn;
use crate::state::stroke::Chosen;
use serde::{Deserialize, Serialize};
use tin_cloak_core::intake::{JointRole, Place, Up};
use tin_cloak_core::wear::StiffSize;
use tin_cloak_formats::PieceKind;
use tin_cloak_store::BlobId;

/// A step on what comes in, what it is, and cures of what was found in it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum IntakeStep {
    /// The fitting begins with a body.
    Begin { file: BlobId, file_name: String, mesh: String },
    /// A piece is put on.
    AddPiece { file: BlobId, file_name: String, mesh: String, layer: u16, kind: PieceKind },
    /// Pieces are put on, each on its layer, at once.
    PutOn { pieces: Vec<PutOn> },
    /// The outfit of another body is put on, carried over by a map between the two skins; `outfit` is the state of that
    /// fitting, `of` its body.
    WearOutfit {
        outfit: BlobId,
        of: String,
        #[serde(default)]
        stiff: StiffSize,
    },
    /// A piece has another mesh, of the same thing: a file that comes back corrected. What was done stays.
    ReplaceFile { piece: PieceId, file: BlobId, file_name: String, mesh: String },
    /// What is worn is filed and bound, and tried, as a recipe says.
    ApplyRecipe { recipe: Box<OutfitRecipe> },
    /// A piece is called otherwise, here and in what goes out.
    RenamePiece { piece: PieceId, name: String },
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
    /// So much of one of its shapes, by its name, is what the body is: 0 for none, 1 for all of it.
    WearBodyShape { shape: String, amount: f32 },
    /// Which turn calls up one of the body's shapes, by its name; none for no turn.
    CallUpShape { shape: String, turn: Option<CallingTurn> },
    /// Which meshes of the body's file, and which parts of them, are the body.
    SetBodyParts { parts: Vec<BodyPart> },
    /// Weight on control joints of the body goes to joints that deform.
    ClearControls,
    /// The body is brought to metres and Y up: multiplied by `scale`, then turned.
    SizeBody { scale: f32, up: Up },
    /// What a joint is for.
    SetRole { joint: String, role: JointRole },
}

impl IntakeStep {
    /// What the page says while it is run.
    pub fn title(&self) -> &'static str {
        match self {
            Self::Begin { .. } => "Beginning",
            Self::AddPiece { .. } => "Adding the piece",
            Self::PutOn { .. } => "Putting the pieces on",
            Self::ReplaceFile { .. } => "Replacing the file",
            Self::ApplyRecipe { .. } => "Applying the recipe",
            Self::RenamePiece { .. } => "Naming the piece",
            Self::WearOutfit { .. } => "Carrying the outfit over",
            Self::CureAll => "Curing what was found",
            Self::RemovePiece { .. } => "Taking the piece off",
            Self::MoveToLayer { .. } | Self::PutOver { .. } => "Moving the piece",
            Self::SetKind { .. } | Self::SetPlace { .. } => "Filing the piece",
            Self::SetShell { .. } => "Filing the part",
            Self::LeaveOutUnseen { .. } => "Leaving out what nobody sees",
            Self::LeaveOutStrays { .. } => "Leaving out what strayed",
            Self::LeaveOutEmpty { .. } => "Leaving out faces without area",
            Self::AddRows { .. } => "Adding rows",
            Self::CallUpShape { .. } => "Setting what calls up the shape",
            Self::SetBodyParts { .. } => "Joining the body",
            Self::ClearControls => "Moving weight off control joints",
            Self::SizeBody { .. } => "Sizing the body",
            Self::SetRole { .. } => "Filing the joint",
            Self::WearBodyShape { .. } => "Wearing the shape",
        }
    }
}
