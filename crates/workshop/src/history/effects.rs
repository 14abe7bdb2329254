//! What a step did, and what lists say of a fitting: texts kept beside the step.

use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_measure::measuring::board::{Board, BoardPose};
use tin_cloak_measure::measuring::posed::PosedOfRoom;
use tin_cloak_measure::measuring::snag_cards::SnagCardsOfRoom;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::fitting::FittingState;
use tin_cloak_model::state::step::{Effect, WorseCell};

/// What lists say of a fitting, without decoding anything of it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Summary {
    /// The body's name.
    pub body: String,
    /// Names of the pieces, from the inside out.
    pub pieces: Vec<String>,
    /// Deepest poke-through over all poses, millimetres, once that is measured.
    pub deepest_mm: Option<f32>,
    /// Cells out of tolerance.
    pub bad: usize,
}

impl Summary {
    /// Of a state and its board, when that is whole.
    pub(crate) fn new(state: &FittingState, board: Option<&Board>) -> Self {
        let mut pieces: Vec<_> = state.pieces.iter().map(|p| (p.layer, p.name().to_owned())).collect();
        pieces.sort_by_key(|p| p.0);
        let board = board.filter(|b| b.is_whole());
        Self {
            body: state.body.mesh.clone(),
            pieces: pieces.into_iter().map(|p| p.1).collect(),
            deepest_mm: board.map(Board::deepest_mm),
            bad: board.map_or(0, Board::bad_cells),
        }
    }
}

/// The cell that got worse the most, and where in words.
fn worst_new(room: &Room, board: &Board, before: &Board) -> Option<WorseCell> {
    let (column, row, by_mm) = board.worst_new(before)?;
    let cell = board.cells[column][row].as_ref()?;
    let posed = room.posed(column, &[]).ok();
    let spot = cell.spot.map(|(at, _)| Vec3::from_array(at));
    let place = spot.zip(posed).map_or_else(String::new, |(at, posed)| room.place_name(&posed, at));
    let BoardPose { group, name: pose, time_s, .. } = board.poses[column].clone();
    Some(WorseCell {
        by_mm,
        depth_mm: cell.depth_mm(),
        ids: board.pairs[row].ids,
        group,
        pose,
        time_s,
        place,
    })
}

/// Effect and summary of a step whose board is measured, as they are kept; `was` is the effect as it
/// was kept before that.
pub(crate) fn told(
    was: &str,
    room: &Room,
    board: &Board,
    before: Option<&Board>,
) -> Result<(String, String), WorkshopError> {
    let known: Effect = serde_json::from_str(was)?;
    let deepest = |b: &Board| b.is_whole().then(|| b.deepest_mm());
    let (better, worse) = before.map_or((0, 0), |old| board.better_and_worse(old));
    let effect = Effect {
        deepest_before_mm: before.and_then(deepest),
        deepest_after_mm: deepest(board),
        better,
        worse,
        worst_new: before.and_then(|old| worst_new(room, board, old)),
        notes: known.notes,
    };
    let summary = Summary::new(&room.state, Some(board));
    Ok((serde_json::to_string(&effect)?, serde_json::to_string(&summary)?))
}
