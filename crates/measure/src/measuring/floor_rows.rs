//! Rows of the board for what goes beneath the ground.

use crate::measuring::board::{Board, BoardPair};
use crate::measuring::cell::Cell;
use glam::Vec3;
use rayon::prelude::*;
use tin_cloak_core::clearance::{beneath, BelowFloor, Floor};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::trial::Humanoid;
use tin_cloak_core::units::from_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::trial_plan::TrialPlan;

/// The ground's number among pieces.
pub const GROUND: PieceId = PieceId::MAX;

/// What the ground is called.
pub const GROUND_NAME: &str = "the ground";

/// Rows with their cells, by pose.
#[derive(Clone, Debug, Default)]
pub struct FloorRows(Vec<(BoardPair, Vec<Cell>)>);

impl Weighed for FloorRows {
    fn bytes(&self) -> usize {
        self.0.iter().map(|row| 96 + row.1.len() * std::mem::size_of::<Cell>()).sum()
    }
}

impl FloorRows {
    /// Of the bound pieces of `dress` (with their numbers) that go beneath the ground in some pose of `trials`,
    /// where the plan asks for them.
    pub fn new(
        dress: &Dress,
        ids: &[PieceId],
        trials: &TrialSet,
        tolerance_mm: f32,
        plan: &TrialPlan,
    ) -> Self {
        let Some(floor) = plan.ground.then(|| floor_of(dress)).flatten() else { return Self::default() };
        let poses = trials.poses(&dress.body);
        let level = |p: &TrialPose| floor.level_in(&dress.body.posed(&p.matrices, &p.amounts));
        let levels: Vec<f32> = poses.par_iter().map(level).collect();
        let rest_level = floor.level_in(&dress.body.rest);
        let row = |(piece, id): (&Piece, &PieceId)| {
            let tolerance_mm = plan.tolerance_of(&piece.name, GROUND_NAME).unwrap_or(tolerance_mm);
            let rest: Vec<f32> = piece.rest.iter().map(|p| rest_level - p.y).collect();
            let cell = |pose: usize| {
                let at = piece.posed(&poses[pose].matrices);
                let told: &[f32] = if trials.trials[pose].is_rest() { &[] } else { &rest };
                cell_of(beneath(&at, levels[pose], told, from_mm(tolerance_mm)), &at)
            };
            let cells: Vec<Cell> = (0..poses.len()).into_par_iter().map(cell).collect();
            let pair = BoardPair {
                ids: [*id, GROUND],
                outer: piece.name.clone(),
                inner: GROUND_NAME.to_owned(),
                at_rest: false,
                counts: plan.of_pair(&piece.name, GROUND_NAME),
                tolerance_mm,
            };
            cells.iter().any(Cell::is_bad).then_some((pair, cells))
        };
        let bound = dress.pieces.iter().zip(ids).filter(|(p, _)| p.bound.is_some() && !p.cage);
        Self(bound.rev().filter_map(row).collect())
    }

    /// Puts them at the end of a board.
    pub fn add_to(&self, board: &mut Board) {
        for (pair, cells) in &self.0 {
            board.pairs.push(pair.clone());
            board.cells.iter_mut().zip(cells).for_each(|(column, cell)| column.push(Some(cell.clone())));
        }
    }
}

/// The ground under a dressed body at rest.
fn floor_of(dress: &Dress) -> Option<Floor> {
    let person = Humanoid::find(&dress.body.skeleton);
    let feet: Vec<JointId> =
        [person.left, person.right].iter().flat_map(|l| [l.foot, l.toe]).flatten().collect();
    let mut soles: Vec<Vec3> = Vec::new();
    for piece in &dress.pieces {
        let Some(bound) = &piece.bound else { continue };
        let on_foot = |v: &usize| {
            let most = bound.skin.row(*v).max_by(|a, b| a.1.total_cmp(&b.1));
            most.is_some_and(|(joint, _)| feet.contains(&joint))
        };
        soles.extend((0..piece.rest.len()).filter(on_foot).map(|v| piece.rest[v]));
    }
    Floor::under(&dress.body.rest, &soles)
}

fn cell_of(found: Option<BelowFloor>, at: &[Vec3]) -> Cell {
    let Some(BelowFloor { vertices, deepest: (vertex, depth) }) = found else { return Cell::default() };
    let spot = Some((at[vertex as usize].to_array(), [0.0, 0.0, 1.0]));
    Cell { sunk: vertices, sunk_deepest_mm: (depth * 1e5).round() / 100.0, spot, ..Cell::default() }
}
