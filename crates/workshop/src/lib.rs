//! The use cases: open, bind, try, mend, undo, export; jobs with progress; the one place
//! where a step is run, measured and recorded. Knows no HTML and no HTTP.
//!
//! Floors, from the ground up; each may use those before it only: `state`, `dress`, `making` and
//! `measuring`, the stations (`intake`, `seating`, `binding`, `mending`, `handover`), `looking`,
//! `shelf`, `history`; `batch` beside them for files without a store. Everything is imported from
//! where it lives; the names below are for other crates.
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod batch;
mod binding;
mod dress;
mod error;
mod handover;
mod history;
mod intake;
mod looking;
mod making;
mod measuring;
mod mending;
mod seating;
mod shelf;
mod state;

pub use batch::dressed_file::{DressedFile, Tell, TrialSays, TrialWish};
pub use batch::fit::{fit_files, PieceFile};
pub use batch::named_file::NamedFile;
pub use binding::bind::bind_piece;
pub use binding::joint_use::JointUse;
pub use binding::table_csv::{table_of_csv, table_of_text, JsonRow, JsonTable};
pub use dress::body::{sort_document, Body};
pub use dress::came::Came;
pub use dress::dressed::Dress;
pub use dress::members::{Beside, BodyMesh};
pub use dress::motions::{MotionJoints, RangeRow};
pub use dress::piece::Piece;
pub use dress::room::Room;
pub use dress::said::Said;
pub use dress::shading::{Shading, ViewPart};
pub use dress::stiff_parts::stiff_shells;
pub use dress::trials::{clip_trials, range_trials, retarget_trials, Trial, TrialSet};
pub use error::WorkshopError;
pub use handover::export::{dressed_document, export_glb, OfHidden};
pub use handover::forms::{
    bvh_of, document_of, glb_of, gltf_zip_of, obj_of, usda_of, usdz_of, weights_csv, weights_json, Parts,
};
pub use handover::limits::{Beyond, Limits};
pub use handover::proof::{prove, Proof, EQUAL_MM};
pub use history::effects::Summary;
pub use history::jobs::{JobId, Jobs};
pub use history::measurer::MeasureState;
pub use history::plan::{Brought, Plan, Tried};
pub use history::workshop::{OpenFitting, Workshop};
pub use intake::finding::{Cure, Finding, Grade};
pub use intake::found::harmless_cures;
pub use intake::of_body::look_over_body;
pub use intake::of_piece::look_over_piece;
pub use looking::choosing::{ChosenView, Moment, WeightTable};
pub use looking::extents::Extent;
pub use looking::maps::MapKind;
pub use looking::packed::{pack_maps, pack_mesh, pack_poses, pack_skin, pack_view};
pub use looking::picture;
pub use looking::probe::Probe;
pub use looking::skinned::{PartMap, Played, SkinnedPart};
pub use looking::view::ViewRequest;
pub use making::job::{BindSeconds, Job, JobState};
pub use measuring::board::{through_in_words, Board, BoardPair, BoardPose, Matching};
pub use measuring::cell::Cell;
pub use measuring::missing::measured_afresh;
pub use measuring::report::{Report, SkippedEntry};
pub use measuring::snag_cards::SnagCard;
pub use measuring::worst_snags::WorstSnag;
pub use mending::hide::MaskRow;
pub use mending::means::{Means, MeansKind};
pub use mending::push_out::{Claim, MendOutcome};
pub use mending::tuck::TuckRow;
pub use mending::volume::{LostRow, LEAST_LOST_MM};
pub use seating::brushing::{BrushLook, UnderBrush};
pub use seating::easing::HowFar;
pub use seating::ground::Ground;
pub use seating::modelled_pose::{carried_to_rest, pose_of_piece};
pub use seating::sits::{SeatReport, GAP_BARS};
pub use shelf::assets::{AssetFacts, AssetRole};
pub use shelf::templates::{Suiting, TEMPLATE};
pub use state::bound::Bound;
pub use state::by_hand::{HandAmount, HandChange, HandRest};
pub use state::choice::{Patch, Pick, PickHow, What};
pub use state::clean::{Clean, Cleaned};
pub use state::corrective::Corrective;
pub use state::fitting::{BodyPart, Cut, FittingState, KeptPose, PieceState};
pub use state::mask::HideOptions;
pub use state::motion::{MotionState, RangeState};
pub use state::names::{FileRef, PieceId};
pub use state::own_joint::OwnJoint;
pub use state::placing::{EaseOptions, PlaceOptions, RelaxOptions};
pub use state::push::{Against, MendOptions};
pub use state::recipe::{BindOptions, FollowWish, JointChoice, Method, Recipe, SideWish, SourcePart, Takes};
pub use state::step::{Effect, PutOn, Step, WorseCell};
pub use state::stroke::{BrushStroke, Chosen, Reach, StrokePose};
pub use state::trial_plan::{
    AtRandom, CountRule, Counts, Frames, PairTolerance, Sweep, Target, TrialPlan, Tries,
};
pub use state::turn::Turn;
pub use tin_cloak_core as core;
pub use tin_cloak_formats::{read, Companions, Document, Frame, Mark, MeshPart, PieceKind, ReadError, Unit};
pub use tin_cloak_store::{Asset, Fitting, StepRow, StoreError};
