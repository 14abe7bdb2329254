//! A dressed body from a file: measured, and mended.

use crate::batch::fit::NamedFile;
use crate::dress::body::{sort_document, Body};
use crate::dress::called_up::called_up;
use crate::dress::dressed::{Dress, Masked};
use crate::dress::figure_shapes::own_shapes;
use crate::dress::motions::{keep_to_ranges, SaidRanges};
use crate::dress::own_joints::{body_trials, with_own_joints};
use crate::dress::piece::Piece;
use crate::dress::said::{limits_of, ranges_of, Said};
use crate::dress::trials::{clip_trials, kept_trial, plan_trials, retarget_trials, TrialSet};
use crate::error::WorkshopError;
use crate::handover::export::export_glb;
use crate::intake::brought::brought;
use crate::measuring::afresh::{board_of_every_pair, measure_every_pair, Before};
use crate::measuring::board::Board;
use crate::measuring::measured::Measured;
use crate::measuring::report::{Report, SkippedEntry};
use crate::mending::push_out::{mend, MendOutcome, ToMend};
use crate::state::names::{PieceId, BODY};
use crate::state::push::{Against, MendOptions};
use crate::state::trial_plan::{Frames, PairTolerance, TrialPlan};
use glam::Vec3;
use std::cell::OnceCell;
use std::sync::Arc;
use std::time::Instant;
use tin_cloak_core::intake::Place;
use tin_cloak_core::mend::PoseCache;
use tin_cloak_formats::{MeshPart, UnsoundClip};

/// Which poses are tried.
#[derive(Clone, Debug)]
pub enum TrialWish {
    /// The built-in poses, and those set by hand that the file carries.
    Range,
    /// The clips of the dressed file.
    Clips,
    /// The motions of another file.
    Motion(NamedFile),
    /// All of that, and what a trial set adds.
    Set(TrialPlan),
}

/// What is said of the trials besides; what is not said is as the file has it.
#[derive(Clone, Debug, Default)]
pub struct TrialSays {
    /// How many frames of each clip.
    pub frames: Option<Frames>,
    /// Tolerances of pairs.
    pub tolerances: Vec<PairTolerance>,
    /// True to tell of every two layers, of those too that nothing ever brings together.
    pub every_pair: bool,
}

/// Told the share done; answers whether to go on.
pub type Tell<'a> = &'a (dyn Fn(f32) -> bool + Sync);

/// A dressed body and the poses it is tried in.
pub struct Dressed {
    dress: Dress,
    trials: TrialSet,
    plan: TrialPlan,
    every_pair: bool,
    started: Instant,
    /// Its board as it was measured when it was mended.
    mended: Option<Arc<Board>>,
}

