//! Shapes that turns of joints call up, for what is through in a few poses and clear in the rest.

use crate::mending::push_out::{Pushing, ToMend};
use crate::mending::regressions::kept_of_change;
use glam::Vec3;
use std::sync::atomic::{AtomicBool, Ordering};
use tin_cloak_core::clearance::Place;
use tin_cloak_core::deform::Driver;
use tin_cloak_core::mend::{
    bad_turns, keep_rigid, push_out_with, BadTurn, Mending, PoseCache, PushSettings, Trouble,
};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::units::from_mm;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;

/// A fold may get deeper by so much with what is pushed about it, millimetres.
pub const FOLDS_MM: f32 = 10.0;

/// What gives way in a shape, besides what lies over it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Gives {
    /// What lies over something that is through: nothing is squeezed in.
    Outer,
    /// That, and what it lies over.
    Both,
}

/// From where on a shape comes in.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Begins {
    /// Well before anything is through.
    Early,
    /// Near the widest turn: what goes less far has nothing of it.
    Late,
}

/// How a shape is sought.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Way {
    pub gives: Gives,
    pub begins: Begins,
    /// Whether it is tried between two sides of a fold, too: where that leads is uncertain.
    pub in_folds: bool,
    /// Whether what is clear about contacts is kept so, and what comes through is mended on top: slower, and surer.
    pub thorough: bool,
    /// The only layer that goes, off what it lies over; all that it takes where there is none.
    pub only: Option<usize>,
}

/// What a turn calls up.
#[derive(Clone, Debug)]
pub struct CalledUp {
    pub driver: Driver,
    /// By piece of the dress (none for the body), an offset a vertex.
    pub offsets: Vec<(Option<usize>, Vec<Vec3>)>,
}

impl CalledUp {
    /// This one, and `more` on top of it.
    pub fn and(mut self, more: Self) -> Self {
        for (piece, moves) in more.offsets {
            match self.offsets.iter_mut().find(|o| o.0 == piece) {
                Some((_, known)) => known.iter_mut().zip(&moves).for_each(|(k, m)| *k += *m),
                None => self.offsets.push((piece, moves)),
            }
        }
        self
    }

    /// The same without what it spoils: `after` is measured with it, `before` without.
    pub fn without_what_spoils(mut self, dress: &Dress, before: &Measured, after: &Measured) -> Self {
        for (piece, shares) in kept_of_change(before, after) {
            for (_, offsets) in self.offsets.iter_mut().filter(|o| o.0 == Some(piece)) {
                shares.iter().for_each(|(v, share)| offsets[*v] *= *share);
                let rest = &dress.pieces[piece].rest;
                let mut moved: Vec<Vec3> = rest.iter().zip(&*offsets).map(|(p, o)| *p + *o).collect();
                keep_rigid(&rigid_parts(&dress.pieces[piece]), rest, &mut moved, f32::INFINITY);
                offsets.iter_mut().zip(moved.iter().zip(rest.iter())).for_each(|(o, (p, r))| *o = *p - *r);
            }
        }
        self
    }
}

/// Rounds for a shape, and how far each goes, millimetres.
const ROUNDS: usize = 24;
const STEP_MM: f32 = 6.0;
/// Newton steps of each weight in a round.
const STEPS: (usize, usize) = (4, 4);
/// A pose with less than this of a shape does not speak for it.
const LEAST: f32 = 0.02;
/// What begins late begins at this share of the widest turn.
const LATE: f32 = 0.5;
/// A shape there is is gone on with where a pose has this share of it at least, of what it would have of a fresh one.
const THERE: f32 = 0.5;
/// Turns of one joint whose axes are nearer than this (the cosine) are one.
const ALIKE: f32 = 0.9;

/// A shape that is sought.
#[derive(Clone, Debug, PartialEq)]
pub struct Sought {
    /// What calls it up, and against what.
    pub turn: BadTurn,
    /// The layers that may go.
    movable: Vec<usize>,
    in_folds: bool,
    /// As of its [`Way`].
    pub thorough: bool,
}

/// The shape that is sought against what is through in `now`: of the turns that are to blame, but for those in `tried`,
/// that for the most; of those in `taken` it is the very one, so that its shape can be gone on with.
pub fn next_sought(
    what: &ToMend,
    now: &Measured,
    tried: &[Driver],
    taken: &[Driver],
    Way { begins, gives, in_folds, thorough, only }: Way,
) -> Option<Sought> {
    let pushing = Pushing::new(what, now);
    let joints = pushing.joints(what);
    let Pushing { outfit, mut movable, mut trouble, .. } = pushing;
    // The body lies over nothing: alone it gives way as what lies beneath does.
    let gives = if what.pieces.is_empty() { Gives::Both } else { gives };
    let is_outer =
        |place: &Place, layer: usize| outfit.lying_at(place).is_some_and(|[a, b]| a.0.max(b.0) == layer);
    trouble.iter_mut().for_each(|places| places.retain(|p| only.is_none_or(|only| is_outer(p, only))));
    let turns = bad_turns(&outfit, &what.dress.body.skeleton, &joints, &trouble, tried);
    let next = turns.into_iter().next()?;
    let late = |d: &Driver| d.from >= LATE * d.full * 0.999;
    let fresh = match begins {
        Begins::Early => next.driver,
        Begins::Late => Driver { from: next.driver.from.max(LATE * next.driver.full), ..next.driver },
    };
    // What is hardly there in a pose would have to go far in others to bring anything in it.
    let is_there = |d: &Driver| {
        let mut blamed = next.blamed.iter().map(|b| &joints[b.0]);
        blamed.all(|pose| d.amount(pose) >= THERE * fresh.amount(pose))
    };
    let same = |d: &&Driver| {
        let wished = late(d) == (begins == Begins::Late) && is_there(d);
        wished && d.joint == next.driver.joint && d.axis.dot(next.driver.axis) > ALIKE
    };
    let turn = BadTurn { driver: taken.iter().find(same).copied().unwrap_or(fresh), ..next };
    let first = |place: &Place| {
        outfit.lying_at(place).map(|[a, b]| match gives {
            Gives::Outer => a.0.max(b.0),
            Gives::Both => a.0.min(b.0),
        })
    };
    let from = turn.blamed.iter().flat_map(|b| &b.1).filter_map(first).min();
    movable.retain(|layer| only.map_or(Some(*layer) >= from, |only| *layer == only));
    Some(Sought { turn, movable, in_folds, thorough })
}

