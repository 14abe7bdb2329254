//! The workshop: fittings in a store, steps run, measured and recorded.

use crate::history::crews::Crews;
use crate::history::effects::Summary;
use crate::history::jobs::{JobId, Jobs};
use crate::history::measurer::Measurer;
use crate::history::plan::{PlannedSteps, SoFar};
use crate::history::tried_steps::{tried_place, TriedSteps};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use tin_cloak_formats::{Companions, PieceKind};
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::cells::{known_board, Counts, Kept};
use tin_cloak_model::dress::assets::{AssetFacts, AssetRole};
use tin_cloak_model::dress::body::marked_parts;
use tin_cloak_model::dress::decode::Decoder;
use tin_cloak_model::dress::file_settings::FileSettings;
use tin_cloak_model::dress::motions::MotionJoints;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::fitting::{BodyPart, FittingState};
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::motion::MotionState;
use tin_cloak_model::state::names::{FileRef, PieceId};
use tin_cloak_model::state::recipe::{SourcePart, Takes};
use tin_cloak_model::state::step::{BindingStep, Effect, IntakeStep, Step, TrialStep};
use tin_cloak_stations::handover::export::export_glb;
use tin_cloak_stations::handover::outdated::OutdatedOfRoom;
use tin_cloak_stations::intake::finding::counted;
use tin_cloak_stations::intake::found::harmless_cures;
use tin_cloak_stations::intake::suggested::suggested;
use tin_cloak_stations::looking::picture;
use tin_cloak_stations::making::doing::Doing;
use tin_cloak_stations::making::draft::Draft;
use tin_cloak_stations::making::job::{Job, JobState};
use tin_cloak_stations::shelf::bring;
use tin_cloak_stations::shelf::templates::{self, Suiting};
use tin_cloak_store::{Asset, BlobId, Compacted, Fitting, Listed, NewStep, StepRow, Store};

/// Everything that can be done, by whoever asks: page, command line or test.
pub struct Workshop {
    pub(crate) store: Store,
    pub(crate) decoder: Decoder,
    pub(super) jobs: Jobs,
    pub(crate) crews: Crews,
    pub(crate) measurer: Measurer,
    pub(crate) counts: Counts,
    /// What the steps of the last plan made, so that doing it need not make it again.
    pub(super) planned: Mutex<PlannedSteps>,
    /// The plans that are being made.
    pub(super) planning: SoFar,
    /// Steps that were tried and not done.
    pub(super) tried: TriedSteps,
    measures_behind: AtomicBool,
}

/// A fitting, and what lists say of it or why it cannot be read.
pub type ListedFitting = (Fitting, Result<Summary, WorkshopError>);

/// A fitting with its history and its state.
pub struct OpenFitting {
    /// Name and cursor.
    pub fitting: Fitting,
    /// All steps, those undone included.
    pub steps: Vec<StepRow>,
    /// The state at the cursor.
    pub room: Arc<Room>,
}

impl OpenFitting {
    /// The step the fitting stands at.
    pub fn current(&self) -> Option<&StepRow> {
        self.steps.iter().find(|s| s.seq == self.fitting.cursor)
    }

    /// What the step at the cursor did.
    pub fn effect(&self) -> Effect {
        self.current().and_then(|s| serde_json::from_str(&s.effect).ok()).unwrap_or_default()
    }

    /// True when there is a step to take back.
    pub fn can_undo(&self) -> bool {
        self.fitting.cursor > 1
    }

    /// True when there is an undone step to do again.
    pub fn can_redo(&self) -> bool {
        self.steps.iter().any(|s| s.seq > self.fitting.cursor)
    }
}

/// Where a step goes.
#[derive(Clone, Copy)]
enum Place {
    /// Behind the one the fitting stands at.
    Behind,
    /// In the place of it.
    InsteadOf(i64),
}

