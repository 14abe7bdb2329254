//! The use cases: open, bind, try, mend, undo, export; jobs with progress; the one place
//! where a step is run, measured and recorded. Knows no HTML and no HTTP.
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod apply;
mod assets;
mod binding;
mod board;
mod brushing;
mod bundle;
mod caged;
mod cleaning;
mod dress;
mod error;
mod handover;
mod intake;
mod jobs;
mod joint_use;
mod mending;
mod motions;
mod own_joints;
pub mod picture;
mod probe;
mod recipe;
mod report;
mod rooms;
mod seating;
mod snag_cards;
mod sources;
mod steps;
mod templates;
mod trials;
mod view;
mod workshop;

pub use assets::{AssetFacts, AssetRole};
pub use binding::{bind_piece, stiff_shells, BindTimes};
pub use board::{measure_board, Board, BoardPair, BoardPose, Cell};
pub use brushing::{BrushLook, BrushStroke, Reach, UnderBrush};
pub use cleaning::Clean;
pub use dress::{sort_document, Body, Bound, Dress, Piece, Shading};
pub use error::WorkshopError;
pub use handover::{dressed_document, export_glb};
pub use intake::{look_over_body, look_over_piece, Cure, Finding, Grade};
pub use jobs::{Job, JobId, JobState, Jobs};
pub use joint_use::JointUse;
pub use mending::{mend, MendOptions, MendOutcome};
pub use motions::{MotionJoints, MotionState, RangeRow, RangeState};
pub use own_joints::OwnJoint;
pub use probe::Probe;
pub use recipe::{BindOptions, FollowWish, JointChoice, Method, Recipe, SideWish, SourcePart, Takes};
pub use report::{Report, SkippedEntry};
pub use rooms::Room;
pub(crate) use seating::Gaps;
pub use seating::{
    carried_to_rest, pose_of_piece, EaseOptions, Ground, HowFar, PlaceOptions, SeatReport, GAP_BARS,
};
pub use snag_cards::SnagCard;
pub use steps::{Chosen, Cut, Effect, FileRef, FittingState, KeptPose, PieceId, PieceState, Step};
pub use templates::{Suiting, TEMPLATE};
pub use tin_cloak_core as core;
pub use tin_cloak_formats::{read, Companions, Document, Mark, MeshPart, PieceKind, ReadError};
pub use tin_cloak_store::{Asset, Fitting, StepRow, StoreError};
pub use trials::{clip_trials, range_trials, retarget_trials, Trial, TrialSet};
pub use view::{MapKind, Turn, ViewPart, ViewRequest};
pub use workshop::{OpenFitting, Workshop};
