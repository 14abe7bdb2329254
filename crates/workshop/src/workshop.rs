//! The workshop: fittings in a store, steps run, measured and recorded.

use crate::apply::{title, Doing, Draft, Phase};
use crate::assets::{found_in, AssetFacts, AssetRole};
use crate::bundle;
use crate::jobs::{Job, JobId, JobState, Jobs};
use crate::motions::{MotionJoints, MotionState};
use crate::rooms::{read_stored, Room, Rooms};
use crate::steps::{Effect, FileRef, FittingState, PieceId, PieceState, Step};
use crate::{
    export_glb, measure_board, read, Board, Companions, PieceKind, SourcePart, Takes, TrialSet, WorkshopError,
};
use std::path::Path;
use std::sync::Arc;
use tin_cloak_store::{Asset, BlobId, Fitting, NewStep, StepRow, Store};

/// Everything that can be done, by whoever asks: page, command line or test.
pub struct Workshop {
    store: Store,
    rooms: Rooms,
    jobs: Jobs,
}

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

impl Workshop {
    /// Opens the store in `folder`.
    ///
    /// # Errors
    /// When it cannot be used.
    pub fn open(folder: &Path) -> Result<Self, WorkshopError> {
        Ok(Self { store: Store::open(folder)?, rooms: Rooms::default(), jobs: Jobs::default() })
    }

    /// The jobs.
    pub fn jobs(&self) -> &Jobs {
        &self.jobs
    }

    pub(crate) fn store(&self) -> &Store {
        &self.store
    }

    /// The step that lets a piece take the weights of a kept binding.
    ///
    /// # Errors
    /// When it is not there or no kept binding.
    pub fn template_step(&self, asset: i64, piece: PieceId) -> Result<Step, WorkshopError> {
        let asset = self.asset(asset)?;
        if asset.role != crate::TEMPLATE {
            return Err(WorkshopError::Missing { what: "kept binding", id: asset.id });
        }
        let takes = Takes::Template(file_of(&asset));
        Ok(Step::TakeFrom { piece, takes, part: SourcePart::Whole })
    }

    /// All fittings, the last changed first.
    ///
    /// # Errors
    /// When the store fails.
    pub fn fittings(&self) -> Result<Vec<Fitting>, WorkshopError> {
        Ok(self.store.fittings()?)
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
        let fail = |source| WorkshopError::Read { file: file_name.to_owned(), source };
        let companions = tin_cloak_formats::wanted(bytes, companions);
        let document = read(file_name, bytes, &companions).map_err(fail)?;
        if document.meshes.is_empty() && document.clips.is_empty() {
            return Err(fail(tin_cloak_formats::ReadError::NoMesh));
        }
        let stem = file_name.rsplit_once('.').map_or(file_name, |(stem, _)| stem);
        let found = found_in(stem, &document)?;
        Ok(self.store.add_assets(file_name, &bundle::pack(file_name, bytes, &companions)?, &found)?)
    }

    /// Says what an asset is used as.
    ///
    /// # Errors
    /// When it is not there, or a mesh without a skin is to be a body.
    pub fn sort(&self, asset: i64, role: AssetRole) -> Result<(), WorkshopError> {
        let asset = self.asset(asset)?;
        let facts = AssetFacts { why: String::new(), ..AssetFacts::of(&asset) };
        let is_motion = facts.vertices == 0;
        if is_motion != (role == AssetRole::Motion) && role != AssetRole::LeftOut {
            return Err(WorkshopError::NotAMesh { name: asset.name });
        }
        if role == AssetRole::Body && facts.joints.is_none() {
            return Err(WorkshopError::BodyWithoutSkin { file: asset.name });
        }
        let summary = serde_json::to_string(&facts)?;
        Ok(self.store.sort_assets(&[(asset.id, role.word().to_owned(), summary)])?)
    }

    /// Says whether the groups of a file are one piece of many parts, or several pieces.
    ///
    /// # Errors
    /// When the asset is not there or has no groups.
    pub fn sort_groups(&self, asset: i64, several: bool) -> Result<(), WorkshopError> {
        let whole = self.asset(asset)?;
        let facts = AssetFacts { groups_to_sort: 0, ..AssetFacts::of(&whole) };
        let role =
            |piece: bool| (if piece { AssetRole::Piece } else { AssetRole::LeftOut }).word().to_owned();
        let mut sorted = vec![(whole.id, role(!several), serde_json::to_string(&facts)?)];
        for group in self.store.assets()? {
            let own = AssetFacts::of(&group);
            if group.file == whole.file && own.group_of.as_ref() == Some(&whole.name) {
                sorted.push((group.id, role(several), serde_json::to_string(&own)?));
            }
        }
        Ok(self.store.sort_assets(&sorted)?)
    }