impl Place {
    /// The step that it works on, of a fitting that stands at `cursor`.
    fn base(self, cursor: i64) -> Result<i64, WorkshopError> {
        match self {
            Self::Behind => Ok(cursor),
            // The first step has no other to work on.
            Self::InsteadOf(seq) if seq == cursor && seq > 1 => Ok(seq - 1),
            Self::InsteadOf(_) => Err(WorkshopError::NotTheLast),
        }
    }
}

impl Workshop {
    /// Opens the store in `folder`.
    ///
    /// # Errors
    /// When it cannot be used.
    pub fn open(folder: &Path) -> Result<Self, WorkshopError> {
        Self::on(Store::open(folder)?, Decoder::default())
    }

    /// The same, keeping at most so many bytes in memory of what can be made again.
    ///
    /// # Errors
    /// When it cannot be used.
    pub fn open_within(folder: &Path, bytes: u64) -> Result<Self, WorkshopError> {
        Self::on(Store::open(folder)?, Decoder::of_size(bytes))
    }

    /// Lets go of what no asset and no step leads to. Nobody else may have the folder open.
    ///
    /// # Errors
    /// When the store fails.
    pub fn compact(&self) -> Result<Compacted, WorkshopError> {
        Ok(self.store.compact()?)
    }

    /// A workshop of which nothing stays.
    ///
    /// # Errors
    /// When there is no room for it.
    pub fn passing() -> Result<Self, WorkshopError> {
        Self::on(Store::passing()?, Decoder::default())
    }

    fn on(store: Store, decoder: Decoder) -> Result<Self, WorkshopError> {
        Ok(Self {
            store,
            decoder,
            jobs: Jobs::default(),
            crews: Crews::hire().map_err(|e| WorkshopError::Job(format!("no threads can be had: {e}")))?,
            measurer: Measurer::default(),
            counts: Counts::default(),
            planned: Mutex::default(),
            planning: Mutex::default(),
            tried: Mutex::default(),
            measures_behind: AtomicBool::new(true),
        })
    }

    /// Runs `work` on the threads that pages are written on, and waits for it.
    pub fn reading<T: Send>(&self, work: impl FnOnce() -> T + Send) -> T {
        self.crews.reading.install(work)
    }

    /// Runs `work` on the threads of the viewport, and waits for it.
    pub fn looking<T: Send>(&self, work: impl FnOnce() -> T + Send) -> T {
        self.crews.looking.install(work)
    }

