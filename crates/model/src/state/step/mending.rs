//! Steps on clearance: what is hidden, drawn in, pushed out and corrected.

use crate::state::mask::HideOptions;
use crate::state::names::PieceId;
use crate::state::push::{Against, MendOptions};
use crate::state::stroke::Chosen;
use crate::state::turn::Turn;
use serde::{Deserialize, Serialize};

/// A step on clearance: what is hidden, drawn in, pushed out and corrected.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum MendingStep {
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

impl MendingStep {
    /// What the page says while it is run.
    pub fn title(&self) -> &'static str {
        match self {
            Self::Hide { .. } => "Looking for what nobody sees",
            Self::Mask { .. } => "Masking",
            Self::ShowMask { .. } | Self::ShowHidden => "Taking it back",
            Self::Tuck { .. } | Self::ChangeTuck { .. } | Self::Untuck => "Drawing in",
            Self::PushOut { .. } => "Pushing cloth out",
            Self::Correct { .. } | Self::KeepVolume { .. } => "Making correctives",
            Self::BeginCorrective { .. } => "Beginning the corrective",
            Self::ChangeCorrective { .. } | Self::TurnCorrective { .. } => "Setting the corrective",
            Self::MirrorCorrective { .. } => "Mirroring the corrective",
        }
    }
}
