//! The board: every layer pair in every trial pose, measured.

use crate::dress::derived::Weighed;
use crate::dress::dressed::Dress;
use crate::dress::trials::{Trial, TrialSet};
use crate::error::WorkshopError;
use crate::measuring::floor_rows::{FloorRows, GROUND, GROUND_NAME};
use crate::measuring::measured::{places_of, Measured};
use crate::state::names::{PieceId, BODY};
use crate::state::trial_plan::{Counts, TrialPlan};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::Arc;
use tin_cloak_core::clearance::{
    stiffness, strain, sum_up, AtRest, Crossing, InPose, Outfit, Pair, PairMeasure, Place, Settings, Sight,
    Through,
};
use tin_cloak_core::mend::TrialPose;

/// A row: an outer layer over an inner one.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct BoardPair {
    /// Numbers of the outer and the inner piece; 0 is the body.
    pub ids: [PieceId; 2],
    /// The outer piece.
    pub outer: String,
    /// The inner piece, or the body; the same for a layer against itself.
    pub inner: String,
    /// True where something of the one lies over the other at rest.
    #[serde(default)]
    pub at_rest: bool,
    /// How what is through there counts.
    #[serde(default)]
    pub counts: Counts,
    /// What is let pass there, millimetres.
    #[serde(default)]
    pub tolerance_mm: f32,
}

impl BoardPair {
    /// True for a layer against itself.
    pub fn is_itself(&self) -> bool {
        self.ids[0] == self.ids[1]
    }

    /// True for a layer over another one: neither in itself nor on the ground.
    pub fn is_over_another(&self) -> bool {
        !self.is_itself() && self.ids[1] != GROUND
    }

    /// Its name as a row.
    pub fn label(&self) -> String {
        match self.ids {
            [outer, inner] if outer == inner => format!("{} in itself", self.outer),
            [_, GROUND] => format!("{} on {}", self.outer, self.inner),
            _ => format!("{} over {}", self.outer, self.inner),
        }
    }
}

/// What is through what, in words; a layer may be through itself.
pub fn through_in_words(outer: &str, inner: &str) -> String {
    match inner {
        _ if outer == inner => format!("{outer} through itself"),
        GROUND_NAME => format!("{outer} beneath {inner}"),
        _ => format!("{inner} through {outer}"),
    }
}

/// A column: a trial pose.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct BoardPose {
    /// Its name.
    pub name: String,
    /// `rest`, `range` or a clip's name.
    pub group: String,
    /// Seconds into the clip.
    pub time_s: f32,
    /// How it counts.
    #[serde(default)]
    pub counts: Counts,
}

impl BoardPose {
    /// True when both are of one pose, however it counts.
    pub fn is_that(&self, other: &Self) -> bool {
        (&self.name, &self.group, self.time_s) == (&other.name, &other.group, other.time_s)
    }
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
    /// Length of the curves in which the two surfaces run through each other, millimetres.
    #[serde(default)]
    pub crossing_mm: f32,
    /// Faces of the outer one that do.
    #[serde(default)]
    pub crossing_faces: u32,
    /// True when that is nothing that rest has not.
    #[serde(default)]
    pub at_rest: bool,
    /// Of layers of which nothing lies over the other at rest: how deep they are in each other, beyond the
    /// tolerance, where rest does not have them so.
    #[serde(default)]
    pub contact_mm: f32,
    /// Depth of the deepest stretch of an edge that is through between vertices, in sight.
    #[serde(default)]
    pub edge_deepest_mm: f32,
    /// How far the outer one is from its shape at rest, where it is stiff.
    #[serde(default)]
    pub stiffness_mm: f32,
    /// False when it cannot be measured in the pose: a vertex is nowhere. It is not clear then, and the
    /// figures say nothing.
    #[serde(default = "yes")]
    pub measurable: bool,
    /// Where the worst is, in the pose (metres), and from which direction it is seen best.
    pub spot: Option<([f32; 3], [f32; 3])>,
}

impl Cell {
    /// Deepest of poking, sunk, between vertices and contact: what the board shows.
    pub fn depth_mm(&self) -> f32 {
        self.deepest_mm.max(self.sunk_deepest_mm).max(self.edge_deepest_mm).max(self.contact_mm)
    }