    pub(crate) fn kept(&self) -> Kept<'_> {
        Kept { derived: self.decoder.derived(), store: &self.store, counts: &self.counts }
    }

    /// Whether the board is measured behind every step, as it is unless this is said; whoever runs
    /// many steps in a row may want it only at the end ([`Workshop::measure_now`]).
    pub fn measure_behind(&self, yes: bool) {
        self.measures_behind.store(yes, Ordering::Relaxed);
    }

    /// Measures behind a step, if that is wished.
    pub(super) fn follow_up(self: &Arc<Self>, fitting: i64) {
        if !self.measures_behind.load(Ordering::Relaxed) {
            return;
        }
        if let Err(error) = self.measure(fitting) {
            tracing::error!(%error, fitting, "the board is not measured");
        }
    }

    /// The jobs.
    pub fn jobs(&self) -> &Jobs {
        &self.jobs
    }

    /// The step that lets a piece take the weights of a kept binding.
    ///
    /// # Errors
    /// When it is not there or no kept binding.
    pub fn template_step(&self, asset: i64, piece: PieceId) -> Result<Step, WorkshopError> {
        let asset = self.asset(asset)?;
        if asset.role != tin_cloak_stations::shelf::templates::TEMPLATE {
            return Err(WorkshopError::Missing { what: "kept binding", id: asset.id });
        }
        let takes = Takes::Template(file_of(&asset));
        Ok(Step::Binding(BindingStep::TakeFrom { piece, takes, part: SourcePart::Whole }))
    }

    /// All fittings, the last changed first.
    ///
    /// # Errors
    /// When the store fails.
    pub fn fittings(&self) -> Result<Vec<Fitting>, WorkshopError> {
        Ok(self.store.fittings()?)
    }

    /// All fittings with what lists say of them, or why one cannot be read, the last changed first;
    /// none is decoded.
    ///
    /// # Errors
    /// When the store fails.
    pub fn listed(&self) -> Result<Vec<ListedFitting>, WorkshopError> {
        let summary = |listed: &Listed| -> Result<Summary, WorkshopError> {
            if !listed.summary.is_empty() {
                return Ok(serde_json::from_str(&listed.summary)?);
            }
            // Kept by an older build.
            Ok(Summary::new(&serde_json::from_slice(&self.store.blob(&listed.state)?)?, None))
        };
        Ok(self.store.listed()?.into_iter().map(|l| (l.fitting.clone(), summary(&l))).collect())
    }

    /// All bodies and pieces brought in.
    ///
    /// # Errors
    /// When the store fails.
    pub fn assets(&self) -> Result<Vec<Asset>, WorkshopError> {
        Ok(self.store.assets()?)
    }

    /// Brings a file in: each of its meshes becomes a body or a piece, or is left out, by a guess
    /// that [`Workshop::sort`] can change; a file with nothing but motions becomes one. Those of
    /// `companions` that it refers to are kept with it.
    ///
    /// # Errors
    /// When the file cannot be read; nothing is kept then.
    pub fn bring_in(
        &self,
        file_name: &str,
        bytes: &[u8],
        companions: &Companions,
    ) -> Result<Vec<Asset>, WorkshopError> {
        bring::bring_in(&self.store, file_name, bytes, companions)
    }

    /// Says what an asset is used as.
    ///
    /// # Errors
    /// When it is not there, or a mesh without a skin is to be a body.
    pub fn sort(&self, asset: i64, role: AssetRole) -> Result<(), WorkshopError> {
        bring::sort(&self.store, asset, role)
    }

    /// Says whether the groups of a file are one piece of many parts, or several pieces.
    ///
    /// # Errors
    /// When the asset is not there or has no groups.
    pub fn sort_groups(&self, asset: i64, several: bool) -> Result<(), WorkshopError> {
        bring::sort_groups(&self.store, asset, several)
    }

    /// Keeps the binding of a piece under a name.
    ///
    /// # Errors
    /// When the piece is not there or not bound, or the name is empty.
    pub fn keep_template(&self, fitting: i64, piece: PieceId, name: &str) -> Result<Asset, WorkshopError> {
        templates::keep(&self.store, &*self.room(fitting, None)?, piece, name)
    }

    /// The kept bindings, those that suit a piece best first.
    ///
    /// # Errors
    /// When the store fails.
    pub fn templates_for(&self, room: &Room, index: usize) -> Result<Vec<Suiting>, WorkshopError> {
        templates::suiting(&self.store, room, index)
    }

    /// Begins a fitting with the body of an asset.
    ///
    /// # Errors
    /// When the asset is not a skinned body.
    pub fn begin(&self, name: &str, asset: i64) -> Result<i64, WorkshopError> {
        let body = file_of(&self.asset(asset)?);
        let known = self.decoder.stored(&self.store, &body)?;
        self.begin_with(name, body, marked_parts(&known.meshes))
    }

    /// The same with the parts of the body named; the mesh of `body` is the first of them.
    pub(crate) fn begin_with(
        &self,
        name: &str,
        body: FileRef,
        parts: Vec<BodyPart>,
    ) -> Result<i64, WorkshopError> {
        let known = self.decoder.stored(&self.store, &body)?;
        let several = parts.len() > 1 || parts.iter().any(|p| p.shells.is_some());
        let parts = if several { parts } else { Vec::new() };
        let whole = self.decoder.body(&self.store, &body, &parts)?;
        let mark = known.meshes.iter().filter_map(|m| m.mark.as_ref()).find(|m| m.role == "body");
        let said = FileSettings::of_mark(mark, &whole.skeleton);
        let step = Step::Intake(IntakeStep::Begin {
            file: body.file.clone(),
            file_name: body.file_name.clone(),
            mesh: body.mesh.clone(),
        });
        let state = FittingState {
            body_parts: parts,
            ranges: said.ranges,
            poses: said.poses,
            plan: said.plan,
            ..FittingState::of_body(body.clone())
        };
        let sentence = format!("Begin with {}", body.mesh);
        let new = new_step(&step, sentence, &Draft::new(&state), None)?;
        Ok(self.store.create_fitting(name, &new)?)
    }

    /// Throws a fitting away.
    ///
    /// # Errors
    /// When it is not there.
    pub fn delete(&self, fitting: i64) -> Result<(), WorkshopError> {
        self.forget_tried(fitting);
        Ok(self.store.delete_fitting(fitting)?)
    }

    /// An asset by number.
    ///
    /// # Errors
    /// When it is not there.
    pub fn asset(&self, id: i64) -> Result<Asset, WorkshopError> {
        bring::asset_of(&self.store, id)
    }

    /// A fitting with history and state.
    ///
    /// # Errors
    /// When it is not there.
    pub fn fitting(&self, id: i64) -> Result<OpenFitting, WorkshopError> {
        let fitting = self.store.fitting(id)?;
        let steps = self.store.steps(id)?;
        let state = steps.iter().find(|s| s.seq == fitting.cursor).map(|s| s.state.clone());
        let state = state.ok_or(WorkshopError::Missing { what: "step", id: fitting.cursor })?;
        let room = self.decoder.open(&self.store, &state)?;
        Ok(OpenFitting { fitting, steps, room })
    }

    /// A fitting as it stands, as it was after a step, or as one that was tried would leave it (numbers below zero).
    ///
    /// # Errors
    /// When it is not there.
    pub fn room(&self, fitting: i64, seq: Option<i64>) -> Result<Arc<Room>, WorkshopError> {
        if let Some(place) = seq.and_then(tried_place) {
            return self.tried_room(fitting, place);
        }
        self.decoder.open(&self.store, &self.store.state_at(fitting, seq)?)
    }

    /// The step that puts an asset on as a piece.
    ///
    /// # Errors
    /// When it is not there.
    pub fn piece_step(&self, asset: i64, layer: u16, kind: PieceKind) -> Result<Step, WorkshopError> {
        let FileRef { file, file_name, mesh } = file_of(&self.asset(asset)?);
        Ok(Step::Intake(IntakeStep::AddPiece { file, file_name, mesh, layer, kind }))
    }

    /// The step that puts assets on as pieces (all of the shelf's that are not worn when the list is empty),
    /// with layers and kinds as their files say, else as their geometry suggests.
    ///
    /// # Errors
    /// When one is not there or cannot be read, or there is nothing to put on.
    pub fn put_on_step(&self, fitting: i64, assets: &[i64]) -> Result<Step, WorkshopError> {
        let room = self.room(fitting, None)?;
        let worn =
            |a: &Asset| room.state.pieces.iter().any(|p| p.source.file == a.file && p.source.mesh == a.mesh);
        let is_piece = |a: &Asset| a.role == AssetRole::Piece.word() && !worn(a);
        let chosen: Vec<Asset> = match assets {
            [] => self.assets()?.into_iter().filter(is_piece).collect(),
            some => some.iter().map(|&id| self.asset(id)).collect::<Result<_, _>>()?,
        };
        if chosen.is_empty() {
            return Err(WorkshopError::NothingToPutOn);
        }
        Ok(Step::Intake(IntakeStep::PutOn { pieces: suggested(&self.store, &self.decoder, &room, &chosen)? }))
    }

    /// The step that tries an asset's motions.
    ///
    /// # Errors
    /// When it is not there or no motion.
    pub fn motion_step(&self, asset: i64) -> Result<Step, WorkshopError> {
        let asset = self.asset(asset)?;
        if AssetFacts::new(&asset).vertices > 0 {
            return Err(WorkshopError::NotAMesh { name: asset.name });
        }
        Ok(Step::Trial(TrialStep::AddMotion {
            file: asset.file,
            file_name: asset.file_name,
            name: asset.mesh,
        }))
    }

    /// What the motions of a state have for joints.
    ///
    /// # Errors
    /// When a file cannot be read.
    pub fn motion_joints(&self, room: &Room) -> Result<Vec<MotionJoints>, WorkshopError> {
        let one = |motion: &MotionState| {
            let document = self.decoder.stored(&self.store, &motion.source)?;
            Ok(MotionJoints::new(&room.dress.body, motion, &document))
        };
        room.state.motions.iter().map(one).collect()
    }

    /// Takes the last step back.
    ///
    /// # Errors
    /// When there is none, or a job is running on the fitting.
    pub fn undo(self: &Arc<Self>, fitting: i64) -> Result<(), WorkshopError> {
        self.go_by(fitting, -1, WorkshopError::NothingToUndo)
    }

    /// Does the next undone step again.
    ///
    /// # Errors
    /// When there is none, or a job is running on the fitting.
    pub fn redo(self: &Arc<Self>, fitting: i64) -> Result<(), WorkshopError> {
        self.go_by(fitting, 1, WorkshopError::NothingToRedo)
    }

    /// A step back or on, however many ask for it at once.
    fn go_by(self: &Arc<Self>, fitting: i64, by: i64, none: WorkshopError) -> Result<(), WorkshopError> {
        if self.jobs.running(fitting).is_some() {
            return Err(WorkshopError::Busy);
        }
        self.store.step_cursor(fitting, by)?.ok_or(none)?;
        self.follow_up(fitting);
        Ok(())
    }

    /// Goes to any recorded step.
    ///
    /// # Errors
    /// When there is no such step, or a job is running on the fitting.
    pub fn go_to(self: &Arc<Self>, fitting: i64, seq: i64) -> Result<(), WorkshopError> {
        if self.jobs.running(fitting).is_some() {
            return Err(WorkshopError::Busy);
        }
        self.store.move_cursor(fitting, seq)?;
        self.follow_up(fitting);
        Ok(())
    }

    /// Runs a step as a job.
    ///
    /// # Errors
    /// When the fitting has a job running already.
    pub fn start(self: &Arc<Self>, fitting: i64, step: Step) -> Result<JobId, WorkshopError> {
        self.start_at(fitting, step, Place::Behind)
    }

    /// Runs a step as a job in the place of the last one, which is `seq`: the same change, adjusted.
    ///
    /// # Errors
    /// When `seq` is not the last step, or the fitting has a job running already.
    pub fn start_instead(
        self: &Arc<Self>,
        fitting: i64,
        step: Step,
        seq: i64,
    ) -> Result<JobId, WorkshopError> {
        self.start_at(fitting, step, Place::InsteadOf(seq))
    }

    fn start_at(self: &Arc<Self>, fitting: i64, step: Step, place: Place) -> Result<JobId, WorkshopError> {
        place.base(self.store.fitting(fitting)?.cursor)?;
        self.stop_measuring(fitting);
        let title = step.title().to_owned();
        let workshop = Arc::clone(self);
        let run =
            move |job: &Job| workshop.crews.working.install(|| workshop.run_at(fitting, &step, place, job));
        let again = Arc::clone(self);
        let work = move |job: &Job| match run(job) {
            Ok(sentence) => {
                again.follow_up(fitting);
                JobState::Done(sentence)
            }
            Err(WorkshopError::Stopped) => JobState::Stopped,
            Err(error) => JobState::Failed(error.to_string()),
        };
        self.jobs.start(fitting, title, work).ok_or(WorkshopError::Busy)
    }

    /// Runs a step and waits for it.
    ///
    /// # Errors
    /// When it cannot be done.
    pub fn run_now(self: &Arc<Self>, fitting: i64, step: Step) -> Result<String, WorkshopError> {
        let id = self.start(fitting, step)?;
        match self.jobs.get(id).map(|j| j.wait()) {
            Some(JobState::Done(sentence)) => Ok(sentence),
            Some(JobState::Failed(why)) => Err(WorkshopError::Job(why)),
            _ => Err(WorkshopError::Stopped),
        }
    }

    /// Runs a step here and now; it is refused with its own error.
    pub(crate) fn run_at_once(&self, fitting: i64, step: &Step) -> Result<String, WorkshopError> {
        self.run_in(fitting, step, &Job::alone(fitting))
    }

    /// The same, telling a job.
    pub(crate) fn run_in(&self, fitting: i64, step: &Step, job: &Job) -> Result<String, WorkshopError> {
        self.crews.working.install(|| self.run(fitting, step, job))
    }

    pub(super) fn run(&self, fitting: i64, step: &Step, job: &Job) -> Result<String, WorkshopError> {
        self.run_at(fitting, step, Place::Behind, job)
    }

    /// The one place where a step is run and recorded; its board is measured behind it.
    fn run_at(&self, fitting: i64, step: &Step, place: Place, job: &Job) -> Result<String, WorkshopError> {
        let cursor = self.store.fitting(fitting)?.cursor;
        let room = self.room(fitting, Some(place.base(cursor)?))?;
        let (sentence, mut draft, after) = match step {
            Step::Intake(IntakeStep::CureAll) => {
                let mut draft = Draft::new(&room.state);
                let (sentence, after) = self.cure_all(&room, &mut draft, job)?;
                (sentence, draft, after)
            }
            step => {
                let made = self.made_by(&room, &Draft::new(&room.state), step, job)?;
                let after = self.build_draft(&made.draft)?;
                (made.sentence.clone(), made.draft.clone(), after)
            }
        };
        if !job.tell(1.0) {
            return Err(WorkshopError::Stopped);
        }
        draft.notes.extend(outdated_by(&room, &after));
        // Known already when nothing that shows on it has changed.
        let board = known_board(&after, self.kept());
        let new = new_step(step, sentence.clone(), &draft, board.as_deref())?;
        let state = BlobId::hashed(new.state.as_bytes());
        self.decoder.keep(&state, after);
        match place {
            Place::Behind => self.store.add_step(fitting, cursor, &new)?,
            Place::InsteadOf(seq) => self.store.replace_step(fitting, seq, &new)?,
        };
        Ok(sentence)
    }

    /// Takes one cure after the other that loses nothing, each found in what those before have made; what
    /// fails is noted and left.
    fn cure_all(&self, room: &Room, draft: &mut Draft, job: &Job) -> Result<(String, Room), WorkshopError> {
        let (store, decoder) = (&self.store, &self.decoder);
        let (mut tried, mut done): (Vec<Step>, Vec<String>) = (Vec::new(), Vec::new());
        let mut made: Option<Room> = None;
        loop {
            let room = made.as_ref().unwrap_or(room);
            let open = harmless_cures(room);
            let left = open.iter().filter(|step| !tried.contains(step)).count();
            let share = tried.len() as f32 / (tried.len() + left + 1) as f32;
            let Some(step) = open.into_iter().find(|step| !tried.contains(step)) else { break };
            if !job.tell(share) {
                return Err(WorkshopError::Stopped);
            }
            let mut next = draft.clone();
            match (Doing { store, decoder, room, draft: &mut next, job }.apply(&step)) {
                Ok(sentence) => {
                    made = Some(self.build_draft(&next)?);
                    *draft = next;
                    done.push(sentence);
                }
                Err(WorkshopError::Stopped) => return Err(WorkshopError::Stopped),
                Err(why) => draft.notes.push(format!("left: {why}")),
            }
            tried.push(step);
        }
        let after = made.ok_or(WorkshopError::NoCures)?;
        let cures = counted(done.len(), "thing that was", "things that were");
        let sentence = format!("Cure {cures} found: {}", done.join("; "));
        Ok((sentence, after))
    }

    /// Decodes a state whose new blobs are not stored yet.
    pub(super) fn build_draft(&self, draft: &Draft) -> Result<Room, WorkshopError> {
        self.decoder.build(&self.store, draft.state.clone(), &|id| draft.blob(&self.store, id))
    }

    /// A fitting as it stands, drawn small; `colour` gives that of a part (0 is the body), sRGB.
    ///
    /// # Errors
    /// When the fitting is not there.
    pub fn picture(
        &self,
        fitting: i64,
        colour: impl Fn(&Room, usize) -> [u8; 3],
    ) -> Result<Vec<u8>, WorkshopError> {
        let state = self.store.state_at(fitting, None)?;
        let key = Key::hashed("picture", &state).bytes();
        if let Some(kept) = self.store.kept(&[key])?.pop().flatten() {
            return Ok(kept);
        }
        let room = self.decoder.open(&self.store, &state)?;
        let view = picture::View { turn: 0.45, ..picture::View::FRONT };
        let png = picture::of_room(&room, |part| colour(&room, part), view, 300, 320)?;
        self.store.keep(&[(key, png.clone())])?;
        Ok(png)
    }

    /// A room at rest, turned by so many degrees from the front; `colour` gives that of a part (0 is the body), sRGB.
    ///
    /// # Errors
    /// When the room has no rest pose.
    pub fn view_of(
        &self,
        room: &Room,
        degrees: f32,
        colour: impl Fn(usize) -> [u8; 3],
    ) -> Result<Vec<u8>, WorkshopError> {
        let view = picture::View { turn: degrees.to_radians(), ..picture::View::FRONT };
        picture::of_room(room, colour, view, 420, 560)
    }

    /// What is kept of a fitting itself.
    ///
    /// # Errors
    /// When it is not there.
    pub fn stored(&self, id: i64) -> Result<Fitting, WorkshopError> {
        Ok(self.store.fitting(id)?)
    }

    /// All that is kept of a fitting, as text: its steps, and the state after each.
    ///
    /// # Errors
    /// When it is not there.
    pub fn kept_text(&self, fitting: i64) -> Result<String, WorkshopError> {
        let of = self.store.fitting(fitting)?;
        let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).into_owned();
        let mut steps = Vec::new();
        for step in self.store.steps(fitting)? {
            let state = self.store.blob(&step.state).map(text).unwrap_or_default();
            steps.push(serde_json::json!({
                "number": step.seq, "sentence": step.sentence, "step": step.step, "state": state
            }));
        }
        let all = serde_json::json!({ "name": of.name, "stands_at": of.cursor, "steps": steps });
        Ok(serde_json::to_string_pretty(&all)?)
    }

    /// The dressed body as one GLB; `whole` with all of the body, whatever is hidden of it.
    ///
    /// # Errors
    /// When the fitting is not there or does not fit the format.
    pub fn export(&self, fitting: i64, whole: bool) -> Result<(String, Vec<u8>), WorkshopError> {
        let open = self.fitting(fitting)?;
        let dress = if whole { open.room.dress.whole() } else { open.room.dress.clone() };
        Ok((open.fitting.name.clone(), export_glb(&dress)?))
    }
}

