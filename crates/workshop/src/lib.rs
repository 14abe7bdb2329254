//! The use cases: open, bind, try, mend, undo, export; jobs with progress; the one place
//! where a step is run, measured and recorded. Knows no HTML and no HTTP.
//!
//! Floors, from the ground up; each may use those before it only: `state`, `dress`, `making` and
//! `measuring`, the stations (`intake`, `seating`, `binding`, `mending`, `handover`), `looking`,
//! `shelf`, `history`; `batch` beside them for files without a store. Everything is imported from
//! where it lives; the names below are for other crates.
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod batch;
mod history;
mod proving;

pub use batch::dressed_file::{DressedFile, OnlyAgainst, Tell, TrialSays, TrialWish};
pub use batch::fit::{fit_files, fit_files_by, FollowedShapes, PieceFile};
pub use batch::job_row::{junit, rows_csv, write_whole, BatchFolder, JobRow, JobVerdict, PairRow};
pub use batch::jobs_file::{JobFile, JobMend, JobTrial, JobsFile, Shard};
pub use batch::many::{pair_rows, Batch};
pub use batch::named_file::NamedFile;
pub use batch::wear::{wear_file, Wearing};
pub use history::effects::Summary;
pub use history::held_back::HeldBack;
pub use history::jobs::{JobId, Jobs};
pub use history::measurer::MeasureState;
pub use history::plan::{Plan, StepGain, Tried};
pub use history::tried_steps::TriedStep;
pub use history::workshop::{OpenFitting, Workshop};
pub use proving::proof::{prove, Proof, EQUAL_MM};
pub use tin_cloak_core as core;
pub use tin_cloak_core::wear::StiffSize;
pub use tin_cloak_formats::{read, Companions, Document, Frame, Mark, MeshPart, PieceKind, ReadError, Unit};
pub use tin_cloak_measure::measuring::board::{through_in_words, Board, BoardPair, BoardPose, Matching};
pub use tin_cloak_measure::measuring::cell::Cell;
pub use tin_cloak_measure::measuring::missing::measured_afresh;
pub use tin_cloak_measure::measuring::report::{Report, SkippedEntry};
pub use tin_cloak_measure::measuring::snag_cards::SnagCard;
pub use tin_cloak_model::dress::assets::{AssetFacts, AssetRole};
pub use tin_cloak_model::dress::body::{sort_document, Body};
pub use tin_cloak_model::dress::dressed::Dress;
pub use tin_cloak_model::dress::file_settings::FileSettings;
pub use tin_cloak_model::dress::imported_weights::ImportedWeights;
pub use tin_cloak_model::dress::members::{Beside, BodyMesh};
pub use tin_cloak_model::dress::motions::{MotionJoints, RangeRow};
pub use tin_cloak_model::dress::piece::Piece;
pub use tin_cloak_model::dress::room::Room;
pub use tin_cloak_model::dress::shading::{Shading, ViewPart};
pub use tin_cloak_model::dress::stiff_parts::stiff_shells;
pub use tin_cloak_model::dress::trials::{clip_trials, range_trials, retarget_trials, Trial, TrialSet};
pub use tin_cloak_model::error::WorkshopError;
pub use tin_cloak_model::state::bound::Bound;
pub use tin_cloak_model::state::by_hand::{HandAmount, HandChange, HandRest};
pub use tin_cloak_model::state::choice::{Patch, Pick, PickHow, What};
pub use tin_cloak_model::state::clean::{Clean, Cleaned};
pub use tin_cloak_model::state::corrective::Corrective;
pub use tin_cloak_model::state::fitting::{AddedRows, BodyPart, Cut, FittingState, KeptPose, PieceState};
pub use tin_cloak_model::state::mask::HideOptions;
pub use tin_cloak_model::state::motion::{MotionState, RangeState};
pub use tin_cloak_model::state::names::{FileRef, PieceId};
pub use tin_cloak_model::state::outfit_recipe::{OutfitRecipe, PieceRecipe, TakesByName};
pub use tin_cloak_model::state::own_joint::OwnJoint;
pub use tin_cloak_model::state::placing::{
    EaseOptions, MoveOptions, OtherSide, PlaceOptions, RelaxOptions, RowsAlong,
};
pub use tin_cloak_model::state::push::{Against, MendOptions, COMBINED};
pub use tin_cloak_model::state::recipe::{
    BindOptions, FollowWish, JointChoice, Method, Recipe, SideWish, SourcePart, Takes,
};
pub use tin_cloak_model::state::said_driver::CallingTurn;
pub use tin_cloak_model::state::step::{
    BindingStep, Effect, IntakeStep, MendingStep, PutOn, SeatingStep, Step, TrialStep, WorseCell,
};
pub use tin_cloak_model::state::stroke::{BrushStroke, Chosen, Reach, StrokePose};
pub use tin_cloak_model::state::trial_change::TrialChange;
pub use tin_cloak_model::state::trial_plan::{
    AtRandom, CountRule, Counts, Frames, PairTolerance, Sweep, Target, TrialPlan, Tries,
};
pub use tin_cloak_model::state::turn::Turn;
pub use tin_cloak_stations::binding::bind::bind_piece;
pub use tin_cloak_stations::binding::joint_use::JointUse;
pub use tin_cloak_stations::binding::table_csv::{table_of_csv, table_of_text, JsonRow, JsonTable};
pub use tin_cloak_stations::handover::export::{dressed_document, export_glb, OfHidden};
pub use tin_cloak_stations::handover::forms::{
    bvh_of, document_of, glb_of, gltf_zip_of, obj_of, usda_of, usdz_of, weights_csv, weights_json, Parts,
};
pub use tin_cloak_stations::handover::limits::{Beyond, Limits};
pub use tin_cloak_stations::intake::finding::{Cure, Finding, Grade};
pub use tin_cloak_stations::intake::found::harmless_cures;
pub use tin_cloak_stations::intake::of_body::look_over_body;
pub use tin_cloak_stations::intake::of_piece::look_over_piece;
pub use tin_cloak_stations::looking::brush_view::{BrushLook, UnderBrush};
pub use tin_cloak_stations::looking::choosing::{ChosenView, Moment, WeightTable};
pub use tin_cloak_stations::looking::extents::Extent;
pub use tin_cloak_stations::looking::maps::MapKind;
pub use tin_cloak_stations::looking::packed::{pack_maps, pack_mesh, pack_poses, pack_skin, pack_view};
pub use tin_cloak_stations::looking::picture;
pub use tin_cloak_stations::looking::probe::Probe;
pub use tin_cloak_stations::looking::range_here::{RangeHere, RangeHereOfRoom};
pub use tin_cloak_stations::looking::skinned::{PartMap, Played, SkinnedPart};
pub use tin_cloak_stations::looking::view::ViewRequest;
pub use tin_cloak_stations::looking::worst_snags::WorstSnag;
pub use tin_cloak_stations::making::job::{BindSeconds, Job, JobState};
pub use tin_cloak_stations::mending::hide::MaskRow;
pub use tin_cloak_stations::mending::means::{Means, MeansKind};
pub use tin_cloak_stations::mending::more_poses::held_back;
pub use tin_cloak_stations::mending::push_out::{Claim, MendOutcome};
pub use tin_cloak_stations::mending::snag_acts::{snag_acts, verdict as snag_verdict, SnagAct};
pub use tin_cloak_stations::mending::tuck::TuckRow;
pub use tin_cloak_stations::mending::volume::{LostPart, LostRow, LEAST_LOST_MM};
pub use tin_cloak_stations::seating::brushing::StrokeOnPiece;
pub use tin_cloak_stations::seating::easing::HowFar;
pub use tin_cloak_stations::seating::ground::Ground;
pub use tin_cloak_stations::seating::modelled_pose::{carried_to_rest, pose_of_piece};
pub use tin_cloak_stations::seating::moving::MovedOnPiece;
pub use tin_cloak_stations::seating::sits::{SeatReport, GAP_BARS};
pub use tin_cloak_stations::shelf::templates::{Suiting, TEMPLATE};
pub use tin_cloak_store::{Asset, BlobId, Compacted, Fitting, StepRow, StoreError};

