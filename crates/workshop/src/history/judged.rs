//! What a step of a plan is judged by: the board of its own trials, what poses show that are held back, and what became
//! of the look of cloth.

use std::sync::Arc;
use tin_cloak_core::mend::{look_of_change, Look};
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_model::dress::room::Room;
use tin_cloak_stations::mending::correct::{is_no_deeper, FOLDS_MM};
use tin_cloak_stations::mending::left::Left;
use tin_cloak_stations::mending::means::MeansKind;

/// The boards of a state.
#[derive(Clone)]
pub(super) struct Judged {
    pub board: Arc<Board>,
    /// In poses that nothing is made for.
    pub held: Arc<Board>,
}

/// What is stretched to nearly three times what cloth stands, in one pose, weighs as much as so much of depth, besides
/// what [`Left`] has it weigh: weights that clear by tearing cloth apart are none that anybody keeps.
const TORN_MM: f32 = 10.0;
/// Less of a gain than this share is none, where it is weighed over all poses.
const WORTH: f32 = 0.02;
/// So much deeper in the poses held back is no deeper, millimetres.
const HAIR_MM: f32 = 0.5;

impl Judged {
    /// What is left in all, over all poses: depth, cells, and what is torn.
    pub fn weight(&self) -> f32 {
        let of = |board: &Arc<Board>| Left::on(board, f32::INFINITY).weight() + TORN_MM * board.torn();
        [&self.board, &self.held].map(of).iter().sum()
    }

    /// Whether something of a kind that led from `was` to here is of help.
    pub fn is_help(&self, kind: MeansKind, was: &Self) -> bool {
        let wins = self.weight() < was.weight() * (1.0 - WORTH);
        match kind {
            MeansKind::Bind | MeansKind::Beneath | MeansKind::Loosen => {
                wins && self.board.deepest_mm() <= was.board.deepest_mm() + FOLDS_MM
            }
            // What is torn is weighed with the rest.
            MeansKind::Push | MeansKind::Corrective => {
                let no_worse =
                    is_no_deeper(&self.board, &was.board) && self.board.bad_cells() <= was.board.bad_cells();
                (helps(kind, &was.board, &self.board) || (no_worse && wins)) && !self.spoils(was)
            }
            _ => helps(kind, &was.board, &self.board) && !self.spoils(was),
        }
    }

    /// True when poses that are held back get worse by more than the others get better.
    fn spoils(&self, was: &Self) -> bool {
        let cured = (was.board.out_mm() - self.board.out_mm()).max(0.0);
        self.held.out_mm() - was.held.out_mm() > cured + HAIR_MM
    }
}

/// Whether it is worth while to look at the poses held back: by its own board alone most is settled.
pub(super) fn may_help(kind: MeansKind, was: &Board, is: &Board) -> bool {
    use MeansKind::{Beneath, Bind, Corrective, Loosen, Push};
    [Bind, Beneath, Loosen, Push, Corrective].contains(&kind) || helps(kind, was, is)
}

fn is_no_worse(was: &Board, is: &Board) -> bool {
    let left = |board: &Board| Left::on(board, f32::INFINITY).bad();
    is_no_deeper(is, was) && left(is) <= left(was)
}

/// Fewer counted cells are out of tolerance, and what is left of them is no worse for it; or as many, less deep in all.
/// What is torn weighs like cells: cloth that is clear since it is torn is no help. What smooths, or bends
/// in more rows, may bring less strain instead.
fn helps(kind: MeansKind, was: &Board, is: &Board) -> bool {
    let (before, after) = (was.bad_cells(), is.bad_cells());
    let fewer = after < before || (after == before && is.out_mm() < was.out_mm() * 0.99);
    let calmer = || after == before && is.torn() < was.torn();
    is_no_worse(was, is) && (fewer || (matches!(kind, MeansKind::Smooth | MeansKind::Rows) && calmer()))
}

/// What became of the look of all pieces at rest, the worst of each figure; faces over are summed.
pub(super) fn look_of_all(before: &Room, after: &Room) -> Look {
    let mut worst = Look::default();
    for piece in &after.dress.pieces {
        let Some(old) = before.dress.pieces.iter().find(|p| p.id == piece.id) else { continue };
        if old.rest.len() != piece.rest.len() || Arc::ptr_eq(&old.rest, &piece.rest) {
            continue;
        }
        let look = look_of_change(&piece.topology, &old.rest, &piece.rest);
        worst = Look {
            faces: worst.faces + look.faces,
            turned: worst.turned.max(look.turned),
            most: worst.most.max(look.most),
            over: worst.over + look.over,
            folds: worst.folds.max(look.folds),
        };
    }
    worst
}
