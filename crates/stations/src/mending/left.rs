//! How much is left on a board, to tell the better of two; and why something is, when all that helps is done.

use crate::mending::means::name;
use crate::mending::push_out::curable_mm;
use std::collections::{BTreeMap, HashSet};
use tin_cloak_core::mend::folded;
use tin_cloak_formats::PieceKind;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::push::MendOptions;
use tin_cloak_model::state::trial_plan::Counts;

/// A cell out of tolerance weighs as much as so much of depth, millimetres.
const CELL_MM: f32 = 10.0;
/// What is stretched to nearly three times what cloth stands, in one pose, weighs as much as so much of a cell.
const TORN: f32 = 0.25;
/// More of a change that brought less than this share is not worth while.
const WORTH_GOING_ON: f32 = 0.02;

/// What is left on a board.
#[derive(Clone, Copy, Debug)]
pub struct Left {
    /// Counted cells out of tolerance.
    pub cells: usize,
    /// What these weigh, each by what is seen of it.
    pub seen: f32,
    /// How much pieces are torn: cloth that is clear since it is torn is no better.
    pub torn: f32,
    /// The depths of the cells that could be cured, millimetres.
    pub mm: f32,
}

impl Left {
    /// Of cells no more than `most_mm` counts.
    pub fn on(board: &Board, most_mm: f32) -> Self {
        Self {
            cells: board.bad_cells(),
            seen: board.bad_weight(),
            torn: board.torn(),
            mm: curable_mm(board, most_mm),
        }
    }

    /// Cells, and what is torn counted like them.
    pub fn bad(self) -> f32 {
        self.cells as f32 + TORN * self.torn
    }

    /// All of it as one number, millimetres: cells, by what is seen of them, and what is torn weigh like depth.
    pub fn weight(self) -> f32 {
        self.mm + CELL_MM * (self.seen + TORN * self.torn)
    }

    /// Less is left in all, though it may lie in some cells more: what comes next clears these.
    pub fn is_less_than(self, other: Self) -> bool {
        self.weight() < other.weight()
    }

    /// So little less that no more of the same is worth while.
    pub fn is_hardly_less_than(self, other: Self) -> bool {
        self.weight() > other.weight() * (1.0 - WORTH_GOING_ON)
    }

    /// No more cells, and fewer with what is torn counted like them; or as many of these with less depth.
    pub fn is_better_than(self, other: Self) -> bool {
        self.cells <= other.cells && (self.bad(), self.mm) < (other.bad(), other.mm)
    }
}

/// What keeps something from being cured.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Reason {
    Itself,
    /// All of it lies between two sides of a fold.
    Fold,
    BothStiff,
    Deep,
    OneStiff,
    NoRoom,
}

impl Reason {
    fn words(self) -> String {
        let limit = MendOptions::default().limit_mm;
        match self {
            Self::Itself => "it lies in itself: there is no room to move it to".to_owned(),
            Self::Fold => "it lies between two sides of a fold: there is no room to move it to".to_owned(),
            Self::BothStiff => "both are stiff".to_owned(),
            Self::Deep => format!("deeper than the {limit:.0} mm that anything may move at rest"),
            Self::OneStiff => "no one move of a stiff part clears all poses".to_owned(),
            Self::NoRoom => "what clears one pose spoils another, or there is no room".to_owned(),
        }
    }
}

/// How many cells of each two layers are left out of tolerance, and why, the most first.
pub fn reasons_left(room: &Room, now: &Measured) -> Vec<(usize, String)> {
    let limit = MendOptions::default().limit_mm;
    let is_stiff = |id| room.dress.pieces.iter().any(|p| p.id == id && matches!(p.kind, PieceKind::Stiff));
    let in_folds: Vec<HashSet<(PieceId, PieceId)>> =
        (0..now.trouble.len()).map(|pose| only_in_folds(room, now, pose)).collect();
    let mut rows: BTreeMap<(PieceId, PieceId, Reason), (usize, f32)> = BTreeMap::new();
    for (pose, row, cell) in now.board.out(Counts::Counted) {
        let [outer, inner] = now.board.pairs[row].ids;
        let reason = match () {
            () if outer == inner => Reason::Itself,
            () if in_folds[pose].contains(&(outer, inner)) => Reason::Fold,
            () if is_stiff(outer) && is_stiff(inner) => Reason::BothStiff,
            () if cell.depth_mm() > limit => Reason::Deep,
            () if is_stiff(outer) || is_stiff(inner) => Reason::OneStiff,
            () => Reason::NoRoom,
        };
        let (cells, deepest) = rows.entry((outer, inner, reason)).or_default();
        (*cells, *deepest) = (*cells + 1, deepest.max(cell.depth_mm()));
    }
    let told = |((outer, inner, reason), (cells, deepest)): ((PieceId, PieceId, Reason), (usize, f32))| {
        let (over, beneath) = (name(room, outer), name(room, inner));
        let what = if outer == inner { over.to_owned() } else { format!("{beneath} through {over}") };
        (cells, format!("{what}, {deepest:.1} mm: {}", reason.words()))
    };
    let mut left: Vec<(usize, String)> = rows.into_iter().map(told).collect();
    left.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
    left
}

/// The pairs that are through in a pose at nothing but places between two sides of a fold.
fn only_in_folds(room: &Room, now: &Measured, pose: usize) -> HashSet<(PieceId, PieceId)> {
    let folds = folded(&now.trouble[pose]);
    let id_of = |layer: usize| now.piece_of[layer].map_or(BODY, |p| room.dress.pieces[p].id);
    let others = now.trouble[pose].iter().filter(|place| !place.is_in_itself());
    let (mut inside, mut free) = (HashSet::new(), HashSet::new());
    for [a, b] in others.filter_map(|place| now.outfit.lying_at(place)) {
        let list = if folds.contains(&a) || folds.contains(&b) { &mut inside } else { &mut free };
        list.insert((id_of(a.0.max(b.0)), id_of(a.0.min(b.0))));
    }
    &inside - &free
}
