//! Measuring the cells of a board that are not known yet.

use crate::measuring::at_rest::AtRestOfRoom;
use crate::measuring::board::{rows, Board};
use crate::measuring::cells::{board_of, CellThrough, CountPlan, Counts, Kept, Known};
use rayon::prelude::*;
use serde::Serialize;
use std::collections::HashSet;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_core::clearance::{
    stiffness, strain, AtRest, Buffers, InPose, Outfit, Penetration, Settings, Sight,
};
use tin_cloak_core::mend::PoseCache;
use tin_cloak_core::units::from_mm;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_store::{KeptKey, Store};

/// The cells of a pose that are to be measured: rows.
#[derive(Clone, Debug, Default)]
pub struct Wanted {
    pub pose: usize,
    pub through: Vec<usize>,
    pub sight: Vec<usize>,
}

/// What is not known yet, each value once although several poses may ask for it.
pub fn wanted(plan: &CountPlan, known: &Known, order: &[usize]) -> Vec<Wanted> {
    let mut taken: HashSet<Key> = HashSet::new();
    let mut list = Vec::new();
    for &pose in order {
        let mut wanted = Wanted { pose, ..Wanted::default() };
        for row in 0..plan.rows.len() {
            let found = &known.through[pose][row];
            if found.is_none() && taken.insert(plan.through[pose][row]) {
                wanted.through.push(row);
            }
            let may_show = found.as_ref().is_none_or(|t| t.may_show(row < plan.covered));
            if may_show && known.sight[pose][row].is_none() && taken.insert(plan.sight[pose][row]) {
                wanted.sight.push(row);
            }
        }
        if !(wanted.through.is_empty() && wanted.sight.is_empty()) {
            list.push(wanted);
        }
    }
    list
}

/// How a board is measured.
pub struct Measuring<'a> {
    /// Poses, the first first; those not named come after them.
    pub first: &'a [usize],
    /// Told before each pose how many are left; answers whether to go on.
    pub go_on: &'a (dyn Fn(usize) -> bool + Sync),
    /// Where layers are posed.
    pub cache: &'a PoseCache,
}

/// Measures what is not known of a room's board, and keeps it.
///
/// # Errors
/// [`WorkshopError::Stopped`] when it shall not go on (what was measured by then is kept), or when
/// the store fails.
pub fn measure_missing(room: &Room, kept: Kept, how: &Measuring) -> Result<(), WorkshopError> {
    let plan = CountPlan::new(room, kept)?;
    let known = Known::new(&plan, kept)?;
    let mut order: Vec<usize> = how.first.iter().copied().filter(|p| *p < plan.poses.len()).collect();
    order.extend(coarse_first(plan.poses.len()).into_iter().filter(|p| !how.first.contains(p)));
    let wanted = wanted(&plan, &known, &order);
    if wanted.is_empty() {
        return Ok(());
    }
    let worn = room.worn();
    let pairs = rows(&worn.outfit);
    let rest = room.at_rest(&worn, &plan.rows);
    let at = CellPlace { plan: &plan, outfit: &worn.outfit, pairs: &pairs, rest: &rest };
    let left = AtomicUsize::new(wanted.len());
    let batch = Batch::new(kept);
    let one = |w: &Wanted| {
        let left = left.fetch_sub(1, Ordering::Relaxed);
        if !(how.go_on)(left) {
            return Err(WorkshopError::Stopped);
        }
        how.cache.lend(w.pose, &worn.outfit, |buffers| at.measure(w, buffers, &batch))
    };
    // The first alone, on all threads: somebody is looking at it.
    let outcome = match wanted.split_first() {
        Some((first, rest)) => one(first).and_then(|()| rest.par_iter().try_for_each(one)),
        None => Ok(()),
    };
    batch.flush()?;
    outcome
}

/// The same for all poses alike; `tell` is told the share that is done, and answers whether to go on.
///
/// # Errors
/// As [`measure_missing`].
pub fn measure_all(
    room: &Room,
    kept: Kept,
    cache: &PoseCache,
    tell: &(dyn Fn(f32) -> bool + Sync),
) -> Result<(), WorkshopError> {
    let most = AtomicUsize::new(0);
    let go_on = |left: usize| {
        let most = most.fetch_max(left, Ordering::Relaxed).max(left);
        tell(1.0 - left as f32 / most.max(1) as f32)
    };
    measure_missing(room, kept, &Measuring { first: &[], go_on: &go_on, cache })
}

/// The board of a room measured with nothing kept of one before.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `tell` says no.
pub fn measured_afresh(
    room: &Room,
    tell: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Arc<Board>, WorkshopError> {
    let (store, room) = (Store::passing()?, room.with_nothing_derived());
    let kept = Kept { derived: &room.derived, store: &store, counts: &Counts::default() };
    measure_all(&room, kept, &PoseCache::none(), tell)?;
    board_of(&room, kept)
}

/// Numbers up to `count`, every sixteenth first, then those between: a long clip is known roughly soon.
fn coarse_first(count: usize) -> Vec<usize> {
    let level = |p: &usize| std::cmp::Reverse(p.trailing_zeros().min(4));
    let mut order: Vec<usize> = (0..count).collect();
    order.sort_by_key(level);
    order
}

/// Values on their way into the store.
pub struct Batch<'a> {
    kept: Kept<'a>,
    values: Mutex<Vec<(KeptKey, Vec<u8>)>>,
}

impl<'a> Batch<'a> {
    /// An empty one.
    pub fn new(kept: Kept<'a>) -> Self {
        Self { kept, values: Mutex::new(Vec::new()) }
    }

