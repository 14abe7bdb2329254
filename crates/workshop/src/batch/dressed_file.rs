//! A dressed body from a file: a fitting in a workshop of its own that passes with it, so that whatever is
//! asked of a file is answered as the page would answer it.

use crate::batch::named_file::NamedFile;
use crate::batch::wear::Wearing;
use crate::history::jobs::JobId;
use crate::history::plan::Plan;
use crate::history::workshop::Workshop;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tin_cloak_core::mend::PoseCache;
use tin_cloak_formats::{Companions, Document, MeshPart};
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::cells::{board_of, every_row};
use tin_cloak_measure::measuring::missing::measure_all;
use tin_cloak_measure::measuring::report::{Report, SkippedEntry};
use tin_cloak_model::dress::body::body_parts;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_indices;
use tin_cloak_model::state::choice::Patch;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::mask::Mask;
use tin_cloak_model::state::names::{FileRef, PieceId, BODY};
use tin_cloak_model::state::push::{Against, MendOptions};
use tin_cloak_model::state::step::{IntakeStep, MendingStep, PutOn, Step, TrialStep};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::trial_plan::{Frames, PairTolerance, TrialPlan, Tries};
use tin_cloak_stations::handover::export::export_glb;
use tin_cloak_stations::making::job::JobState;
use tin_cloak_stations::mending::means::MeansKind;
use tin_cloak_store::BlobId;

/// Which poses are tried.
#[derive(Clone, Debug)]
pub enum TrialWish {
    /// The built-in poses, and those set by hand that the file carries.
    Range,
    /// The clips of the dressed file.
    Clips,
    /// The motions of another file.
    Motion(NamedFile),
    /// What the file says: all of that, and what its trial plan adds.
    AsTheFileSays,
    /// All of that, and what a trial set adds.
    Set(TrialPlan),
}

/// What is said of the trials besides; what is not said is as the file has it.
#[derive(Clone, Debug, Default)]
pub struct TrialSays {
    /// How many frames of each clip.
    pub frames: Option<Frames>,
    /// What is let pass everywhere, millimetres.
    pub tolerance_mm: Option<f32>,
    /// Tolerances of pairs.
    pub tolerances: Vec<PairTolerance>,
    /// True to tell of every two layers, of those too that nothing ever brings together.
    pub every_pair: bool,
}

/// What alone a dressed file is mended against; all that is out of tolerance where nothing is said.
#[derive(Clone, Debug, Default)]
pub struct OnlyAgainst {
    /// Two layers, by name: the outer one, the inner one.
    pub pair: Option<(String, String)>,
    /// A pose, as the report names it.
    pub pose: Option<String>,
    /// What of a piece may move: a patch that its file keeps, as `hem` or `coat:hem`.
    pub patch: Option<String>,
}

/// Told the share done; answers whether to go on.
pub type Tell<'a> = &'a (dyn Fn(f32) -> bool + Sync);

/// How often the share done is told of.
const TELL_AGAIN: Duration = Duration::from_millis(100);

/// Layers go up to this one.
const LAST_LAYER: usize = 99;

/// A dressed body and the poses it is tried in.
pub struct DressedFile {
    shop: Arc<Workshop>,
    fitting: i64,
    room: Arc<Room>,
    /// What the file says of its trials; it goes out with that. None once a plan of mending was done, which may set
    /// something aside.
    own_plan: Option<TrialPlan>,
    every_pair: bool,
    started: Instant,
}

impl DressedFile {
    /// Body and skinned pieces of a file; unmarked pieces get layers in the file's order.
    ///
    /// # Errors
    /// When a file cannot be read, no body is told, nothing is worn, or there is no such motion.
    pub fn open(
        file: &NamedFile,
        body_mesh: Option<&str>,
        wish: &TrialWish,
        says: &TrialSays,
    ) -> Result<Self, WorkshopError> {
        let started = Instant::now();
        let shop = Arc::new(Workshop::passing()?);
        shop.measure_behind(false);
        let (fitting, document) = shop.begin_file(file, body_mesh)?;
        let room = shop.room(fitting, None)?;
        let (own_plan, every_pair) = (Some(room.state.plan.clone()), says.every_pair);
        let mut dressed = Self { shop, fitting, room, own_plan, every_pair, started };
        let pieces = dressed.pieces_of(file, &document)?;
        if pieces.is_empty() {
            return Err(WorkshopError::NothingWorn { file: file.name.clone() });
        }
        dressed.run(Step::Intake(IntakeStep::PutOn { pieces }))?;
        dressed.try_in(&file.name, wish, says)?;
        Ok(dressed)
    }