    /// True when anything visible is out of tolerance.
    pub fn is_bad(&self) -> bool {
        self.poking + self.sunk > 0 || self.edge_deepest_mm > 0.0 || self.contact_mm > 0.0
    }

    /// True when nothing is out of tolerance, and yet the surfaces run through each other as they did not
    /// at rest: what does so is hidden, or lies between vertices.
    pub fn only_crosses(&self) -> bool {
        !self.is_bad() && self.crossing_faces > 0 && !self.at_rest
    }

    /// True when the outer layer is stretched or squashed further than cloth stands, or a stiff one bent by
    /// more than 1 mm (common practice, no source).
    pub fn is_strained(&self) -> bool {
        !(SQUASHED..=STRETCHED).contains(&self.worst_strain) || self.stiffness_mm > BENT_MM
    }

    /// By how much more than cloth stands the outer layer is stretched or squashed, as a logarithm (1 for 2.7 times as
    /// much); 1 for a stiff one that is bent; 0 where it is not strained.
    pub(crate) fn torn(&self) -> f32 {
        let cloth = (self.worst_strain / STRETCHED).max(SQUASHED / self.worst_strain.max(1e-3)).ln().max(0.0);
        if self.stiffness_mm > BENT_MM {
            1.0
        } else {
            cloth
        }
    }

    pub(crate) fn with_stiffness(mut self, metres: f32) -> Self {
        self.stiffness_mm = hundredths(metres);
        self
    }

    /// True when its only trouble is such as nobody sees.
    pub fn is_hidden_only(&self) -> bool {
        !self.is_bad() && (self.buried > 0 || self.only_crosses())
    }

    /// The cell of a pair with how its surfaces run through each other; `contact` when nothing of the one
    /// lies over the other at rest.
    pub(crate) fn of(measure: &PairMeasure, crossing: &Crossing, contact: Option<f32>) -> Self {
        let mut cell = Self::from(measure);
        cell.crossing_mm = hundredths(crossing.length);
        cell.crossing_faces = crossing.faces;
        cell.at_rest = crossing.is_of_rest();
        if let Some(tolerance_mm) = contact {
            let depth = hundredths(crossing.depth);
            cell.contact_mm = if depth > tolerance_mm { depth } else { 0.0 };
            cell.measurable = true;
        }
        if cell.spot.is_none() && (cell.only_crosses() || cell.contact_mm > 0.0) {
            cell.spot = crossing.spot.map(|s| (s.position.to_array(), s.look.to_array()));
        }
        cell
    }
}

impl Default for Cell {
    /// Clear, nothing covered.
    fn default() -> Self {
        Self::from(&sum_up(&Through::default(), &Sight::default(), 1.0))
    }
}

/// An edge longer or shorter than this times its length at rest is strained.
const STRETCHED: f32 = 1.6;
const SQUASHED: f32 = 0.4;
/// What is stiff and further from its shape than this is bent, millimetres.
const BENT_MM: f32 = 1.0;

/// A hundredth of a millimetre is finer than anything that follows from it.
fn hundredths(metres: f32) -> f32 {
    (metres * 1e5).round() / 100.0
}

impl From<&PairMeasure> for Cell {
    fn from(m: &PairMeasure) -> Self {
        let mm = hundredths;
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
            crossing_mm: 0.0,
            crossing_faces: 0,
            at_rest: false,
            contact_mm: 0.0,
            edge_deepest_mm: mm(m.edge_deepest),
            stiffness_mm: 0.0,
            measurable: !m.unmeasurable,
            spot: m.worst.map(|s| (s.position.to_array(), s.look.to_array())),
        }
    }
}

fn yes() -> bool {
    true
}

/// The board: what is known of every layer pair in every trial pose.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Board {
    /// Rows, outermost pair first.
    pub pairs: Vec<BoardPair>,
    /// Columns.
    pub poses: Vec<BoardPose>,
    /// Cells by column, then row; none where nothing is measured yet.
    pub cells: Vec<Vec<Option<Cell>>>,
    /// What counts as poke-through, millimetres.
    pub tolerance_mm: f32,
    /// True when what nobody sees counts too.
    pub hidden_counts: bool,
    /// Mean seconds a pose took, where that was measured.
    pub seconds_per_pose: f64,
}

