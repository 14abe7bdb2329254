//! Steps on weights: where they come from, and what is changed on them.

use crate::state::choice::Pick;
use crate::state::clean::Clean;
use crate::state::names::PieceId;
use crate::state::own_joint::OwnJoint;
use crate::state::recipe::{BindOptions, CamePair, FollowWish, JointChoice, SideWish, SourcePart, Takes};
use crate::state::stroke::Chosen;
use serde::{Deserialize, Serialize};

/// A step on weights: where they come from, and what is changed on them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum BindingStep {
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
}

impl BindingStep {
    /// What the page says while it is run.
    pub fn title(&self) -> &'static str {
        match self {
            Self::ForgetCleaning { .. } => "Binding and measuring",
            Self::Bind { .. } | Self::ChooseMethod { .. } | Self::MatchCame { .. } | Self::Follow { .. } => {
                "Binding and measuring"
            }
            Self::MarkSide { .. } | Self::ClearSides { .. } => "Keeping sides apart",
            Self::MakeCage { .. } | Self::UseAsCage { .. } => "Making the cage",
            Self::AddJoint { .. } => "Adding the joint",
            Self::ChangeJoint { .. } => "Setting the joint",
            Self::RemoveJoint { .. } => "Taking the joint out",
            Self::TakeFrom { .. } => "Choosing the source",
            Self::ChooseJoints { .. } => "Choosing joints",
            Self::KeepPatch { .. } | Self::DropPatch { .. } => "Keeping the patch",
            Self::Clean { clean: Clean::ByHand { .. }, .. } => "Changing weights",
            Self::Clean { .. } => "Cleaning weights",
        }
    }
}