impl Sought {
    /// What a turn is to be mended by.
    pub fn new(turn: BadTurn, movable: Vec<usize>, in_folds: bool) -> Self {
        Self { turn, movable, in_folds, thorough: false }
    }

    /// True of the same, but for whether it is tried between two sides of a fold.
    pub fn is_alike(&self, other: &Self) -> bool {
        Self { in_folds: other.in_folds, ..self.clone() } == *other
    }
}

/// The shape that is sought in `now`; `None` when nothing that moves brings anything. What came through with another
/// one (`met`, by trial pose) is kept clear too: what lay clear of everything is not asked by itself. `meets_folds`
/// is set when something lay between two sides of a fold.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn shape_for(
    what: &ToMend,
    now: &Measured,
    Sought { turn, movable, in_folds, thorough }: &Sought,
    met: &[Trouble],
    cache: &PoseCache,
    meets_folds: &AtomicBool,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Option<CalledUp>, WorkshopError> {
    let pushing = Pushing::new(what, now);
    let joints = pushing.joints(what);
    let Pushing { outfit, at_rest, counted, mut poses, trouble, .. } = pushing;
    let known = poses.iter().map(|p| p.amounts.len()).chain(outfit.layers.iter().map(|l| l.morphs.len()));
    let shape = known.max().unwrap_or(0);
    for (pose, joints) in poses.iter_mut().zip(&joints) {
        pose.amounts.resize(shape, 0.0);
        pose.amounts.push(turn.driver.amount(joints));
    }
    let there: Vec<usize> = (0..poses.len()).filter(|p| poses[*p].amounts[shape] > LEAST).collect();
    // What other turns are to blame for pulls at nothing here; what lies in its own fold is known by all of it.
    let pulls = |pose: usize, place: &Place| {
        place.is_in_itself() || turn.blamed.iter().any(|b| b.0 == pose && b.1.binary_search(place).is_ok())
    };
    let of = |p: &usize| -> Trouble {
        let met = met.get(counted[*p]).into_iter().flatten().filter(|place| !place.is_in_itself());
        trouble[*p].iter().filter(|place| pulls(*p, place)).chain(met).copied().collect()
    };
    let (poses, trouble): (Vec<_>, Vec<_>) = there.iter().map(|p| (poses[*p].clone(), of(p))).unzip();
    let numbers: Vec<usize> = there.iter().map(|p| counted[*p]).collect();
    let limit = from_mm(what.options.limit_mm);
    let (rounds, step) = (ROUNDS, from_mm(STEP_MM));
    let (any_way, reweighed, steps) = (true, 1, STEPS);
    let settings = PushSettings {
        limit,
        reach: limit,
        rounds,
        step,
        any_way,
        in_folds: *in_folds,
        about_contacts: *thorough,
        reweighed,
        steps,
        ..what.settings()
    };
    // What is not chosen stays.
    let stays = |piece: &Option<usize>| -> Vec<bool> {
        what.chosen_on(*piece).map_or_else(Vec::new, |chosen| chosen.iter().map(|c| !c).collect())
    };
    let held: Vec<Vec<bool>> = now.piece_of.iter().map(stays).collect();
    let mending = Mending {
        outfit: &outfit,
        movable,
        held: &held,
        poses: &poses,
        trouble: &trouble,
        at_rest: &at_rest,
        shape: Some(shape),
        settings,
    };
    let fail = |source| WorkshopError::Bind { piece: what.dress.body.name.clone(), source };
    let pushed =
        push_out_with(mending, cache, &numbers, progress).map_err(fail)?.ok_or(WorkshopError::Stopped)?;
    meets_folds.fetch_or(pushed.meets_folds, Ordering::Relaxed);
    if pushed.short.1 >= pushed.short.0 {
        return Ok(None);
    }
    let mut offsets = Vec::new();
    for report in pushed.pieces.iter().filter(|r| r.moved > 0) {
        let (rest, moved) = (&outfit.layers[report.layer].rest, &pushed.rest[report.layer]);
        let moves = moved.iter().zip(rest).map(|(a, b)| *a - *b).collect();
        offsets.push((now.piece_of[report.layer], moves));
    }
    Ok((!offsets.is_empty()).then_some(CalledUp { driver: turn.driver, offsets }))
}

impl Pushing {
    /// The joints of each pose.
    fn joints(&self, what: &ToMend) -> Vec<Pose> {
        self.counted.iter().map(|p| what.trials.trials[*p].pose.clone()).collect()
    }
}

/// No deeper, in all and the deepest, than `first`, but for what folds about it may come to.
pub fn is_no_deeper(after: &Board, first: &Board) -> bool {
    after.out_mm() <= first.out_mm() && after.deepest_mm() <= first.deepest_mm() + FOLDS_MM
}