    /// The skinned meshes that are no part of the body, as its file has them.
    fn pieces_of(&self, file: &NamedFile, document: &Document) -> Result<Vec<PutOn>, WorkshopError> {
        let of_body = self.room.dress.body.parts();
        let is_worn = |m: &&MeshPart| m.skin.is_some() && of_body.iter().all(|p| p.mesh != m.name);
        let put_on = |(position, part): (usize, &MeshPart)| {
            let mark = part.mark.as_ref();
            let layer = mark.and_then(|m| m.layer).unwrap_or(position.min(LAST_LAYER) as u16);
            let kind = mark.and_then(|m| m.kind).unwrap_or_default();
            let blob = self.room.state.body.file.clone();
            PutOn { file: blob, file_name: file.name.clone(), mesh: part.name.clone(), layer, kind }
        };
        Ok((1..).zip(document.meshes.iter().filter(is_worn)).map(put_on).collect())
    }

    /// Settles what it is tried in.
    fn try_in(&mut self, file: &str, wish: &TrialWish, says: &TrialSays) -> Result<(), WorkshopError> {
        let body = Arc::clone(&self.room.dress.body);
        let only = |tries: &[Tries]| Tries::ALL.into_iter().filter(|t| !tries.contains(t)).collect();
        let mut plan = self.room.state.plan.clone();
        match wish {
            TrialWish::Range => plan.left_out = only(&[Tries::BuiltIn, Tries::Planned, Tries::ByHand]),
            TrialWish::Clips => {
                if let Some(clip) = body.unsound_clips.first() {
                    let (file, clip, why) = (file.to_owned(), clip.name.clone(), clip.why.clone());
                    return Err(WorkshopError::UnsoundClip { file, clip, why });
                }
                if body.clips.is_empty() {
                    return Err(WorkshopError::NoClips { file: file.to_owned() });
                }
                plan.left_out = only(&[Tries::Clips]);
            }
            TrialWish::Motion(motion) => {
                let found = self.shop.bring_in_motion(motion)?;
                self.run(found)?;
                plan.left_out = only(&[Tries::Motions]);
            }
            TrialWish::AsTheFileSays => {}
            TrialWish::Set(set) => plan = set.clone(),
        }
        plan.frames = says.frames.unwrap_or(plan.frames);
        for t in &says.tolerances {
            plan = plan.with_tolerance(&t.outer, &t.inner, Some(t.tolerance_mm));
        }
        if let Some(tolerance_mm) = says.tolerance_mm.filter(|mm| *mm != self.room.state.tolerance_mm) {
            self.run(Step::Trial(TrialStep::SetTolerance { tolerance_mm }))?;
        }
        match plan == self.room.state.plan {
            true => Ok(()),
            false => self.run(Step::Trial(TrialStep::Try { plan, said: "Trials: as asked for".to_owned() })),
        }
    }

    fn run(&mut self, step: Step) -> Result<(), WorkshopError> {
        self.shop.run_at_once(self.fitting, &step)?;
        self.room = self.shop.room(self.fitting, None)?;
        Ok(())
    }

