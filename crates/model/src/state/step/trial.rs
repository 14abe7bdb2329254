//! Steps on what is tried and how it counts.

use crate::state::names::PieceId;
use crate::state::trial_change::TrialChange;
use crate::state::trial_plan::TrialPlan;
use crate::state::turn::Turn;
use serde::{Deserialize, Serialize};
use tin_cloak_core::trial::JointRange;
use tin_cloak_store::BlobId;

/// A step on what is tried and how it counts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum TrialStep {
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
    /// What is tried and how it counts; `said` is what was changed, in words.
    Try { plan: TrialPlan, said: String },
    /// One thing about the trials is changed; what else is set meanwhile stays.
    ChangeTrials { change: TrialChange },
    /// What is let pass everywhere, millimetres.
    SetTolerance { tolerance_mm: f32 },
}

impl TrialStep {
    /// What the page says while it is run.
    pub fn title(&self) -> &'static str {
        match self {
            Self::KeepPose { .. } => "Keeping the pose",
            Self::DropPose { .. } => "Dropping the pose",
            Self::AddMotion { .. } => "Trying the motion",
            Self::MatchJoints { .. } => "Matching joints",
            Self::RemoveMotion { .. } => "Leaving the motion out",
            Self::Try { .. } | Self::ChangeTrials { .. } | Self::SetTolerance { .. } => "Setting the trials",
            Self::SetRange { .. } => "Setting the range",
        }
    }
}
