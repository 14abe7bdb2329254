//! The board: every layer pair in every trial pose, measured.

use crate::{Dress, TrialSet, WorkshopError};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::atomic::{AtomicUsize, Ordering};
use tin_cloak_core::clearance::{measure_pose, Outfit, PairMeasure, Settings};
use tin_cloak_core::mend::TrialPose;

/// A row: an outer layer over an inner one, by name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BoardPair {
    /// The outer piece.
    pub outer: String,
    /// The inner piece, or the body.
    pub inner: String,
}

/// A column: a trial pose.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BoardPose {
    /// Its name.
    pub name: String,
    /// `rest`, `range` or a clip's name.
    pub group: String,
    /// Seconds into the clip.
    pub time_s: f32,
}

/// A pair in a pose. Millimetres and square centimetres.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Cell {
    pub covered: usize,
    pub poking: usize,
    pub deepest_mm: f32,
    pub poking_cm2: f32,
    pub buried: usize,
    pub sunk: usize,
    pub sunk_deepest_mm: f32,
    pub least_clearance_mm: Option<f32>,
    pub worst_strain: f32,
    /// Where the worst is, in the pose (metres), and from which direction it is seen best.
    pub spot: Option<([f32; 3], [f32; 3])>,
}

impl Cell {
    /// Deepest of poking and sunk: what the board shows.
    pub fn depth_mm(&self) -> f32 {
        self.deepest_mm.max(self.sunk_deepest_mm)
    }

    /// True when anything visible is out of tolerance.
    pub fn is_bad(&self) -> bool {
        self.poking + self.sunk > 0
    }
}

impl From<&PairMeasure> for Cell {
    fn from(m: &PairMeasure) -> Self {
        // A hundredth of a millimetre is finer than anything that follows from it.
        let mm = |metres: f32| (metres * 1e5).round() / 100.0;
        Self {
            covered: m.covered,
            poking: m.poking,
            deepest_mm: mm(m.deepest),
            poking_cm2: (m.poking_area * 1e6).round() / 100.0,
            buried: m.buried,
            sunk: m.sunk,
            sunk_deepest_mm: mm(m.sunk_deepest),
            least_clearance_mm: m.least_clearance.map(mm),
            worst_strain: (m.worst_strain * 1000.0).round() / 1000.0,
            spot: m.worst.map(|s| (s.position.to_array(), s.look.to_array())),
        }
    }
}

/// The measured board.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Board {
    /// Rows, outermost pair first.
    pub pairs: Vec<BoardPair>,
    /// Columns.
    pub poses: Vec<BoardPose>,
    /// Cells by column, then row.
    pub cells: Vec<Vec<Cell>>,
    /// What counts as poke-through, millimetres.
    pub tolerance_mm: f32,
    /// Mean seconds a pose took.
    pub seconds_per_pose: f64,
}

impl Board {
    /// Column and row of the deepest cell, if any is out of tolerance.
    pub fn worst(&self) -> Option<(usize, usize)> {
        let all = self.cells.iter().enumerate().flat_map(|(p, c)| (0..c.len()).map(move |r| (p, r)));
        all.filter(|&(p, r)| self.cells[p][r].is_bad()).reduce(|a, b| {
            let depth = |(p, r): (usize, usize)| self.cells[p][r].depth_mm();
            if depth(b) > depth(a) {
                b
            } else {
                a
            }
        })
    }

    /// Depth of the deepest cell, millimetres; 0 when all is clear.
    pub fn deepest_mm(&self) -> f32 {
        self.worst().map_or(0.0, |(p, r)| self.cells[p][r].depth_mm())
    }

    /// How many cells are out of tolerance.
    pub fn bad_cells(&self) -> usize {
        self.cells.iter().flatten().filter(|c| c.is_bad()).count()
    }

    /// The deepest of what pokes through `outer`, millimetres, if it is on the board.
    pub fn deepest_under(&self, outer: &str) -> Option<f32> {
        let rows: Vec<usize> = (0..self.pairs.len()).filter(|&r| self.pairs[r].outer == outer).collect();
        let depths = self.cells.iter().flat_map(|c| rows.iter().map(|&r| c[r].depth_mm()));
        depths.reduce(f32::max)
    }

    /// The cell of the same pair and pose on another board.
    pub fn same_cell(&self, other: &Self, pose: usize, pair: usize) -> Option<Cell> {
        let column = &other.poses[pose];
        let p = self.poses.iter().position(|x| x.name == column.name && x.time_s == column.time_s)?;
        let r = self.pairs.iter().position(|x| *x == other.pairs[pair])?;
        self.cells[p].get(r).cloned()
    }

    /// How many cells of `self` are better and worse than on `before`, by more than 0.05 mm.
    pub fn better_and_worse(&self, before: &Self) -> (usize, usize) {
        let (mut better, mut worse) = (0, 0);
        for p in 0..self.poses.len() {
            for r in 0..self.pairs.len() {
                let Some(old) = before.same_cell(self, p, r) else { continue };
                let change = self.cells[p][r].depth_mm() - old.depth_mm();
                better += usize::from(change < -0.05);
                worse += usize::from(change > 0.05);
            }
        }
        (better, worse)
    }
}

/// Measures `dress` in every pose of `trials`. `progress` is told the share done and answers
/// whether to go on.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn measure_board(
    dress: &Dress,
    trials: &TrialSet,
    tolerance_mm: f32,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Board, WorkshopError> {
    let started = std::time::Instant::now();
    let (outfit, piece_of) = dress.outfit();
    let settings = Settings { tolerance: tolerance_mm * 0.001, ..Settings::default() };
    let order = rows(&outfit);
    let done = AtomicUsize::new(0);
    let poses = trials.poses(&dress.body);
    let pool = outfit.pool();
    let one = |pose: &TrialPose| {
        if !progress(done.fetch_add(1, Ordering::Relaxed) as f32 / poses.len() as f32) {
            return None;
        }
        pool.with(|buffers| {
            buffers.pose(&outfit, &pose.matrices, &pose.amounts);
            let pairs = measure_pose(&outfit, buffers, settings).pairs;
            Some(order.iter().map(|&r| Cell::from(&pairs[r])).collect())
        })
    };
    let measured: Option<Vec<Vec<Cell>>> = poses.par_iter().map(one).collect();
    let cells = measured.ok_or(WorkshopError::Stopped)?;
    let name = |layer: usize| dress.layer_name(piece_of[layer]).to_owned();
    let pairs = order
        .iter()
        .map(|&r| BoardPair { outer: name(outfit.pairs[r].outer), inner: name(outfit.pairs[r].inner) })
        .collect();
    let poses: Vec<BoardPose> = trials
        .trials
        .iter()
        .map(|t| BoardPose { name: t.name.clone(), group: t.group.clone(), time_s: t.time })
        .collect();
    let seconds_per_pose = started.elapsed().as_secs_f64() / poses.len().max(1) as f64;
    Ok(Board { pairs, poses, cells, tolerance_mm, seconds_per_pose })
}

/// Pairs as the board lists them: outermost first, and over it the nearest layer beneath first.
pub(crate) fn rows(outfit: &Outfit) -> Vec<usize> {
    let mut order: Vec<usize> = (0..outfit.pairs.len()).collect();
    order.sort_by_key(|&i| {
        let p = &outfit.pairs[i];
        (std::cmp::Reverse(p.outer), std::cmp::Reverse(p.inner))
    });
    order
}
