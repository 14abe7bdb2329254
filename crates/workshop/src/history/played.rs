//! Maps and motions of a fitting, as the viewport asks for them.

use crate::history::workshop::Workshop;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_measure::measuring::cells::cells_of;
use tin_cloak_model::dress::figure_shapes::own_shapes;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::fitting::FittingState;
use tin_cloak_model::state::trial_plan::{Frames, TrialPlan};
use tin_cloak_stations::looking::maps::MapKind;
use tin_cloak_stations::looking::skinned::SkinnedOfRoom;
use tin_cloak_stations::looking::skinned::{PartMap, Played};
use tin_cloak_stations::looking::view::ViewRequest;

/// So many poses of a motion are sent a second, and at most in all.
const RATE: u32 = 30;
const MOST_POSES: usize = 2400;
/// Still poses follow each other in this time, seconds.
const STILL_STEP: f32 = 0.25;

impl Workshop {
    /// The map of each part of a fitting (as of a step) in a pose: its number, and the values. What the board
    /// knows of the pose is not asked again.
    ///
    /// # Errors
    /// When the fitting, the pose or the joint is not there.
    pub fn maps(
        &self,
        fitting: i64,
        step: Option<i64>,
        request: &ViewRequest,
    ) -> Result<Vec<PartMap>, WorkshopError> {
        let room = self.room(fitting, step)?;
        let may_know = request.map == MapKind::Clearance && request.is_as_tried() && room.is_measurable();
        let known = may_know.then(|| cells_of(&room, self.kept(), request.pose)).transpose()?.flatten();
        room.maps_in(request, known.as_ref())
    }

    /// The poses of a group as a motion: a clip at 30 poses a second, still poses one after the other.
    ///
    /// # Errors
    /// When the fitting is not there or a file cannot be read.
    pub fn played(&self, fitting: i64, group: &str) -> Result<Played, WorkshopError> {
        let room = self.room(fitting, None)?;
        let body = &room.dress.body;
        let is_still = room.trials.trials.iter().any(|t| t.group == group && t.is_still);
        let set = if is_still {
            room.trials.clone()
        } else {
            let plan = TrialPlan { frames: Frames::Rate(RATE), ..room.state.plan.clone() };
            let state = FittingState { plan, ..room.state.clone() };
            let own = own_shapes(body, &room.dress.pieces);
            self.decoder.trials(&self.store, &state, body, &own)?
        };
        let trials: Vec<_> = set.trials.iter().filter(|t| t.group == group).collect();
        let step = trials.len().div_ceil(MOST_POSES).max(1);
        let one = |(n, t): (usize, &&tin_cloak_model::dress::trials::Trial)| {
            let matrices = body.skeleton.skin_matrices(&t.pose);
            let time = if is_still { n as f32 * STILL_STEP } else { t.time };
            (time, TrialPose { matrices, amounts: t.amounts(body, &t.pose) })
        };
        Ok(trials.iter().enumerate().step_by(step).map(one).collect())
    }
}