    /// Begins a fitting with the body of an asset.
    ///
    /// # Errors
    /// When the asset is not a skinned body.
    pub fn begin(&self, name: &str, asset: i64) -> Result<i64, WorkshopError> {
        let asset = self.asset(asset)?;
        let body = file_of(&asset);
        self.rooms.body(&self.store, &body)?;
        let step = Step::Begin {
            file: body.file.clone(),
            file_name: body.file_name.clone(),
            mesh: body.mesh.clone(),
        };
        let state = FittingState::of_body(body);
        let sentence = format!("Begin with {}", asset.name);
        let new = new_step(&step, sentence, &Effect::default(), &state, Vec::new())?;
        Ok(self.store.create_fitting(name, &new)?)
    }

    /// Throws a fitting away.
    ///
    /// # Errors
    /// When it is not there.
    pub fn delete(&self, fitting: i64) -> Result<(), WorkshopError> {
        Ok(self.store.delete_fitting(fitting)?)
    }

    /// An asset by number.
    ///
    /// # Errors
    /// When it is not there.
    pub fn asset(&self, id: i64) -> Result<Asset, WorkshopError> {
        let found = self.store.assets()?.into_iter().find(|a| a.id == id);
        found.ok_or(WorkshopError::Missing { what: "body or piece", id })
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
        let room = self.rooms.open(&self.store, &state)?;
        Ok(OpenFitting { fitting, steps, room })
    }

    /// The state after another step, to compare with.
    ///
    /// # Errors
    /// When it is not there.
    pub fn room_at(&self, open: &OpenFitting, seq: i64) -> Result<Arc<Room>, WorkshopError> {
        let row = open.steps.iter().find(|s| s.seq == seq);
        let row = row.ok_or(WorkshopError::Missing { what: "step", id: seq })?;
        self.rooms.open(&self.store, &row.state)
    }

    /// The step that puts an asset on as a piece.
    ///
    /// # Errors
    /// When it is not there.
    pub fn piece_step(&self, asset: i64, layer: u16, kind: PieceKind) -> Result<Step, WorkshopError> {
        let FileRef { file, file_name, mesh } = file_of(&self.asset(asset)?);
        Ok(Step::AddPiece { file, file_name, mesh, layer, kind })
    }

    /// The step that tries an asset's motions.
    ///
    /// # Errors
    /// When it is not there or no motion.
    pub fn motion_step(&self, asset: i64) -> Result<Step, WorkshopError> {
        let asset = self.asset(asset)?;
        if AssetFacts::of(&asset).vertices > 0 {
            return Err(WorkshopError::NotAMesh { name: asset.name });
        }
        Ok(Step::AddMotion { file: asset.file, file_name: asset.file_name, name: asset.mesh })
    }

    /// What the motions of a state have for joints.
    ///
    /// # Errors
    /// When a file cannot be read.
    pub fn motion_joints(&self, room: &Room) -> Result<Vec<MotionJoints>, WorkshopError> {
        let one = |motion: &MotionState| {
            let document = read_stored(&self.store, &motion.source)?;
            Ok(MotionJoints::of(&room.dress.body, motion, &document))
        };
        room.state.motions.iter().map(one).collect()
    }

    /// Takes the last step back.
    ///
    /// # Errors
    /// When there is none, or a job is running on the fitting.
    pub fn undo(&self, fitting: i64) -> Result<(), WorkshopError> {
        let open = self.fitting(fitting)?;
        if !open.can_undo() {
            return Err(WorkshopError::NothingToUndo);
        }
        self.go_to(fitting, open.fitting.cursor - 1)
    }

    /// Does the next undone step again.
    ///
    /// # Errors
    /// When there is none, or a job is running on the fitting.
    pub fn redo(&self, fitting: i64) -> Result<(), WorkshopError> {
        let open = self.fitting(fitting)?;
        if !open.can_redo() {
            return Err(WorkshopError::NothingToRedo);
        }
        self.go_to(fitting, open.fitting.cursor + 1)
    }