    /// The same with faces left out of what is measured: those of the body, and of each piece by its mesh.
    ///
    /// # Errors
    /// When the store fails.
    pub(crate) fn leaving_out(
        mut self,
        of_body: &[u32],
        of_piece: impl Fn(&str) -> Vec<u32>,
    ) -> Result<Self, WorkshopError> {
        let mut state = self.room.state.clone();
        let pieces: Vec<_> = state.pieces.iter().map(|p| (p.id, of_piece(&p.source.mesh))).collect();
        let mut blobs: Vec<(BlobId, Vec<u8>)> = Vec::new();
        let all = std::iter::once((BODY, of_body.to_vec())).chain(pieces);
        for (of, list) in all.filter(|(_, list)| !list.is_empty()) {
            let packed = pack_indices(&list);
            let faces = BlobId::hashed(&packed);
            blobs.push((faces.clone(), packed));
            let (by, count, found_on) = (Vec::new(), list.len(), String::new());
            state.masks.push(Mask { of, by, faces, count, found_on });
        }
        let blob = |id: &BlobId| match blobs.iter().find(|b| b.0 == *id) {
            Some((_, bytes)) => Ok(bytes.clone()),
            None => Ok(self.shop.store.blob(id)?),
        };
        self.room = Arc::new(self.shop.decoder.build(&self.shop.store, state, &blob)?);
        Ok(self)
    }

    /// Body and pieces.
    pub fn dress(&self) -> &Dress {
        &self.room.dress
    }

    /// The poses it is tried in.
    pub fn trials(&self) -> &TrialSet {
        &self.room.trials
    }

    /// The workshop it is in, and its number there.
    pub fn fitting(&self) -> (&Arc<Workshop>, i64) {
        (&self.shop, self.fitting)
    }

