//! The board: every layer pair in every trial pose, measured.

use crate::measuring::cell::Cell;
use crate::measuring::floor_rows::{GROUND, GROUND_NAME};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use tin_cloak_core::clearance::Outfit;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::trials::{Trial, TrialSet};
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::step::WorseCell;
use tin_cloak_model::state::trial_plan::{Counts, TrialPlan};

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
    pub fn empty(
        rows: &[(usize, usize)],
        covered: usize,
        layers: &[(PieceId, &str)],
        trials: &TrialSet,
        tolerance_mm: f32,
        plan: &TrialPlan,
    ) -> Self {
        let pair = |(row, &(outer, inner)): (usize, &(usize, usize))| {
            let (outer, inner) = (layers[outer], layers[inner]);
            BoardPair {
                at_rest: row < covered,
                ids: [outer.0, inner.0],
                outer: outer.1.to_owned(),
                inner: inner.1.to_owned(),
                counts: plan.of_row(outer.1, inner.1, outer.0 == inner.0),
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
    pub fn without_idle_rows(mut self) -> Self {
        let busy = |r: usize| {
            let known = self.cells.iter().filter_map(|column| column[r].as_ref());
            known.into_iter().any(|c| c.is_bad() || c.only_crosses() || !c.measurable)
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
    pub fn torn(&self) -> f32 {
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
        let out = self.out(Counts::Counted).filter(|(_, row, _)| !self.pairs[*row].is_itself());
        // From 0: a sum of nothing is −0 by itself.
        out.fold(0.0, |sum, c| sum + c.2.depth_mm())
    }

    /// How many counted cells are out of tolerance.
    pub fn bad_cells(&self) -> usize {
        self.out(Counts::Counted).count()
    }

    /// What they weigh, each by what is seen of it: 1 for one that anybody notices.
    pub fn bad_weight(&self) -> f32 {
        self.out(Counts::Counted).fold(0.0, |sum, c| sum + c.2.weight())
    }

    /// What is seen of the counted cell that shows most, square centimetres.
    pub fn most_seen_cm2(&self) -> f32 {
        self.out(Counts::Counted).map(|c| c.2.seen_cm2()).fold(0.0, f32::max)
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
        let changes = self.changes(before);
        let better = changes.iter().filter(|c| c.2 < -0.05).count();
        (better, changes.iter().filter(|c| c.2 > 0.05).count())
    }

    /// Column and row of the counted cell out of tolerance that is deeper than on `before` by the most, and by how
    /// much, millimetres; none where nothing is by more than 0.05 mm.
    pub fn worst_new(&self, before: &Self) -> Option<(usize, usize, f32)> {
        let mut worse = self.changes(before);
        let counts = |p, r| self.counts(p, r) == Counts::Counted;
        worse.retain(|&(p, r, by)| {
            by > 0.05 && counts(p, r) && self.cells[p][r].as_ref().is_some_and(Cell::is_bad)
        });
        worse.into_iter().reduce(|a, b| if b.2 > a.2 { b } else { a })
    }

    /// Column and row of each cell that can be told on both boards, and by how much it is deeper than on `before`.
    fn changes(&self, before: &Self) -> Vec<(usize, usize, f32)> {
        let matching = Matching::between(self, before);
        let change = |(p, r, cell): (usize, usize, &Cell)| {
            let old = matching.cell(before, p, r).filter(|old| old.measurable && cell.measurable)?;
            Some((p, r, cell.depth_mm() - old.depth_mm()))
        };
        self.measured().filter_map(change).collect()
    }

    /// Column and row of a cell that a step made worse, when both are still there.
    pub fn find(&self, worse: &WorseCell) -> Option<(usize, usize)> {
        let is_that =
            |p: &BoardPose| (&p.group, &p.name, p.time_s) == (&worse.group, &worse.pose, worse.time_s);
        let column = self.poses.iter().position(is_that)?;
        Some((column, self.pairs.iter().position(|p| p.ids == worse.ids)?))
    }
}

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

/// The pairs of layers that are not among `rows`, each against itself included: rest does not show them
/// together, a pose may. In the order of rows.
pub fn contacts(layers: usize, rows: &[(usize, usize)]) -> Vec<(usize, usize)> {
    let all = (0..layers).rev().flat_map(|outer| (0..=outer).rev().map(move |inner| (outer, inner)));
    all.filter(|pair| !rows.contains(pair)).collect()
}

/// Pairs as the board lists them: outermost first, and over it the nearest layer beneath first.
pub fn rows(outfit: &Outfit) -> Vec<usize> {
    let mut order: Vec<usize> = (0..outfit.pairs.len()).collect();
    order.sort_by_key(|&i| {
        let p = &outfit.pairs[i];
        (std::cmp::Reverse(p.outer), std::cmp::Reverse(p.inner))
    });
    order
}