impl Weighed for Board {
    fn bytes(&self) -> usize {
        let cell = std::mem::size_of::<Option<Cell>>() + 16;
        self.cells.iter().map(|column| column.len() * cell).sum::<usize>() + self.poses.len() * 80
    }
}

impl Board {
    /// Rows for pairs (outer, inner), the first of which lie over each other at rest, of layers with these
    /// `(number, name)`; columns for trials.
    pub(crate) fn empty(
        (rows, covered): (&[(usize, usize)], usize),
        layers: &[(PieceId, &str)],
        trials: &TrialSet,
        (tolerance_mm, plan): (f32, &TrialPlan),
    ) -> Self {
        let pair = |(row, &(outer, inner)): (usize, &(usize, usize))| {
            let (outer, inner) = (layers[outer], layers[inner]);
            BoardPair {
                at_rest: row < covered,
                ids: [outer.0, inner.0],
                outer: outer.1.to_owned(),
                inner: inner.1.to_owned(),
                counts: plan.of_pair(outer.1, inner.1),
                tolerance_mm: plan.tolerance_of(outer.1, inner.1).unwrap_or(tolerance_mm),
            }
        };
        let pairs: Vec<BoardPair> = rows.iter().enumerate().map(pair).collect();
        let pose = |t: &Trial| BoardPose {
            name: t.name.clone(),
            group: t.group.clone(),
            time_s: t.time,
            counts: plan.of_pose(&t.group, &t.name, t.time),
        };
        let poses: Vec<BoardPose> = trials.trials.iter().map(pose).collect();
        let cells = vec![vec![None; pairs.len()]; poses.len()];
        let hidden_counts = plan.hidden_counts;
        Self { pairs, poses, cells, tolerance_mm, hidden_counts, seconds_per_pose: 0.0 }
    }

    /// Without the rows of layers that rest does not show together in which nothing has run through anything
    /// so far.
    pub(crate) fn without_idle_rows(mut self) -> Self {
        let busy = |r: usize| {
            let known = self.cells.iter().filter_map(|column| column[r].as_ref());
            known.into_iter().any(|c| c.is_bad() || c.only_crosses())
        };
        let stays: Vec<bool> = (0..self.pairs.len()).map(|r| self.pairs[r].at_rest || busy(r)).collect();
        let mut at = stays.iter();
        self.pairs.retain(|_| *at.next().unwrap_or(&true));
        for column in &mut self.cells {
            let mut at = stays.iter();
            column.retain(|_| *at.next().unwrap_or(&true));
        }
        self
    }