    /// Its board, with every pair where that was asked for.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn board(&self, tell: Tell) -> Result<Board, WorkshopError> {
        let begun = Instant::now();
        let measure = || measure_all(&self.room, self.shop.kept(), &PoseCache::none(), tell);
        self.shop.crews.working.install(measure)?;
        let mut board = match self.every_pair {
            true => every_row(&self.room, self.shop.kept())?,
            false => (*board_of(&self.room, self.shop.kept())?).clone(),
        };
        board.seconds_per_pose = begun.elapsed().as_secs_f64() / board.poses.len().max(1) as f64;
        Ok(board)
    }

    /// The board of rest and `more` other poses, spread over all.
    ///
    /// # Errors
    /// When the store fails.
    pub(super) fn quick_board(&self, more: usize) -> Result<Board, WorkshopError> {
        let all = &self.room.trials.trials;
        let step = (all.len().saturating_sub(1)).div_ceil(more.max(1)).max(1);
        let first = all.iter().take(1);
        let trials = first.chain(all.iter().skip(1).step_by(step)).cloned().collect();
        let room = self.room.in_trials(TrialSet { trials, ..TrialSet::default() });
        let measure = || measure_all(&room, self.shop.kept(), &PoseCache::none(), &|_| true);
        self.shop.crews.working.install(measure)?;
        Ok((*board_of(&room, self.shop.kept())?).clone())
    }

    /// Its report in all poses, and how many cells are out of tolerance or cannot be measured.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn measured(&self, tell: Tell) -> Result<(Report, usize), WorkshopError> {
        let board = self.board(tell)?;
        let mut report = Report::of_pieces(&self.room.dress, self.room.state.tolerance_mm);
        report.add_board(&board);
        let skipped = self.room.trials.skipped.iter();
        report.skipped_poses =
            skipped.map(|(name, why)| SkippedEntry { name: name.clone(), why: why.clone() }).collect();
        report.seconds.total = self.started.elapsed().as_secs_f64();
        Ok((report, board.bad_cells() + board.unmeasurable_cells()))
    }

    /// Pushes all cloth out, against what is meant alone; answers what that step says.
    ///
    /// # Errors
    /// When there is no such layer or pose; [`WorkshopError::Stopped`] when `tell` says no.
    pub fn mend(
        &mut self,
        options: MendOptions,
        only: &OnlyAgainst,
        tell: Tell,
    ) -> Result<Vec<String>, WorkshopError> {
        let against = self.against(only)?;
        let (pieces, chosen) = match &only.patch {
            Some(name) => self.patch(name)?,
            None => (Vec::new(), Chosen::Everything),
        };
        let step =
            Step::Mending(MendingStep::PushOut { pieces, chosen, options, against, turns: Vec::new() });
        self.waited_for(self.shop.start(self.fitting, step)?, tell)?;
        self.room = self.shop.room(self.fitting, None)?;
        Ok(self.shop.fitting(self.fitting)?.effect().notes)
    }

    /// Gives a piece, or the body, by name the mesh of another file; answers what that step says.
    ///
    /// # Errors
    /// When nothing is called so, or the file cannot take its place.
    pub fn replace(&mut self, name: &str, file: &NamedFile) -> Result<Vec<String>, WorkshopError> {
        let body = &self.room.dress.body.name;
        let pieces = self.room.state.pieces.iter();
        let known = pieces.map(|p| (p.name().to_owned(), p.id)).chain([(body.clone(), BODY)]);
        let known: Vec<(String, PieceId)> = known.collect();
        let names = || known.iter().map(|k| &*k.0).collect::<Vec<_>>().join(", ");
        let missing = || WorkshopError::NoSuchPiece { name: name.to_owned(), worn: names() };
        let (_, id) = known.iter().find(|k| k.0 == name).ok_or_else(missing)?;
        let step =
            self.shop.replacement_step(self.fitting, *id, &file.name, &file.bytes, &Companions::new())?;
        let said = self.shop.run_now(self.fitting, step)?;
        self.room = self.shop.room(self.fitting, None)?;
        let notes = self.shop.fitting(self.fitting)?.effect().notes;
        Ok([vec![said], notes].concat())
    }

    /// The piece that keeps a patch of this name, and the patch.
    fn patch(&self, name: &str) -> Result<(Vec<PieceId>, Chosen), WorkshopError> {
        let known = self.room.state.pieces.iter().flat_map(|p| p.patches.iter().map(move |patch| (p, patch)));
        let is_meant = |(piece, patch): &(&PieceState, &Patch)| {
            patch.name == name || format!("{}:{}", piece.name(), patch.name) == name
        };
        let found: Vec<_> = known.filter(is_meant).collect();
        match found.as_slice() {
            [] => Err(WorkshopError::NoSuchPatch { patch: name.to_owned() }),
            [(piece, patch)] => Ok((vec![piece.id], Chosen::Picks(patch.picks.clone()))),
            several => {
                let pieces: Vec<&str> = several.iter().map(|(piece, _)| piece.name()).collect();
                Err(WorkshopError::SeveralPatches { patch: name.to_owned(), pieces: pieces.join(", ") })
            }
        }
    }

    fn against(&self, OnlyAgainst { pair, pose, .. }: &OnlyAgainst) -> Result<Against, WorkshopError> {
        let id = |name: &String| {
            let piece = self.room.state.pieces.iter().find(|p| p.name() == name);
            let body = (*name == self.room.dress.body.name).then_some(BODY);
            piece.map(|p| p.id).or(body).ok_or(WorkshopError::NoSuchPair)
        };
        let pair = match pair {
            Some((outer, inner)) => Some((id(outer)?, id(inner)?)),
            None => None,
        };
        let number = |name: &String| self.room.trials.number_of(name);
        Ok(Against { pair, pose: pose.as_ref().map(number).transpose()? })
    }

    /// Makes a plan, of the kinds of means wanted (all when none is named).
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn plan(&self, only: &[MeansKind], tell: Tell) -> Result<Arc<Plan>, WorkshopError> {
        self.waited_for(self.shop.make_plan(self.fitting, only.to_vec())?, tell)?;
        self.shop.plan_of(&self.room)?.ok_or(WorkshopError::NoPlan)
    }

    /// Does the plan that was made.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn do_plan(&mut self, tell: Tell) -> Result<(), WorkshopError> {
        if self.shop.plan_of(&self.room)?.is_some_and(|p| !p.steps.is_empty()) {
            self.waited_for(self.shop.do_plan(self.fitting)?, tell)?;
            self.own_plan = None;
            self.room = self.shop.room(self.fitting, None)?;
        }
        Ok(())
    }

    /// It as a GLB; what the file said of its trials goes with it, and what a plan of mending has set.
    ///
    /// # Errors
    /// When it does not fit the format.
    pub fn glb(&self) -> Result<Vec<u8>, WorkshopError> {
        let mut dress = self.room.dress.clone();
        if let Some(plan) = &self.own_plan {
            Arc::make_mut(&mut dress.said).plan = plan.clone();
        }
        export_glb(&dress)
    }

    /// Measures all of it, and reads what would be handed over again; answers the board.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn proved(&self, tell: Tell) -> Result<Arc<Board>, WorkshopError> {
        self.waited_for(self.shop.prove(self.fitting)?, tell)?;
        self.shop.measure_now(self.fitting)
    }

    /// The outfit on the body of another file, and what the step that carries it says.
    pub(super) fn worn_by(
        &self,
        body: &NamedFile,
        wearing: &Wearing,
        tell: Tell,
    ) -> Result<(Self, Vec<String>), WorkshopError> {
        let step = self.shop.outfit_step(self.fitting, wearing.stiff)?;
        let fitting = self.shop.begin_file(body, wearing.body_mesh.as_deref())?.0;
        self.waited_for(self.shop.start(fitting, step)?, tell)?;
        let (shop, room) = (Arc::clone(&self.shop), self.shop.room(fitting, None)?);
        let notes = shop.fitting(fitting)?.effect().notes;
        let (every_pair, started) = (self.every_pair, self.started);
        Ok((
            Self { shop, fitting, own_plan: Some(room.state.plan.clone()), room, every_pair, started },
            notes,
        ))
    }

    fn waited_for(&self, job: JobId, tell: Tell) -> Result<(), WorkshopError> {
        let job = self.shop.jobs().get(job).ok_or(WorkshopError::Stopped)?;
        loop {
            match job.wait_for(TELL_AGAIN) {
                JobState::Running => {
                    if !tell(job.share()) {
                        job.stop();
                    }
                }
                JobState::Done(_) => return Ok(()),
                JobState::Failed(why) => return Err(WorkshopError::Job(why)),
                JobState::Stopped => return Err(WorkshopError::Stopped),
            }
        }
    }
}