// What rooms are asked.
pub use tin_cloak_measure::measuring::at_rest::AtRestOfRoom;
pub use tin_cloak_measure::measuring::posed::PosedOfRoom;
pub use tin_cloak_measure::measuring::snag_cards::SnagCardsOfRoom;
pub use tin_cloak_stations::binding::joint_use::JointUseOfRoom;
pub use tin_cloak_stations::binding::sources::SourcesOfRoom;
pub use tin_cloak_stations::handover::outdated::OutdatedOfRoom;
pub use tin_cloak_stations::handover::tables::TablesOfRoom;
pub use tin_cloak_stations::intake::found::FoundOfRoom;
pub use tin_cloak_stations::intake::worn_on::WornOnOfRoom;
pub use tin_cloak_stations::looking::brush_view::BrushViewOfRoom;
pub use tin_cloak_stations::looking::choosing::ChoosingOfRoom;
pub use tin_cloak_stations::looking::choosing_else::ChoosingElseOfRoom;
pub use tin_cloak_stations::looking::extents::ExtentsOfRoom;
pub use tin_cloak_stations::looking::hand_view::HandViewOfRoom;
pub use tin_cloak_stations::looking::joint_places::JointPlacesOfRoom;
pub use tin_cloak_stations::looking::maps::MapsOfRoom;
pub use tin_cloak_stations::looking::probe::ProbeOfRoom;
pub use tin_cloak_stations::looking::pulling::{Pull, PullingOfRoom};
pub use tin_cloak_stations::looking::regions::RegionsOfRoom;
pub use tin_cloak_stations::looking::skinned::SkinnedOfRoom;
pub use tin_cloak_stations::looking::view::ViewOfRoom;
pub use tin_cloak_stations::looking::worst_snags::WorstSnagsOfRoom;
pub use tin_cloak_stations::mending::hide::HideOfRoom;
pub use tin_cloak_stations::mending::tuck::TuckOfRoom;
pub use tin_cloak_stations::mending::volume::VolumeOfRoom;
pub use tin_cloak_stations::seating::easing::EasingOfRoom;
pub use tin_cloak_stations::seating::ground::GroundOfRoom;
pub use tin_cloak_stations::seating::in_shape::InShapeOfRoom;
pub use tin_cloak_stations::seating::sits::SitsOfRoom;
pub use tin_cloak_stations::seating::worn_shape::WornShapeOfRoom;