    /// The measured cells with column and row.
    pub fn measured(&self) -> impl Iterator<Item = (usize, usize, &Cell)> {
        let column = |(p, c): (usize, &'_ Vec<Option<Cell>>)| (p, c.len());
        let all = self.cells.iter().enumerate().map(column);
        all.flat_map(|(p, rows)| (0..rows).map(move |r| (p, r)))
            .filter_map(|(p, r)| Some((p, r, self.cells[p][r].as_ref()?)))
    }

    /// How the cell of a pose and a row counts: as the less important of the two does.
    pub fn counts(&self, pose: usize, row: usize) -> Counts {
        self.poses[pose].counts.max(self.pairs[row].counts)
    }

    /// True when a cell is out of tolerance, or hides something where that counts.
    pub fn is_out(&self, cell: &Cell) -> bool {
        cell.is_bad() || (self.hidden_counts && cell.is_hidden_only())
    }

    /// Cells out of tolerance that count so, with column and row.
    pub fn out(&self, counts: Counts) -> impl Iterator<Item = (usize, usize, &Cell)> {
        self.measured().filter(move |(p, r, cell)| self.counts(*p, *r) == counts && self.is_out(cell))
    }

    /// Counted poses by number, and the pieces that are strained in each.
    pub fn strained(&self) -> BTreeSet<(usize, PieceId)> {
        let counted = self.measured().filter(|(p, _, _)| self.poses[*p].counts == Counts::Counted);
        let of_piece = counted.filter(|(_, r, cell)| cell.is_strained() && self.pairs[*r].ids[0] != BODY);
        of_piece.map(|(p, r, _)| (p, self.pairs[r].ids[0])).collect()
    }

    /// How much more than cloth stands pieces are strained, summed over them and the counted poses (see
    /// [`Cell::torn`]): what is a little over counts little, what is torn much.
    pub(crate) fn torn(&self) -> f32 {
        let mut worst: BTreeMap<(usize, PieceId), f32> = BTreeMap::new();
        let counted = self.measured().filter(|(p, _, _)| self.poses[*p].counts == Counts::Counted);
        for (pose, row, cell) in counted.filter(|(_, r, _)| self.pairs[*r].ids[0] != BODY) {
            let known = worst.entry((pose, self.pairs[row].ids[0])).or_default();
            *known = known.max(cell.torn());
        }
        worst.values().sum()
    }

    /// How many cells are not measured yet.
    pub fn missing(&self) -> usize {
        self.cells.iter().flatten().filter(|c| c.is_none()).count()
    }

    /// True when every cell is measured.
    pub fn is_whole(&self) -> bool {
        self.missing() == 0
    }

    /// How many cells there are.
    pub fn size(&self) -> usize {
        self.cells.iter().map(Vec::len).sum()
    }

    /// Column and row of the deepest counted cell, if any is out of tolerance.
    pub fn worst(&self) -> Option<(usize, usize)> {
        let worst =
            self.out(Counts::Counted).reduce(|a, b| if b.2.depth_mm() > a.2.depth_mm() { b } else { a });
        worst.map(|(p, r, _)| (p, r))
    }

    /// Depth of the deepest counted cell, millimetres; 0 when all is clear.
    pub fn deepest_mm(&self) -> f32 {
        self.out(Counts::Counted).map(|c| c.2.depth_mm()).fold(0.0, f32::max)
    }

    /// How many cells cannot be measured.
    pub fn unmeasurable_cells(&self) -> usize {
        let counted = self.measured().filter(|(p, r, _)| self.counts(*p, *r) == Counts::Counted);
        counted.filter(|c| !c.2.measurable).count()
    }

    /// True when every cell is measured, and nothing is out of tolerance.
    pub fn is_clear(&self) -> bool {
        self.is_whole() && self.bad_cells() == 0 && self.unmeasurable_cells() == 0
    }

    /// The sum of the depths of the counted cells out of tolerance, millimetres, but for those of parts in themselves:
    /// folds go in and out with all that is done about them.
    pub fn out_mm(&self) -> f32 {
        let is_fold = |row: usize| self.pairs[row].ids[0] == self.pairs[row].ids[1];
        let out = self.out(Counts::Counted).filter(|(_, row, _)| !is_fold(*row));
        out.map(|c| c.2.depth_mm()).sum()
    }

    /// How many counted cells are out of tolerance.
    pub fn bad_cells(&self) -> usize {
        self.out(Counts::Counted).count()
    }

    /// How many are that are there for stress only, and how deep the deepest is, millimetres.
    pub fn stress_cells(&self) -> (usize, f32) {
        let out = self.out(Counts::Stress);
        out.fold((0, 0.0), |(cells, deepest), c| (cells + 1, c.2.depth_mm().max(deepest)))
    }

    /// The deepest of what pokes through a piece, millimetres, once all cells of its rows are measured.
    pub fn deepest_under(&self, outer: PieceId) -> Option<f32> {
        let over = |r: &usize| self.pairs[*r].ids[0] == outer && self.pairs[*r].is_over_another();
        let rows: Vec<usize> = (0..self.pairs.len()).filter(over).collect();
        let cells = self.cells.iter().flat_map(|column| rows.iter().map(|&r| column[r].as_ref()));
        let depths: Vec<f32> = cells.map(|cell| cell.map(Cell::depth_mm)).collect::<Option<_>>()?;
        depths.into_iter().reduce(f32::max)
    }

    /// How many cells of `self` are better and worse than on `before`, by more than 0.05 mm, where
    /// both are measured.
    pub fn better_and_worse(&self, before: &Self) -> (usize, usize) {
        let matching = Matching::between(self, before);
        let (mut better, mut worse) = (0, 0);
        for (p, r, cell) in self.measured() {
            let old = matching.cell(before, p, r).filter(|old| old.measurable && cell.measurable);
            let Some(old) = old else { continue };
            let change = cell.depth_mm() - old.depth_mm();
            better += usize::from(change < -0.05);
            worse += usize::from(change > 0.05);
        }
        (better, worse)
    }
}

impl Board {
    /// All measured cells as a table: comma-separated values with a line of headings (RFC 4180).
    pub fn to_csv(&self) -> String {
        let quoted = |text: &str| match text.contains([',', '"', '\n', '\r']) {
            true => format!("\"{}\"", text.replace('"', "\"\"")),
            false => text.to_owned(),
        };
        let mut out = String::from(CSV_HEAD);
        for (p, r, c) in self.measured() {
            let (pose, pair) = (&self.poses[p], &self.pairs[r]);
            let counts = self.counts(p, r).word();
            let words = [&pose.group, &pose.name, &pair.outer, &pair.inner].map(|t| quoted(t)).join(",");
            let figures = [
                c.depth_mm(),
                c.deepest_mm,
                c.sunk_deepest_mm,
                c.edge_deepest_mm,
                c.contact_mm,
                c.poking_cm2,
                c.crossing_mm,
                c.worst_strain,
            ];
            let figures = figures.map(|x| x.to_string()).join(",");
            let gap = c.least_clearance_mm.map_or(String::new(), |g| g.to_string());
            let flags = format!("{},{},{}", self.is_out(c), c.at_rest, c.measurable);
            out.push_str(&format!(
                "{words},{},{counts},{figures},{gap},{},{flags}\r\n",
                pose.time_s, c.buried
            ));
        }
        out
    }
}

/// What each column of the table is.
const CSV_HEAD: &str = "group,pose,outer,inner,time_s,counts,depth_mm,poking_mm,sunk_mm,between_vertices_mm,\
    contact_mm,area_cm2,crossing_mm,strain,least_gap_mm,hidden_vertices,out,at_rest,measurable\r\n";

/// Where the rows and columns of one board are on another.
#[derive(Clone, Debug)]
pub struct Matching {
    pairs: Vec<Option<usize>>,
    poses: Vec<Option<usize>>,
}

impl Matching {
    /// Of the rows and columns of `board` on `other`.
    pub fn between(board: &Board, other: &Board) -> Self {
        let pair = |x: &BoardPair| other.pairs.iter().position(|o| o.ids == x.ids);
        Self {
            pairs: board.pairs.iter().map(pair).collect(),
            poses: board.poses.iter().map(|x| other.poses.iter().position(|o| o.is_that(x))).collect(),
        }
    }