impl Dressed {
    /// Body and bound pieces of a file; unmarked pieces get layers in the file's order.
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
        let document = file.document()?;
        let mark = document.meshes.iter().filter_map(|m| m.mark.as_ref()).find(|m| m.role == "body").cloned();
        let (body, parts) = sort_document(&file.name, document, body_mesh)?;
        let skinned: Vec<MeshPart> = parts.into_iter().filter(|p| p.skin.is_some()).collect();
        let skeleton = body.skeleton.clone();
        let own = |(id, part): (u32, &MeshPart)| brought(part, Some(&skeleton), &skeleton, id).joints;
        let joints: Vec<_> = (1..).zip(&skinned).flat_map(own).collect();
        let body = Arc::new(with_own_joints(body, &joints)?);
        let piece = |(position, part): (u16, MeshPart)| {
            let mark = part.mark.as_ref();
            let (layer, kind) = (mark.and_then(|m| m.layer), mark.and_then(|m| m.kind));
            let limits = ranges_of(mark, &body.skeleton);
            let place = mark.and_then(|m| Place::of_word(m.place.as_ref()?));
            let mut piece =
                Piece::new(part, layer.unwrap_or(position), kind.unwrap_or_default(), &body, true);
            (piece.id, piece.place, piece.limits) = (u32::from(position), place, limits);
            piece
        };
        let pieces: Vec<Piece> = (1..).zip(skinned).map(piece).collect();
        let shapes = called_up(&body, &pieces);
        let body = if shapes.is_empty() { body } else { Arc::new(body.calling_up(shapes)) };
        if pieces.is_empty() {
            return Err(WorkshopError::NothingWorn { file: file.name.clone() });
        }
        let said = Said::of_mark(mark.as_ref(), &body.skeleton);
        let mut plan = if let TrialWish::Set(plan) = wish { plan.clone() } else { said.plan.clone() };
        plan.frames = says.frames.unwrap_or(plan.frames);
        for t in &says.tolerances {
            plan = plan.with_tolerance((&t.outer, &t.inner), Some(t.tolerance_mm));
        }
        let mut trials = trials(&file.name, &body, wish, plan.frames)?;
        let mut dress =
            Dress { body: Arc::clone(&body), pieces, said: Arc::new(said.clone()), masked: Arc::default() };
        dress.sort();
        let ranges = SaidRanges { by_hand: &said.ranges, by_piece: limits_of(&dress.pieces) };
        keep_to_ranges(&body, &ranges, &mut trials);
        if matches!(wish, TrialWish::Range | TrialWish::Set(_)) {
            trials
                .trials
                .extend(plan_trials((&body, &own_shapes(&body, &dress.pieces)), &plan, &ranges).trials);
            trials.trials.extend(said.poses.iter().map(|p| kept_trial(p, body.skeleton.len())));
        }
        Ok(Self { dress, trials, plan, every_pair: says.every_pair, started, mended: None })
    }

    /// The same with faces left out of what is measured, by the name of the mesh.
    pub(crate) fn leaving_out(mut self, of_body: &[u32], of_piece: impl Fn(&str) -> Vec<u32>) -> Self {
        let of_body = (BODY, of_body.to_vec());
        let of_pieces = self.dress.pieces.iter().map(|p| (p.id, of_piece(&p.name)));
        let all = std::iter::once(of_body).chain(of_pieces).filter(|f| !f.1.is_empty());
        self.dress.masked = Arc::new(Masked(all.collect()));
        self.mended = None;
        self
    }

    /// Body and pieces.
    pub fn dress(&self) -> &Dress {
        &self.dress
    }

    /// The poses it is tried in.
    pub fn trials(&self) -> &TrialSet {
        &self.trials
    }

    /// Its board, with every pair.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub(crate) fn board(&self, tolerance_mm: f32, tell: Tell) -> Result<Board, WorkshopError> {
        let (dress, trials, plan) = (&self.dress, &self.trials, &self.plan);
        match self.mended.as_ref().filter(|board| board.tolerance_mm == tolerance_mm) {
            Some(board) => Ok(Board { hidden_counts: plan.hidden_counts, ..(**board).clone() }),
            None => board_of_every_pair(dress, trials, (tolerance_mm, plan), tell),
        }
    }

    /// Its report in all poses, and how many cells are out of tolerance or cannot be measured.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn measured(&self, tolerance_mm: f32, tell: Tell) -> Result<(Report, usize), WorkshopError> {
        let mut board = self.board(tolerance_mm, tell)?;
        if !self.every_pair {
            board = board.without_idle_rows();
        }
        let mut report = Report::of_pieces(&self.dress, tolerance_mm);
        report.add_board(&board);
        let skipped = self.trials.skipped.iter();
        report.skipped_poses =
            skipped.map(|(name, why)| SkippedEntry { name: name.clone(), why: why.clone() }).collect();
        report.seconds.total = self.started.elapsed().as_secs_f64();
        Ok((report, board.bad_cells() + board.unmeasurable_cells()))
    }

    /// Pushes all cloth out; answers the bytes of the mended GLB and what is claimed of each piece.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn mend(
        &mut self,
        options: MendOptions,
        tell: Tell,
    ) -> Result<(Vec<u8>, MendOutcome), WorkshopError> {
        let dress = &self.dress;
        let is_worn = |i: &usize| dress.pieces[*i].bound.is_some() && !dress.pieces[*i].cage;
        let pieces: Vec<usize> = (0..dress.pieces.len()).filter(is_worn).collect();
        // Layers go by their numbers here.
        let ids: Vec<PieceId> = (0..=pieces.len() as PieceId).collect();
        let (trials, chosen) = (&self.trials, &[][..]);
        let what = ToMend {
            dress,
            ids: &ids,
            trials,
            pieces: &pieces,
            chosen,
            options,
            against: Against::default(),
        };
        let plan = TrialPlan { hidden_counts: false, ..self.plan.clone() };
        let (first, cache) = (OnceCell::new(), PoseCache::new(trials.trials.len()));
        let measure = |rest: &[Option<Vec<Vec3>>], tell: Tell| {
            let (moved, tolerance) = (dress.moved(rest), (options.tolerance_mm, &plan));
            let Some(measured): Option<&Measured> = first.get() else {
                let measured = measure_every_pair(&moved, trials, tolerance, (None, &cache), tell)?;
                return Ok(first.get_or_init(|| measured).clone());
            };
            let is_unmoved = |piece: &Option<usize>| piece.is_none_or(|p| rest[p].is_none());
            let unmoved: Vec<bool> = measured.piece_of.iter().map(is_unmoved).collect();
            let before = Some(Before { measured, unmoved: &unmoved });
            measure_every_pair(&moved, trials, tolerance, (before, &cache), tell)
        };
        let outcome = mend(&what, (&measure, &cache), tell)?;
        self.dress = self.dress.moved(&outcome.rest);
        self.mended = Some(Arc::clone(&outcome.board));
        Ok((export_glb(&self.dress)?, outcome))
    }
}

fn trials(file: &str, body: &Body, wish: &TrialWish, frames: Frames) -> Result<TrialSet, WorkshopError> {
    match wish {
        TrialWish::Range => Ok(body_trials(body)),
        TrialWish::Clips if !body.unsound_clips.is_empty() => {
            let UnsoundClip { name, why } = body.unsound_clips[0].clone();
            Err(WorkshopError::UnsoundClip { file: file.to_owned(), clip: name, why })
        }
        TrialWish::Clips if body.clips.is_empty() => Err(WorkshopError::NoClips { file: file.to_owned() }),
        TrialWish::Clips => Ok(clip_trials(body, frames)),
        TrialWish::Set(_) => Ok(body_trials(body).and(clip_trials(body, frames))),
        TrialWish::Motion(file) => retarget_trials(body, &file.name, &file.document()?, frames),
    }
}