    /// Goes to any recorded step.
    ///
    /// # Errors
    /// When there is no such step, or a job is running on the fitting.
    pub fn go_to(&self, fitting: i64, seq: i64) -> Result<(), WorkshopError> {
        self.end_measuring(fitting);
        if self.jobs.running(fitting).is_some() {
            return Err(WorkshopError::Busy);
        }
        Ok(self.store.move_cursor(fitting, seq)?)
    }

    /// Runs a step as a job.
    ///
    /// # Errors
    /// When the fitting has a job running already.
    pub fn start(self: &Arc<Self>, fitting: i64, step: Step) -> Result<JobId, WorkshopError> {
        self.store.fitting(fitting)?;
        self.end_measuring(fitting);
        let title = title(&step).to_owned();
        let workshop = Arc::clone(self);
        let work = move |job: &Job| match workshop.run(fitting, &step, job) {
            Ok(sentence) => JobState::Done(sentence),
            Err(WorkshopError::Stopped) => JobState::Stopped,
            Err(error) => JobState::Failed(error.to_string()),
        };
        self.jobs.start(fitting, title, work).ok_or(WorkshopError::Busy)
    }

    /// Measures the board of a fitting whose last steps were too light to wait for it, as a job:
    /// the step it stands at is amended. None when there is nothing to measure.
    ///
    /// # Errors
    /// When the fitting is not there.
    pub fn measure(self: &Arc<Self>, fitting: i64) -> Result<Option<JobId>, WorkshopError> {
        if !self.fitting(fitting)?.room.state.board_is_old {
            return Ok(None);
        }
        let workshop = Arc::clone(self);
        let work = move |job: &Job| match workshop.run_measure(fitting, job) {
            Ok(()) => JobState::Done("The board is measured".to_owned()),
            Err(WorkshopError::Stopped) => JobState::Stopped,
            Err(error) => JobState::Failed(error.to_string()),
        };
        Ok(self.jobs.start(fitting, MEASURING.to_owned(), work))
    }

    fn run_measure(&self, fitting: i64, job: &Job) -> Result<(), WorkshopError> {
        let open = self.fitting(fitting)?;
        let before = &open.room;
        let mut draft = Draft::of(&before.state);
        let room = self.with_new_board(self.build_draft(&draft)?, &mut draft, job)?;
        let effect = Effect { notes: open.effect().notes, ..effect(before, &room, Vec::new()) };
        let state = serde_json::to_string(&draft.state)?;
        let texts = (serde_json::to_string(&effect)?, state.as_str());
        self.store.amend_step(fitting, open.fitting.cursor, (&texts.0, texts.1), &draft.blobs)?;
        self.rooms.keep(BlobId::of(state.as_bytes()), &Arc::new(room));
        Ok(())
    }

    /// Measuring gives way to whatever is done next.
    fn end_measuring(&self, fitting: i64) {
        let Some((_, job)) = self.jobs.running(fitting).filter(|(_, j)| j.title == MEASURING) else { return };
        job.stop();
        let patience = std::time::Instant::now() + std::time::Duration::from_secs(5);
        while job.state() == JobState::Running && std::time::Instant::now() < patience {
            std::thread::sleep(std::time::Duration::from_millis(2));
        }
    }

    /// Runs a step and waits for it.
    ///
    /// # Errors
    /// When it cannot be done.
    pub fn run_now(self: &Arc<Self>, fitting: i64, step: Step) -> Result<String, WorkshopError> {
        let id = self.start(fitting, step)?;
        loop {
            match self.jobs.get(id).map(|j| j.state()) {
                Some(JobState::Running) => std::thread::sleep(std::time::Duration::from_millis(5)),
                Some(JobState::Done(sentence)) => return Ok(sentence),
                Some(JobState::Failed(why)) => return Err(WorkshopError::Job(why)),
                _ => return Err(WorkshopError::Stopped),
            }
        }
    }

