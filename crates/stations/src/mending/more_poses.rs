//! Poses besides those of a fitting: those that a mend is made for too, and those that a plan holds back to judge by.

use crate::making::doing::Doing;
use tin_cloak_model::dress::figure_shapes::own_shapes;
use tin_cloak_model::dress::motions::SaidRanges;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::{clip_trials, plan_trials, trials_on_the_way, Trial, TrialSet};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::push::MOST_COMBINED;
use tin_cloak_model::state::trial_plan::{AtRandom, Frames, TrialPlan, Tries};

/// Seeds of combined poses: those that mends are made for, and those that are held back. They are two, so that nothing
/// is judged by what it was made for.
const FOR_MENDS: u64 = 5;
const HELD_BACK: u64 = 911;
/// So many combined poses are held back.
const HELD: usize = 40;
/// So many frames of clips at most.
const HELD_FRAMES: usize = 60;
/// Frames nearer than this to one that is tried are that one, seconds.
const SAME_FRAME_S: f32 = 1e-3;

impl Doing<'_> {
    /// Does something as if so many combined poses were tried besides; what is tried stays as it is.
    pub fn in_more_poses(
        &mut self,
        poses: usize,
        work: impl FnOnce(&mut Doing) -> Result<String, WorkshopError>,
    ) -> Result<String, WorkshopError> {
        if poses > MOST_COMBINED {
            return Err(WorkshopError::TooManyCombined { most: MOST_COMBINED });
        }
        let own = self.draft.state.plan.clone();
        let mut draft = self.draft.clone();
        draft.state.plan = with_combined(&own, poses);
        let room = self.room_of(&draft)?;
        let sentence = work(&mut Doing { room: &room, draft: &mut draft, ..*self })?;
        draft.state.plan = own;
        *self.draft = draft;
        Ok(match room.trials.trials.len() > self.room.trials.trials.len() {
            true => format!("{sentence}, for {poses} combined poses too"),
            false => sentence,
        })
    }
}

/// The same plan with so many combined poses at least.
fn with_combined(plan: &TrialPlan, poses: usize) -> TrialPlan {
    let mut plan = plan.clone();
    if plan.left_out.contains(&Tries::Planned) {
        plan.left_out.retain(|t| *t != Tries::Planned);
        (plan.sweeps, plan.random, plan.combined, plan.body_shapes) = (Vec::new(), None, None, false);
    }
    // The first of a seed are the same however many there are: those that are tried stay among them.
    let own = plan.combined.unwrap_or(AtRandom { poses, seed: FOR_MENDS });
    plan.combined = Some(AtRandom { poses: own.poses.max(poses), ..own });
    plan
}

/// What a plan of mending is judged by and never made for: combined poses, the way to each built-in pose (half of it
/// and three quarters in turn), and of clips the frames between those that are tried.
pub fn held_back(room: &Room) -> TrialSet {
    let (body, plan) = (&*room.dress.body, &room.state.plan);
    let own = &own_shapes(body, &room.dress.pieces)[..];
    let seed = HELD_BACK + u64::from(plan.combined.is_some_and(|c| c.seed == HELD_BACK));
    let combined = TrialPlan { combined: Some(AtRandom { poses: HELD, seed }), ..TrialPlan::default() };
    let mut trials = plan_trials(body, own, &combined, &SaidRanges::new(&room.state)).trials;
    if !plan.on_the_way {
        let way = trials_on_the_way(&room.trials).into_iter().enumerate();
        trials.extend(way.filter(|(n, _)| n % 4 == 0 || n % 4 == 3).map(|(_, t)| t));
    }
    if let Frames::Some(count) = plan.frames {
        let between = clip_trials(body, own, Frames::Some(2 * count - 1)).trials;
        let is_tried = |t: &Trial| {
            let same = |known: &Trial| known.group == t.group && (known.time - t.time).abs() < SAME_FRAME_S;
            room.trials.trials.iter().any(same)
        };
        let clips = !plan.left_out.contains(&Tries::Clips);
        let untried: Vec<Trial> = between.into_iter().filter(|t| clips && !is_tried(t)).collect();
        let every = untried.len().div_ceil(HELD_FRAMES).max(1);
        trials.extend(untried.into_iter().step_by(every));
    }
    trials.iter_mut().for_each(|t| t.driven_off = plan.driven_off);
    TrialSet { trials, ..TrialSet::default() }
}