    fn put<T>(&self, key: Key, value: T) -> Result<Arc<T>, WorkshopError>
    where
        T: Weighed + Serialize + Send + Sync + 'static,
    {
        let bytes = postcard::to_stdvec(&value)?;
        self.values.lock().unwrap_or_else(PoisonError::into_inner).push((key.bytes(), bytes));
        Ok(self.kept.derived.put(key, value))
    }

    /// Puts what it holds into the store.
    ///
    /// # Errors
    /// When the store fails.
    pub fn flush(&self) -> Result<(), WorkshopError> {
        let values = std::mem::take(&mut *self.values.lock().unwrap_or_else(PoisonError::into_inner));
        Ok(self.kept.store.keep(&values)?)
    }
}

/// A plan with what it is measured in.
pub struct CellPlace<'a> {
    pub plan: &'a CountPlan,
    pub outfit: &'a Outfit,
    /// The pair of each row.
    pub pairs: &'a [usize],
    /// What of each row crosses at rest.
    pub rest: &'a [Arc<AtRest>],
}

/// A row, and what is through there.
type Found = (usize, Arc<CellThrough>);

impl CellPlace<'_> {
    /// What is through in the cells wanted of a pose: what is known by now, and the rows to measure.
    /// Among these are some that another pose was to measure and has not done yet.
    fn known_and_missing(
        &self,
        wanted: &Wanted,
        kept: Kept,
    ) -> Result<(Vec<Found>, Vec<usize>), WorkshopError> {
        let mut rows: Vec<usize> = wanted.through.iter().chain(&wanted.sight).copied().collect();
        rows.sort_unstable();
        rows.dedup();
        let keys: Vec<Key> = rows.iter().map(|&row| self.plan.through[wanted.pose][row]).collect();
        let found = kept.find::<CellThrough>(&keys)?;
        let missing = rows.iter().zip(&found).filter(|(_, f)| f.is_none()).map(|(row, _)| *row).collect();
        let known = rows.iter().zip(found).filter_map(|(row, f)| Some((*row, f?))).collect();
        Ok((known, missing))
    }

    /// Measures the cells wanted of one pose.
    pub fn measure(
        &self,
        wanted: &Wanted,
        buffers: &mut Buffers,
        batch: &Batch,
    ) -> Result<(), WorkshopError> {
        let (plan, outfit) = (self.plan, self.outfit);
        let pose = &plan.poses[wanted.pose];
        let (known, missing) = self.known_and_missing(wanted, batch.kept)?;
        let mut needed = vec![false; outfit.layers.len()];
        for &row in &missing {
            let (outer, inner) = plan.rows[row];
            (needed[outer], needed[inner]) = (true, true);
        }
        buffers.pose_some(outfit, |layer| needed[layer], &pose.matrices, &pose.amounts);
        let (posed, in_pose) = (&*buffers, InPose::new(outfit, buffers));
        let mut outer: Vec<usize> = missing.iter().map(|&row| plan.rows[row].0).collect();
        outer.sort_unstable();
        outer.dedup();
        let strains: Vec<(f32, f32)> = outer
            .par_iter()
            .map(|&layer| (strain(outfit, posed, layer), stiffness(outfit, posed, layer)))
            .collect();
        let find = |&row: &usize| -> Result<Found, WorkshopError> {
            // Of layers that rest does not show together nothing is asked but whether they meet.
            let ((outer_layer, inner_layer), rest) = (plan.rows[row], &*self.rest[row]);
            let Some(meeting) = in_pose.meeting_told(outer_layer, inner_layer, rest) else {
                let found = CellThrough::unmeasurable();
                return Ok((row, batch.put(plan.through[wanted.pose][row], found)?));
            };
            let beyond = (!plan.is_rest[wanted.pose]).then_some(rest);
            let settings = Settings { tolerance: from_mm(plan.tolerances[row]), ..Settings::default() };
            let through = |&pair: &usize| in_pose.through(pair, settings, &meeting, beyond);
            let through = self.pairs.get(row).map_or_else(Penetration::default, through);
            let deep = row >= plan.covered;
            let mut crossing = in_pose.crossing(outer_layer, inner_layer, &meeting, rest, deep);
            if let Some(&pair) = self.pairs.get(row).filter(|_| through.is_empty()) {
                crossing = in_pose.with_what_came_out(pair, &meeting, beyond, crossing);
            }
            // Every outer layer is among them.
            let at = outer.binary_search(&plan.rows[row].0);
            let (strain, stiffness) = at.map_or((1.0, 0.0), |at| strains[at]);
            let found = CellThrough { through, strain, stiffness, crossing };
            Ok((row, batch.put(plan.through[wanted.pose][row], found)?))
        };
        let measured: Vec<Found> = missing.par_iter().map(find).collect::<Result<_, _>>()?;
        let counted = missing.iter().filter(|row| **row < plan.covered).count();
        batch.kept.counts.through.fetch_add(counted, Ordering::Relaxed);
        // Only now is it known which of them show anything.
        let shown: Vec<&Found> = (known.iter().chain(&measured))
            .filter(|(row, f)| wanted.sight.contains(row) && f.may_show(*row < plan.covered))
            .collect();
        if shown.is_empty() {
            return Ok(());
        }
        // What is seen depends on all that is worn.
        buffers.pose_some(outfit, |layer| !needed[layer], &pose.matrices, &pose.amounts);
        let in_pose = InPose::new(outfit, buffers);
        batch.kept.counts.sight.fetch_add(shown.len(), Ordering::Relaxed);
        shown.par_iter().try_for_each(|(row, found)| {
            let pair = self.pairs[*row];
            let crossing = found.through.is_empty() && in_pose.sees_any(pair, &found.crossing.inside);
            let sight = Sight { crossing, ..in_pose.see(pair, &found.through) };
            batch.put(plan.sight[wanted.pose][*row], sight).map(|_| ())
        })
    }
}
