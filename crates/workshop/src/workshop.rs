//! The workshop: fittings in a store, steps run, measured and recorded.

use crate::assets::{found_in, AssetFacts, AssetRole};
use crate::bundle;
use crate::intake::without_controls;
use crate::jobs::{Job, JobId, JobState, Jobs};
use crate::motions::{checked_pairs, checked_range, guessed_pairs, set_range, MotionJoints, MotionState};
use crate::rooms::{pack_bound, pack_positions, read_stored, room_of, Room, Rooms};
use crate::seating::{carried_to_rest, eased, moved_note, pose_notes, pose_of_piece};
use crate::steps::{Effect, FileRef, FittingState, PieceId, PieceState, Step};
use crate::{
    bind_piece, export_glb, measure_board, mend, read, Board, Companions, Piece, PieceKind, TrialSet,
    ViewRequest, WorkshopError,
};
use glam::Vec3;
use std::path::Path;
use std::sync::Arc;
use tin_cloak_core::intake::JointRole;
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

/// Which part of the whole a phase of a job is.
struct Phase<'a> {
    job: &'a Job,
    from: f32,
    to: f32,
}

impl Phase<'_> {
    fn tell(&self, share: f32) -> bool {
        self.job.tell(self.from + (self.to - self.from) * share)
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
        let state = FittingState {
            body,
            body_skin: None,
            pieces: Vec::new(),
            next_piece: 1,
            tolerance_mm: 0.5,
            motions: Vec::new(),
            ranges: Vec::new(),
            roles: Vec::new(),
            board: None,
        };
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
        let title = title(&step).to_owned();
        let workshop = Arc::clone(self);
        let work = move |job: &Job| match workshop.run(fitting, &step, job) {
            Ok(sentence) => JobState::Done(sentence),
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
        let mut draft = Draft { state: before.state.clone(), blobs: Vec::new(), notes: Vec::new() };
        let sentence = self.apply(before, step, &mut draft, job)?;
        let room = Arc::new(self.measured(&mut draft, before, job)?);
        if !job.tell(1.0) {
            return Err(WorkshopError::Stopped);
        }
        let effect = effect(before, &room, draft.notes);
        let new = new_step(step, sentence.clone(), &effect, &draft.state, draft.blobs)?;
        self.store.add_step(fitting, open.fitting.cursor, &new)?;
        self.rooms.keep(BlobId::of(new.state.as_bytes()), &room);
        Ok(sentence)
    }

    fn apply(&self, room: &Room, step: &Step, draft: &mut Draft, job: &Job) -> Result<String, WorkshopError> {
        match step {
            Step::Begin { .. } => {
                Err(WorkshopError::Job("a fitting has one body; begin another fitting".to_owned()))
            }
            Step::AddPiece { file, file_name, mesh, layer, kind } => {
                let source = FileRef { file: file.clone(), file_name: file_name.clone(), mesh: mesh.clone() };
                self.rooms.piece(&self.store, &source, &room.state.body, &room.dress.body)?;
                let id = draft.state.next_piece;
                draft.state.next_piece += 1;
                let (layer, kind) = (*layer, *kind);
                draft.state.pieces.push(PieceState {
                    id,
                    source,
                    layer,
                    kind,
                    rest: None,
                    bound: None,
                    limits: Vec::new(),
                });
                Ok(format!("Add {mesh} on layer {layer}"))
            }
            Step::RemovePiece { piece } => {
                let name = draft.piece(*piece)?.source.mesh.clone();
                draft.state.pieces.retain(|p| p.id != *piece);
                Ok(format!("Take off {name}"))
            }
            Step::MoveToLayer { piece, layer } => {
                let p = draft.piece(*piece)?;
                p.layer = *layer;
                Ok(format!("Move {} to layer {layer}", p.source.mesh))
            }
            Step::SetKind { piece, kind } => {
                let p = draft.piece(*piece)?;
                (p.kind, p.bound) = (*kind, None);
                Ok(format!("File {} as {}", p.source.mesh, kind_word(*kind)))
            }
            Step::Place { piece, options } => {
                let (index, worn) = worn_piece(room, *piece)?;
                let placement = options.placement(&room.dress, worn)?;
                let rest: Vec<Vec3> = worn.rest.iter().map(|p| placement.apply(*p)).collect();
                draft.notes.push(moved_note(&worn.name, &worn.rest, &rest));
                draft.reseat(room, index, &rest)?.bound = None;
                Ok(format!("Place {}", worn.name))
            }
            Step::FindPose { piece } => {
                let (index, worn) = worn_piece(room, *piece)?;
                let phase = Phase { job, from: 0.0, to: 0.8 };
                let (found, joints) = pose_of_piece(&room.dress, index, &|s| phase.tell(s))?;
                let rest = carried_to_rest(&room.dress, index, &found.pose)?;
                draft.notes.extend(pose_notes(&room.dress, &found, &joints));
                draft.reseat(room, index, &rest)?.bound = None;
                Ok(format!("Find the pose of {} and take it to rest", worn.name))
            }
            Step::SeatFromPose { piece, pose, turns } => {
                let (index, worn) = worn_piece(room, *piece)?;
                let request = ViewRequest { pose: *pose, turns: turns.clone(), ..ViewRequest::default() };
                let rest = carried_to_rest(&room.dress, index, &room.pose_of(&request)?)?;
                draft.notes.push(moved_note(&worn.name, &worn.rest, &rest));
                draft.reseat(room, index, &rest)?.bound = None;
                Ok(format!("Take {} from the pose set by hand to rest", worn.name))
            }
            Step::Ease { piece, chosen: _, options } => {
                let (index, worn) = worn_piece(room, *piece)?;
                let (rest, note) = eased(&room.dress, index, *options)?;
                draft.notes.push(note);
                draft.reseat(room, index, &rest)?;
                Ok(match options.most_mm {
                    None => format!("Ease {} off to {} mm", worn.name, options.least_mm),
                    Some(most) => {
                        format!("Bring {} to between {} and {most} mm", worn.name, options.least_mm)
                    }
                })
            }
            Step::Brush { piece, stroke } => {
                let (index, worn) = worn_piece(room, *piece)?;
                let rest = stroke.applied(worn)?;
                draft.notes.push(moved_note(&worn.name, &worn.rest, &rest));
                draft.reseat(room, index, &rest)?;
                Ok(format!("{} {}", stroke.word(), worn.name))
            }
            Step::ClearControls => {
                let (skin, note) = without_controls(&room.dress.body, &room.trials)?;
                draft.notes.push(note);
                draft.state.body_skin = Some(draft.keep(serde_json::to_vec(&skin)?));
                Ok(format!("Move weight of {} off its control joints", room.dress.body.name))
            }
            Step::AddMotion { file, file_name, name } => {
                let source = FileRef { file: file.clone(), file_name: file_name.clone(), mesh: name.clone() };
                let document = read_stored(&self.store, &source)?;
                let pairs = guessed_pairs(&room.dress.body, file_name, &document)?;
                let all = room.dress.body.skeleton.len();
                draft.notes.push(format!("{} of the body’s {all} joints follow it", pairs.len()));
                draft.state.motions.push(MotionState { source, pairs });
                Ok(format!("Try {name}"))
            }
            Step::MatchJoints { motion, pairs } => {
                let state = draft.motion(*motion)?;
                let document = read_stored(&self.store, &state.source)?;
                checked_pairs(&room.dress.body, &state.source.file_name, &document, pairs)?;
                state.pairs.clone_from(pairs);
                Ok(format!("Match joints of {}", state.source.mesh))
            }
            Step::RemoveMotion { motion } => {
                let name = draft.motion(*motion)?.source.mesh.clone();
                draft.state.motions.remove(*motion);
                Ok(format!("Try {name} no more"))
            }
            Step::SetRange { joint, range, piece } => {
                let missing = || WorkshopError::NoSuchJoint { joint: joint.clone() };
                room.dress.body.skeleton.find(joint).ok_or_else(missing)?;
                let range = range.map(checked_range).transpose()?;
                match piece {
                    Some(piece) => {
                        let p = draft.piece(*piece)?;
                        set_range(&mut p.limits, joint, range);
                        let end = if range.is_some() { "limits" } else { "no longer limits" };
                        Ok(format!("{} {end} {joint}", p.source.mesh))
                    }
                    None => {
                        set_range(&mut draft.state.ranges, joint, range);
                        Ok(format!("Set the range of {joint}"))
                    }
                }
            }
            Step::SetRole { joint, role } => {
                let missing = || WorkshopError::NoSuchJoint { joint: joint.clone() };
                room.dress.body.skeleton.find(joint).ok_or_else(missing)?;
                draft.state.roles.retain(|(name, _)| name != joint);
                draft.state.roles.push((joint.clone(), *role));
                Ok(format!("File {joint} as one that {}", role_words(*role)))
            }
            Step::Bind { pieces, options } => {
                let chosen = chosen_pieces(room, pieces)?;
                if chosen.is_empty() {
                    return Err(WorkshopError::NothingToBind);
                }
                let mut names = Vec::new();
                for (n, &index) in chosen.iter().enumerate() {
                    if !job.tell(0.3 * n as f32 / chosen.len() as f32) {
                        return Err(WorkshopError::Stopped);
                    }
                    let piece = &room.dress.pieces[index];
                    let (bound, _) = bind_piece(&room.dress.body, piece, *options)?;
                    draft.notes.push(bind_note(piece, &bound));
                    let blob = draft.keep(pack_bound(&bound)?);
                    draft.piece(room.piece_state(index).id)?.bound = Some(blob);
                    names.push(piece.name.clone());
                }
                Ok(format!("Bind {}", names.join(", ")))
            }
            Step::PushOut { pieces, chosen: _, options } => {
                let indices = chosen_pieces(room, pieces)?;
                let bound: Vec<usize> =
                    indices.into_iter().filter(|&i| room.dress.pieces[i].bound.is_some()).collect();
                if bound.is_empty() {
                    return Err(WorkshopError::BindFirst);
                }
                let phase = Phase { job, from: 0.0, to: 0.85 };
                let outcome = mend(&room.dress, &bound, &room.trials, *options, &|s| phase.tell(s))?;
                for (index, rest) in outcome.rest.iter().enumerate() {
                    if let Some(rest) = rest {
                        let blob = draft.keep(pack_positions(rest));
                        draft.piece(room.piece_state(index).id)?.rest = Some(blob);
                    }
                }
                draft.notes.extend(outcome.notes);
                let names: Vec<&str> = bound.iter().map(|&i| room.dress.pieces[i].name.as_str()).collect();
                Ok(format!("Push out {}", names.join(", ")))
            }
        }
    }

    /// The room of the draft, its board measured when anything that shows on it has changed.
    fn measured(&self, draft: &mut Draft, before: &Room, job: &Job) -> Result<Room, WorkshopError> {
        let shown = |s: &FittingState| -> Vec<PieceState> {
            s.pieces.iter().filter(|p| p.bound.is_some()).cloned().collect()
        };
        let any = !shown(&draft.state).is_empty();
        let board = draft.state.board.take();
        let room = self.build_draft(draft)?;
        let changed = shown(&draft.state) != shown(&before.state)
            || draft.state.body_skin != before.state.body_skin
            || !same_poses(&room.trials, &before.trials);
        if !changed || !any {
            draft.state.board.clone_from(&board);
            let mut room = room.with_board(if any { before.board.clone() } else { None });
            room.state.board = board;
            return Ok(room);
        }
        let phase = Phase { job, from: job.share(), to: 0.99 };
        let board = measure_board(&room.dress, &room.trials, draft.state.tolerance_mm, &|s| phase.tell(s))?;
        draft.state.board = Some(draft.keep(serde_json::to_vec(&board)?));
        let mut room = room.with_board(Some(board));
        room.state.board.clone_from(&draft.state.board);
        Ok(room)
    }

    /// Decodes a state whose new blobs are not stored yet.
    fn build_draft(&self, draft: &Draft) -> Result<Room, WorkshopError> {
        let blob = |id: &BlobId| -> Result<Vec<u8>, WorkshopError> {
            match draft.blobs.iter().find(|b| BlobId::of(b) == *id) {
                Some(bytes) => Ok(bytes.clone()),
                None => Ok(self.store.blob(id)?),
            }
        };
        let body = self.rooms.body_in_state(&self.store, &draft.state, &blob)?;
        let trials = self.rooms.trials(&self.store, &draft.state, &body)?;
        let mut pieces = Vec::new();
        for p in &draft.state.pieces {
            let base = self.rooms.piece(&self.store, &p.source, &draft.state.body, &body)?;
            pieces.push(crate::rooms::piece_in_state(&base, p, &body, &blob)?);
        }
        Ok(room_of(draft.state.clone(), body, pieces, trials, None))
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

/// A state in the making, with the blobs it needs.
struct Draft {
    state: FittingState,
    blobs: Vec<Vec<u8>>,
    notes: Vec<String>,
}

impl Draft {
    fn keep(&mut self, bytes: Vec<u8>) -> BlobId {
        let id = BlobId::of(&bytes);
        self.blobs.push(bytes);
        id
    }

    /// New rest positions for a piece of the room.
    fn reseat(&mut self, room: &Room, index: usize, rest: &[Vec3]) -> Result<&mut PieceState, WorkshopError> {
        let blob = self.keep(pack_positions(rest));
        let piece = self.piece(room.piece_state(index).id)?;
        piece.rest = Some(blob);
        Ok(piece)
    }

    fn motion(&mut self, index: usize) -> Result<&mut MotionState, WorkshopError> {
        let missing = WorkshopError::Missing { what: "motion", id: index as i64 };
        self.state.motions.get_mut(index).ok_or(missing)
    }

    fn piece(&mut self, id: PieceId) -> Result<&mut PieceState, WorkshopError> {
        let found = self.state.pieces.iter_mut().find(|p| p.id == id);
        found.ok_or(WorkshopError::Missing { what: "piece", id: i64::from(id) })
    }
}

/// True when a board measured in the one set of poses holds for the other.
fn same_poses(a: &Arc<TrialSet>, b: &Arc<TrialSet>) -> bool {
    Arc::ptr_eq(a, b) || a.trials == b.trials
}

fn worn_piece(room: &Room, id: PieceId) -> Result<(usize, &Piece), WorkshopError> {
    let index = room.index_of(id).ok_or(WorkshopError::Missing { what: "piece", id: i64::from(id) })?;
    Ok((index, &room.dress.pieces[index]))
}

fn chosen_pieces(room: &Room, pieces: &[PieceId]) -> Result<Vec<usize>, WorkshopError> {
    if pieces.is_empty() {
        return Ok((0..room.dress.pieces.len()).collect());
    }
    let index =
        |&id: &PieceId| room.index_of(id).ok_or(WorkshopError::Missing { what: "piece", id: i64::from(id) });
    pieces.iter().map(index).collect()
}

fn file_of(asset: &Asset) -> FileRef {
    FileRef { file: asset.file.clone(), file_name: asset.file_name.clone(), mesh: asset.mesh.clone() }
}

pub(crate) fn kind_word(kind: PieceKind) -> &'static str {
    match kind {
        PieceKind::Soft => "cloth",
        PieceKind::Stiff => "stiff",
        PieceKind::Mixed => "mixed",
    }
}

fn role_words(role: JointRole) -> &'static str {
    match role {
        JointRole::Deforms => "deforms",
        JointRole::Twist => "twists",
        JointRole::Control => "controls",
        JointRole::Attachment => "holds things",
        JointRole::Carries => "carries others",
    }
}

