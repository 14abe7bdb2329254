//! Mending a dress: push cloth out, and say what a fresh measure of the result says.

use crate::dress::dressed::Dress;
use crate::dress::stiff_parts::rigid_parts;
use crate::dress::trials::TrialSet;
use crate::error::WorkshopError;
use crate::measuring::board::{measure_board, Board};
use crate::state::names::PieceId;
use crate::state::push::MendOptions;
use crate::state::trial_plan::TrialPlan;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::clearance::Settings;
use tin_cloak_core::mend::{push_out, PieceReport, PushSettings};

/// What became of the pieces.
#[derive(Clone, Debug)]
pub struct MendOutcome {
    /// New rest positions (welded) of each piece of the dress; `None` where nothing moved.
    pub rest: Vec<Option<Vec<Vec3>>>,
    /// What is claimed of each piece that was tried.
    pub claims: Vec<Claim>,
}

impl MendOutcome {
    /// A sentence for each piece that was tried.
    pub fn notes(&self) -> Vec<String> {
        self.claims.iter().map(Claim::sentence).collect()
    }
}

/// What is claimed of a piece: the figures of a board of the dress before and after.
#[derive(Clone, Debug, PartialEq)]
pub struct Claim {
    /// Its place in the dress.
    pub piece: usize,
    /// Its name.
    pub name: String,
    /// Deepest of what shows through it in any pose before, millimetres.
    pub before_mm: f32,
    /// And after.
    pub after_mm: f32,
    /// How many spots showed before, over all poses.
    pub spots_before: usize,
    /// And after.
    pub spots_after: usize,
    /// Vertices moved.
    pub moved: usize,
    /// Furthest move, millimetres.
    pub furthest_mm: f32,
    /// Why something is left, in plain words.
    pub left: String,
}

impl Claim {
    fn sentence(&self) -> String {
        let Self { name, left, .. } = self;
        let depth = format!("{:.1} mm → {:.1} mm", self.before_mm, self.after_mm);
        let moved = match self.moved {
            0 => "nothing moved".to_owned(),
            n => format!("{n} vertices moved, at most {:.1} mm", self.furthest_mm),
        };
        match self.spots_after {
            _ if self.spots_before == 0 && self.spots_after == 0 => format!("{name}: was clear already"),
            0 => format!("{name}: {depth}, {moved}"),
            n => format!("{name}: {depth}, {moved}; {n} spots are left: {left}"),
        }
    }
}

/// Of the whole work, what the two boards take.
const MEASURING: f32 = 0.1;

/// Pushes the named `pieces` (indices into the dress; all bound ones when empty) off what
/// pokes through them in every pose of `trials`. A piece that a fresh measure of the whole finds
/// deeper than before keeps its shape.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn mend(
    dress: &Dress,
    pieces: &[usize],
    trials: &TrialSet,
    options: MendOptions,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<MendOutcome, WorkshopError> {
    let (mut outfit, piece_of) = dress.outfit();
    let chosen = |piece: &Option<usize>| piece.is_some_and(|p| pieces.is_empty() || pieces.contains(&p));
    let movable: Vec<usize> = (1..piece_of.len()).filter(|&l| chosen(&piece_of[l])).collect();
    for &layer in &movable {
        let rigid = piece_of[layer].map_or_else(Vec::new, |p| rigid_parts(&dress.pieces[p]));
        outfit.layers[layer].rigid = Arc::new(rigid);
    }
    let settings = PushSettings {
        measure: Settings { tolerance: options.tolerance_mm * 0.001, ..Settings::default() },
        margin: options.margin_mm * 0.001,
        limit: options.limit_mm * 0.001,
        ..PushSettings::default()
    };
    let board = |dress: &Dress, from: f32| {
        measure_board(dress, trials, (options.tolerance_mm, &TrialPlan::default()), &|s| {
            progress(from + s * MEASURING)
        })
    };
    let before = board(dress, 0.0)?;
    let poses = trials.poses(&dress.body);
    let share = |s: f32| progress(MEASURING + s * (1.0 - 2.0 * MEASURING));
    let mended =
        push_out(&outfit, &movable, &poses, settings, &|p| share(p.share)).ok_or(WorkshopError::Stopped)?;
    let mut rest = vec![None; dress.pieces.len()];
    for report in mended.pieces.iter().filter(|r| r.moved > 0) {
        if let Some(piece) = piece_of[report.layer] {
            rest[piece] = Some(mended.rest[report.layer].clone());
        }
    }
    let mut after = board(&dress.moved(&rest), 1.0 - MEASURING)?;
    let mut worse = Vec::new();
    for report in &mended.pieces {
        let (then, now) = (showing(&before, report.layer), showing(&after, report.layer));
        let piece = piece_of[report.layer].filter(|_| now.0 > then.0 + HAIR_MM && report.moved > 0);
        worse.extend(piece);
    }
    if !worse.is_empty() {
        worse.iter().for_each(|&p| rest[p] = None);
        after = board(&dress.moved(&rest), 1.0 - MEASURING)?;
    }
    let claim = |report: &PieceReport| {
        let piece = piece_of[report.layer]?;
        let (before_mm, spots_before) = showing(&before, report.layer);
        let (after_mm, spots_after) = showing(&after, report.layer);
        let back = worse.contains(&piece);
        let left = match &report.left {
            _ if back => "pushing made it deeper, so it keeps its shape".to_owned(),
            Some(why) => why.clone(),
            None => "it came up where the shape that was pushed lies over something else".to_owned(),
        };
        Some(Claim {
            piece,
            name: dress.pieces[piece].name.clone(),
            before_mm,
            after_mm,
            spots_before,
            spots_after,
            moved: if back { 0 } else { report.moved },
            furthest_mm: if back { 0.0 } else { report.furthest * 1000.0 },
            left,
        })
    };
    let claims = mended.pieces.iter().filter_map(claim).collect();
    Ok(MendOutcome { rest, claims })
}

/// Deeper by less than this is not deeper, millimetres.
const HAIR_MM: f32 = 0.05;

/// Deepest of what shows through a layer on a board, and how many spots of it show.
fn showing(board: &Board, layer: usize) -> (f32, usize) {
    let own = |r: &usize| board.pairs[*r].ids[0] == layer as PieceId && board.pairs[*r].is_over_another();
    let rows: Vec<usize> = (0..board.pairs.len()).filter(own).collect();
    let cells = board.measured().filter(|(_, r, cell)| rows.contains(r) && cell.is_bad());
    cells.fold((0.0, 0), |(deepest, spots), (_, _, cell)| {
        (cell.depth_mm().max(deepest), spots + cell.poking + cell.sunk)
    })
}