impl Workshop {
    /// Begins a fitting with the body of a file: the meshes marked as one, the only one, or the one that is named.
    ///
    /// # Errors
    /// When the file cannot be read, or nothing tells which of its meshes is the body.
    pub(crate) fn begin_file(
        &self,
        file: &NamedFile,
        body_mesh: Option<&str>,
    ) -> Result<(i64, Arc<Document>), WorkshopError> {
        let source = self.kept_file(file)?;
        let document = self.decoder.document(&|id| Ok(self.store.blob(id)?), &source)?;
        let parts = body_parts(&file.name, &document.meshes, body_mesh)?;
        let source = FileRef { mesh: parts[0].mesh.clone(), ..source };
        let name = source.mesh.clone();
        Ok((self.begin_with(&name, source, parts)?, document))
    }

    /// A file brought in, without a mesh named.
    ///
    /// # Errors
    /// When it cannot be read.
    pub(crate) fn kept_file(&self, file: &NamedFile) -> Result<FileRef, WorkshopError> {
        let found = self.bring_in(&file.name, &file.bytes, &Companions::new())?;
        let first = found.into_iter().next().ok_or(WorkshopError::NothingWorn { file: file.name.clone() })?;
        Ok(FileRef { file: first.file, file_name: file.name.clone(), mesh: String::new() })
    }

    /// Brings in the motions of a file; answers the step that tries them.
    ///
    /// # Errors
    /// When it cannot be read or has none.
    fn bring_in_motion(&self, file: &NamedFile) -> Result<Step, WorkshopError> {
        let FileRef { file: blob, file_name, .. } = self.kept_file(file)?;
        let stem = file_name.rsplit_once('.').map_or(file_name.as_str(), |(stem, _)| stem).to_owned();
        Ok(Step::Trial(TrialStep::AddMotion { file: blob, file_name, name: stem }))
    }
}