/// What a step has made something older than: it stays, and is told.
fn outdated_by(before: &Room, after: &Room) -> Vec<String> {
    let known = before.outdated();
    after.outdated().into_iter().filter(|told| !known.contains(told)).collect()
}

fn file_of(asset: &Asset) -> FileRef {
    FileRef { file: asset.file.clone(), file_name: asset.file_name.clone(), mesh: asset.mesh.clone() }
}

fn new_step(
    step: &Step,
    sentence: String,
    draft: &Draft,
    board: Option<&Board>,
) -> Result<NewStep, WorkshopError> {
    let state = &draft.state;
    let kept = serde_json::to_string(state)?;
    // A number that is not finite would be written as nothing, and never be read again.
    if serde_json::from_str::<FittingState>(&kept).ok().as_ref() != Some(state) {
        return Err(WorkshopError::NotFinite);
    }
    let deepest = board.map(Board::deepest_mm);
    let notes = draft.notes.clone();
    let effect = Effect { deepest_before_mm: deepest, deepest_after_mm: deepest, notes, ..Effect::default() };
    Ok(NewStep {
        blobs: draft.named_in(&kept),
        step: serde_json::to_string(step)?,
        sentence,
        effect: serde_json::to_string(&effect)?,
        state: kept,
        summary: serde_json::to_string(&Summary::new(state, board))?,
    })
}