    /// The cell of `other` for a pose and pair of the board, when it is there and measured.
    pub fn cell<'a>(&self, other: &'a Board, pose: usize, pair: usize) -> Option<&'a Cell> {
        other.cells[self.poses[pose]?].get(self.pairs[pair]?)?.as_ref()
    }
}

/// Measures `dress` afresh in every pose of `trials`; rows of layers that nothing brings together are left
/// out. `progress` is told the share done and answers whether to go on.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn measure_board(
    dress: &Dress,
    trials: &TrialSet,
    tolerance: (f32, &TrialPlan),
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Board, WorkshopError> {
    let measured = measure_every_pair(dress, trials, tolerance, progress)?;
    let mut board = Board::clone(&measured.board).without_idle_rows();
    let ids: Vec<PieceId> = (1..=dress.pieces.len() as PieceId).collect();
    FloorRows::of((dress, &ids), trials, tolerance).add_to(&mut board);
    Ok(board)
}

/// Measures `dress` afresh in every pose of `trials`, every two layers. `progress` is told the share done and
/// answers whether to go on.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub(crate) fn measure_every_pair(
    dress: &Dress,
    trials: &TrialSet,
    (tolerance_mm, plan): (f32, &TrialPlan),
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Measured, WorkshopError> {
    let started = std::time::Instant::now();
    let (mut outfit, piece_of) = dress.outfit();
    outfit.off = dress.taken_off(&piece_of, plan);
    let number = |(layer, piece): (usize, &Option<usize>)| (layer as PieceId, dress.layer_name(*piece));
    let layers: Vec<(PieceId, &str)> = piece_of.iter().enumerate().map(number).collect();
    let order = rows(&outfit);
    let pair = |&r: &usize| (outfit.pairs[r].outer, outfit.pairs[r].inner);
    let mut pairs: Vec<(usize, usize)> = order.iter().map(pair).collect();
    let covered = pairs.len();
    pairs.extend(contacts(outfit.layers.len(), &pairs));
    let mut board = Board::empty((&pairs, covered), &layers, trials, (tolerance_mm, plan));
    let tolerances: Vec<f32> = board.pairs.iter().map(|p| p.tolerance_mm).collect();
    let still = outfit.buffers();
    let of_pair = |p: &(usize, usize)| Arc::new(AtRest::of(&outfit, &still, *p));
    let at_rest: Vec<Arc<AtRest>> = pairs.par_iter().map(of_pair).collect();
    let done = AtomicUsize::new(0);
    let poses = trials.poses(&dress.body);
    let pool = outfit.pool();
    let one = |(pose, trial): (&TrialPose, &Trial)| {
        if !progress(done.fetch_add(1, Ordering::Relaxed) as f32 / poses.len() as f32) {
            return None;
        }
        pool.with(|buffers| {
            buffers.pose(&outfit, &pose.matrices, &pose.amounts);
            let in_pose = InPose::new(&outfit, buffers);
            let one = |l: usize| (strain(&outfit, buffers, l), stiffness(&outfit, buffers, l));
            let strains: Vec<(f32, f32)> = (0..outfit.layers.len()).into_par_iter().map(one).collect();
            let cell = |r: usize| {
                let (layers, rest) = (pairs[r], &*at_rest[r]);
                let meeting = in_pose.meeting(layers, rest);
                let crossing = in_pose.crossing(layers, &meeting, rest, r >= covered);
                // Of layers that rest does not show together nothing is asked but whether they meet.
                let (through, sight) = match order.get(r) {
                    None => (Through::default(), Sight::default()),
                    Some(&pair) => {
                        let settings = Settings { tolerance: tolerances[r] * 0.001, ..Settings::default() };
                        let beyond = (!trial.is_rest()).then_some(rest);
                        let through = in_pose.through(pair, settings, &meeting, beyond);
                        let sight = in_pose.see(pair, &through);
                        (through, sight)
                    }
                };
                let (strain, stiffness) = strains[layers.0];
                let contact = (r >= covered).then_some(tolerances[r]);
                let cell = Cell::of(&sum_up(&through, &sight, strain), &crossing, contact);
                let pair = (order.get(r).copied(), layers);
                let places = places_of(&outfit, pair, (&through, &sight, &crossing), tolerances[r] * 0.001);
                (Some(cell.with_stiffness(stiffness)), places)
            };
            Some((0..pairs.len()).into_par_iter().map(cell).unzip::<_, _, Vec<_>, Vec<_>>())
        })
    };
    let measured: Option<Vec<_>> = poses.par_iter().zip(&trials.trials).map(one).collect();
    let (cells, places): (Vec<_>, Vec<_>) = measured.ok_or(WorkshopError::Stopped)?.into_iter().unzip();
    board.cells = cells;
    board.seconds_per_pose = started.elapsed().as_secs_f64() / poses.len().max(1) as f64;
    let counted = |(pose, rows): (usize, Vec<Vec<Place>>)| {
        let rows = rows.into_iter().enumerate();
        rows.filter(|(row, _)| board.counts(pose, *row) == Counts::Counted).flat_map(|r| r.1).collect()
    };
    let trouble = places.into_iter().enumerate().map(counted).collect();
    let known = |p: &Pair| pairs.iter().position(|layers| *layers == (p.outer, p.inner));
    // Every two layers have a row.
    let at_rest = outfit.pairs.iter().filter_map(known).map(|row| Arc::clone(&at_rest[row])).collect();
    Ok(Measured { board: Arc::new(board), outfit, piece_of, at_rest, trouble })
}

/// The pairs of layers that are not among `rows`, each against itself included: rest does not show them
/// together, a pose may. In the order of rows.
pub(crate) fn contacts(layers: usize, rows: &[(usize, usize)]) -> Vec<(usize, usize)> {
    let all = (0..layers).rev().flat_map(|outer| (0..=outer).rev().map(move |inner| (outer, inner)));
    all.filter(|pair| !rows.contains(pair)).collect()
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