    /// The one place where a step is run, measured and recorded.
    fn run(&self, fitting: i64, step: &Step, job: &Job) -> Result<String, WorkshopError> {
        let open = self.fitting(fitting)?;
        let before = &open.room;
        let mut draft = Draft::of(&before.state);
        let (store, rooms, room) = (&self.store, &self.rooms, before.as_ref());
        let sentence = Doing { store, rooms, room, draft: &mut draft, job }.apply(step)?;
        let room = Arc::new(self.measured(step, &mut draft, before, job)?.inherit(before));
        if !job.tell(1.0) {
            return Err(WorkshopError::Stopped);
        }
        let effect = effect(before, &room, draft.notes);
        let new = new_step(step, sentence.clone(), &effect, &draft.state, draft.blobs)?;
        self.store.add_step(fitting, open.fitting.cursor, &new)?;
        self.rooms.keep(BlobId::of(new.state.as_bytes()), &room);
        Ok(sentence)
    }

    /// The room of the draft, its board measured when anything that shows on it has changed.
    fn measured(
        &self,
        step: &Step,
        draft: &mut Draft,
        before: &Room,
        job: &Job,
    ) -> Result<Room, WorkshopError> {
        let shown = |s: &FittingState| -> Vec<PieceState> {
            s.pieces.iter().filter(|p| p.bound.is_some()).cloned().collect()
        };
        let any = !shown(&draft.state).is_empty();
        if !any {
            (draft.state.board, draft.state.board_is_old) = (None, false);
        }
        let room = self.build_draft(draft)?;
        if !any {
            return Ok(room);
        }
        let changed = shown(&draft.state) != shown(&before.state)
            || draft.state.body_skin != before.state.body_skin
            || draft.state.body_size != before.state.body_size
            || !same_poses(&room.trials, &before.trials);
        let was_old = before.state.board_is_old;
        if before.board.is_some() && (!(changed || was_old) || step.is_light()) {
            draft.state.board_is_old = was_old || changed;
            let mut room = room.with_board(before.board.clone());
            room.state.board_is_old = draft.state.board_is_old;
            return Ok(room);
        }
        self.with_new_board(room, draft, job)
    }

    fn with_new_board(&self, room: Room, draft: &mut Draft, job: &Job) -> Result<Room, WorkshopError> {
        let phase = Phase { job, from: job.share(), to: 0.99 };
        let board = measure_board(&room.dress, &room.trials, draft.state.tolerance_mm, &|s| phase.tell(s))?;
        draft.state.board = Some(draft.keep(serde_json::to_vec(&board)?));
        draft.state.board_is_old = false;
        let mut room = room.with_board(Some(board));
        room.state.clone_from(&draft.state);
        Ok(room)
    }

    /// Decodes a state whose new blobs are not stored yet.
    fn build_draft(&self, draft: &Draft) -> Result<Room, WorkshopError> {
        self.rooms.build(&self.store, draft.state.clone(), &|id| draft.blob(&self.store, id))
    }

    /// The dressed body as one GLB.
    ///
    /// # Errors
    /// When the fitting is not there or does not fit the format.
    pub fn export(&self, fitting: i64) -> Result<(String, Vec<u8>), WorkshopError> {
        let open = self.fitting(fitting)?;
        Ok((open.fitting.name.clone(), export_glb(&open.room.dress)?))
    }
}

/// True when a board measured in the one set of poses holds for the other.
fn same_poses(a: &Arc<TrialSet>, b: &Arc<TrialSet>) -> bool {
    Arc::ptr_eq(a, b) || a.trials == b.trials
}

/// The title of the job that measures a board after light steps.
const MEASURING: &str = "Measuring";

fn file_of(asset: &Asset) -> FileRef {
    FileRef { file: asset.file.clone(), file_name: asset.file_name.clone(), mesh: asset.mesh.clone() }
}

fn effect(before: &Room, after: &Room, notes: Vec<String>) -> Effect {
    let deepest = |b: &Option<Board>| b.as_ref().map(Board::deepest_mm);
    let (better, worse) = match (&before.board, &after.board) {
        (Some(old), Some(new)) => new.better_and_worse(old),
        _ => (0, 0),
    };
    Effect {
        deepest_before_mm: deepest(&before.board),
        deepest_after_mm: deepest(&after.board),
        better,
        worse,
        notes,
    }
}

fn new_step(
    step: &Step,
    sentence: String,
    effect: &Effect,
    state: &FittingState,
    blobs: Vec<Vec<u8>>,
) -> Result<NewStep, WorkshopError> {
    Ok(NewStep {
        step: serde_json::to_string(step)?,
        sentence,
        effect: serde_json::to_string(effect)?,
        state: serde_json::to_string(state)?,
        blobs,
    })
}