fn bind_note(piece: &crate::Piece, bound: &crate::Bound) -> String {
    match bound.method.as_str() {
        "stiff" => format!("{}: moves as one with a single joint", piece.name),
        "inpaint" => format!(
            "{}: {:.1} % of its vertices matched the skin, the rest filled in; at most {} joints a vertex",
            piece.name,
            bound.matched_share * 100.0,
            bound.skin.max_influences()
        ),
        method => format!("{}: by nearest {method}", piece.name),
    }
}

fn title(step: &Step) -> &'static str {
    match step {
        Step::Begin { .. } => "Beginning",
        Step::AddPiece { .. } => "Adding the piece",
        Step::RemovePiece { .. } => "Taking the piece off",
        Step::MoveToLayer { .. } => "Moving the piece",
        Step::SetKind { .. } => "Filing the piece",
        Step::Place { .. } => "Placing the piece",
        Step::FindPose { .. } => "Finding the pose it was modelled in",
        Step::SeatFromPose { .. } => "Taking the piece to rest",
        Step::Ease { .. } => "Easing",
        Step::Brush { .. } => "Brushing",
        Step::ClearControls => "Moving weight off control joints",
        Step::AddMotion { .. } => "Trying the motion",
        Step::MatchJoints { .. } => "Matching joints",
        Step::RemoveMotion { .. } => "Leaving the motion out",
        Step::SetRange { .. } => "Setting the range",
        Step::SetRole { .. } => "Filing the joint",
        Step::Bind { .. } => "Binding and measuring",
        Step::PushOut { .. } => "Pushing cloth out",
    }
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
