//! The report: what other programs read.

use crate::measuring::board::Board;
use crate::measuring::cell::Cell;
use serde::Serialize;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::state::trial_plan::Counts;

/// A report as JSON; the keys are stable.
#[derive(Clone, Debug, Default, Serialize)]
#[allow(missing_docs)]
pub struct Report {
    pub tolerance_mm: f32,
    pub pieces: Vec<PieceEntry>,
    pub poses: Vec<PoseEntry>,
    pub worst: Option<WorstEntry>,
    /// Of what counts.
    pub verdict: VerdictEntry,
    pub skipped_poses: Vec<SkippedEntry>,
    pub notes: Vec<String>,
    pub seconds: TotalSeconds,
}

/// A piece of the report.
#[derive(Clone, Debug, Serialize)]
#[allow(missing_docs)]
pub struct PieceEntry {
    pub name: String,
    pub layer: u16,
    pub kind: tin_cloak_formats::PieceKind,
    pub vertices: usize,
    pub max_influences: usize,
    pub method: String,
    pub matched_share: f32,
    pub seconds: PieceSeconds,
}

/// Seconds spent on a piece.
#[derive(Clone, Copy, Debug, Default, Serialize)]
#[allow(missing_docs)]
pub struct PieceSeconds {
    pub load: f64,
    #[serde(rename = "match")]
    pub matching: f64,
    pub solve: f64,
    pub total: f64,
}

/// A pose of the report.
#[derive(Clone, Debug, Serialize)]
#[allow(missing_docs)]
pub struct PoseEntry {
    pub name: String,
    pub time_s: f32,
    pub counts: Counts,
    pub pairs: Vec<PairEntry>,
}

/// A pair in a pose.
#[derive(Clone, Debug, Serialize)]
#[allow(missing_docs)]
pub struct PairEntry {
    pub outer: String,
    pub inner: String,
    #[serde(flatten)]
    pub cell: Cell,
}

/// The worst of all.
#[derive(Clone, Debug, Serialize)]
#[allow(missing_docs)]
pub struct WorstEntry {
    pub pose: String,
    pub outer: String,
    pub inner: String,
    pub deepest_mm: f32,
}

/// What all counted cells come to, and apart those for stress only.
#[derive(Clone, Debug, Default, Serialize)]
#[allow(missing_docs)]
pub struct VerdictEntry {
    pub clear: bool,
    pub cells_out: usize,
    pub deepest_mm: f32,
    pub most_seen_cm2: f32,
    pub cannot_be_measured: usize,
    pub stress_cells_out: usize,
    pub stress_deepest_mm: f32,
}

/// A built-in pose that was left out.
#[derive(Clone, Debug, Serialize)]
#[allow(missing_docs)]
pub struct SkippedEntry {
    pub name: String,
    pub why: String,
}

/// Seconds of the whole run.
#[derive(Clone, Copy, Debug, Default, Serialize)]
pub struct TotalSeconds {
    /// From opening the file on.
    pub total: f64,
    /// To pose and measure a pose, on the mean; what is settled once at rest is not of it.
    pub per_pose_mean: f64,
}

impl Report {
    /// The pieces of a dress; times are filled in by who measured them.
    pub fn of_pieces(dress: &Dress, tolerance_mm: f32) -> Self {
        let pieces = dress
            .pieces
            .iter()
            .map(|p| PieceEntry {
                name: p.name.clone(),
                layer: p.layer,
                kind: p.kind,
                vertices: p.mesh.positions.len(),
                max_influences: p.bound.as_ref().map_or(0, |b| b.skin.max_influences()),
                method: p.bound.as_ref().map_or_else(|| "none".to_owned(), |b| b.method.clone()),
                matched_share: p.bound.as_ref().map_or(0.0, |b| b.matched_share),
                seconds: PieceSeconds::default(),
            })
            .collect();
        Self { tolerance_mm, pieces, ..Self::default() }
    }

    /// Takes what `other` has measured in poses.
    pub fn take_poses(&mut self, other: Self) {
        (self.poses, self.worst, self.verdict) = (other.poses, other.worst, other.verdict);
        self.skipped_poses = other.skipped_poses;
        self.notes.extend(other.notes);
        self.seconds.per_pose_mean = other.seconds.per_pose_mean;
        self.seconds.total += other.seconds.total;
    }

    /// Adds a measured board.
    pub fn add_board(&mut self, board: &Board) {
        self.poses = board
            .poses
            .iter()
            .zip(&board.cells)
            .map(|(pose, cells)| PoseEntry {
                name: pose.name.clone(),
                time_s: pose.time_s,
                counts: pose.counts,
                pairs: board
                    .pairs
                    .iter()
                    .zip(cells)
                    .filter_map(|(p, c)| {
                        let (outer, inner) = (p.outer.clone(), p.inner.clone());
                        Some(PairEntry { outer, inner, cell: c.clone()? })
                    })
                    .collect(),
            })
            .collect();
        self.worst = board.worst().map(|(p, r)| WorstEntry {
            pose: board.poses[p].name.clone(),
            outer: board.pairs[r].outer.clone(),
            inner: board.pairs[r].inner.clone(),
            deepest_mm: board.deepest_mm(),
        });
        let (stress_cells_out, stress_deepest_mm) = board.stress_cells();
        self.verdict = VerdictEntry {
            clear: board.is_clear(),
            cells_out: board.bad_cells(),
            deepest_mm: board.deepest_mm(),
            most_seen_cm2: board.most_seen_cm2(),
            cannot_be_measured: board.unmeasurable_cells(),
            stress_cells_out,
            stress_deepest_mm,
        };
        if board.unmeasurable_cells() > 0 {
            let cells = board.unmeasurable_cells();
            self.notes
                .push(format!("{cells} of {} cells cannot be measured: see “measurable”", board.size()));
        }
        self.seconds.per_pose_mean = board.seconds_per_pose;
    }
}
