//! Steps on where a piece sits and what its shape is.

use crate::state::names::PieceId;
use crate::state::placing::{EaseOptions, MoveOptions, OtherSide, PlaceOptions, RelaxOptions};
use crate::state::stroke::{BrushStroke, Chosen, StrokePose};
use crate::state::turn::Turn;
use serde::{Deserialize, Serialize};

/// A step on where a piece sits and what its shape is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum SeatingStep {
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
    /// What was done to one side by hand is done to the other, too: to the other side of the piece, or to this piece
    /// what was done to another one.
    OtherSide { piece: PieceId, chosen: Chosen, options: OtherSide },
    /// Dabs of a brush on a piece.
    Brush { piece: PieceId, stroke: BrushStroke },
}

impl SeatingStep {
    /// What the page says while it is run.
    pub fn title(&self) -> &'static str {
        match self {
            Self::Mirror { .. } | Self::CopyMirrored { .. } => "Mirroring the piece",
            Self::Place { .. } => "Placing the piece",
            Self::FindPose { .. } => "Finding the pose it was modelled in",
            Self::SeatFromPose { .. } => "Taking the piece to rest",
            Self::Ease { .. } => "Easing",
            Self::Relax { .. } => "Relaxing",
            Self::OtherSide { .. } => "Giving it to the other side",
            Self::Brush { .. } => "Brushing",
            Self::MoveChosen { .. } => "Moving what is chosen",
            Self::FollowShapes { .. } => "Carrying the body’s shapes",
            Self::WearShape { .. } => "Wearing the shape",
        }
    }
}
