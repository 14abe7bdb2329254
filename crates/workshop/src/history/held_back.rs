//! What became of poses that a plan holds back.

use serde::{Deserialize, Serialize};
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_model::dress::trials::ON_THE_WAY;
use tin_cloak_model::state::trial_plan::Counts;

/// Poses that a plan holds back: no step is made for them, and each is judged by them. Of two figures the first is of
/// now, the second of when all of the plan is done.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct HeldBack {
    /// How many.
    pub poses: usize,
    /// Counted cells out of tolerance in them.
    pub cells: (usize, usize),
    /// Their depth in all, millimetres.
    pub mm: (f32, f32),
    /// Those cells that are on the way to built-in poses.
    #[serde(default)]
    pub cells_on_the_way: (usize, usize),
    /// The depth of the deepest of these, millimetres.
    #[serde(default)]
    pub deepest_on_the_way_mm: (f32, f32),
}

impl HeldBack {
    /// Of the boards of the poses that are held back.
    pub fn between(was: &Board, is: &Board) -> Self {
        let (way_was, way_is) = (on_the_way(was), on_the_way(is));
        Self {
            poses: is.poses.len(),
            cells: (was.bad_cells(), is.bad_cells()),
            mm: (was.out_mm(), is.out_mm()),
            cells_on_the_way: (way_was.0, way_is.0),
            deepest_on_the_way_mm: (way_was.1, way_is.1),
        }
    }

    /// “in 60 poses held back 4 % of the depth is left: 88 → 12 cells, 1210 → 48 mm; on the way to built-in poses 9 → 2
    /// cells, 3.1 mm at most”; nothing where nothing was out.
    pub fn in_words(&self) -> Option<String> {
        let Self { poses, cells, mm, .. } = self;
        let left = mm.1 / mm.0.max(f32::MIN_POSITIVE) * 100.0;
        (*poses > 0 && mm.0 > 0.0).then(|| {
            let all = format!(
                "in {poses} poses held back {left:.0} % of the depth is left: {} → {} cells, {:.0} → {:.0} mm",
                cells.0, cells.1, mm.0, mm.1
            );
            match self.cells_on_the_way {
                (0, 0) => all,
                (was, is) => format!(
                    "{all}; on the way to built-in poses {was} → {is} cells, {:.1} mm at most",
                    self.deepest_on_the_way_mm.1
                ),
            }
        })
    }

    /// “in 71 poses that nothing was made for 88 cells are out of tolerance, 1026 mm deep in all”.
    pub fn left_in_words(&self) -> Option<String> {
        (self.poses > 0).then(|| {
            format!(
                "in {} poses that nothing was made for {} cells are out of tolerance, {:.0} mm deep in all",
                self.poses, self.cells.1, self.mm.1
            )
        })
    }
}

/// Counted cells out of tolerance on the way to built-in poses, and how deep the deepest is, millimetres.
fn on_the_way(board: &Board) -> (usize, f32) {
    let out = board.out(Counts::Counted).filter(|(pose, _, _)| board.poses[*pose].group == ON_THE_WAY);
    out.fold((0, 0.0), |(cells, deepest), c| (cells + 1, c.2.depth_mm().max(deepest)))
}
