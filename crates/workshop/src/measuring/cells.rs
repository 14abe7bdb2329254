//! The cells of the board, kept by content.
//!
//! What is through in a cell depends on its two layers as posed, on what they cover at rest and on
//! the settings: it is kept under a hash of just that, with the strain of the outer layer. What of
//! it is seen depends on all that is worn: it has a key of its own and is asked only where
//! something is through. Undo, compare and a restart find all of it; a step finds what it did not
//! touch.

use crate::dress::derived::{Derived, Weighed};
use crate::dress::room::Room;
use crate::dress::worn::Worn;
use crate::error::WorkshopError;
use crate::measuring::board::{rows, Board, Cell};
use crate::state::fitting::PieceId;
use crate::state::key::Key;
use rayon::prelude::*;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_core::clearance::{see, strain, sum_up, through, Buffers, Outfit, Sight, Through};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_store::{KeptKey, Store};

/// Goes up when the same layers would be measured otherwise: what was kept before is then left
/// alone.
const MEASURE: u32 = 1;

/// What is through in a cell, whoever sees it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct CellThrough {
    through: Through,
    /// Of the outer layer.
    strain: f32,
}

impl Weighed for CellThrough {
    fn bytes(&self) -> usize {
        std::mem::size_of_val(&*self.through.spots) + 32
    }
}

impl Weighed for Sight {
    fn bytes(&self) -> usize {
        self.buried.len() + 48
    }
}

/// How many cells were measured since the program began.
#[derive(Debug, Default)]
pub(crate) struct Counts {
    /// What is through.
    pub through: AtomicUsize,
    /// What of it is seen.
    pub sight: AtomicUsize,
}

/// Keys of all cells of a room's board, and what is needed to measure them.
pub(crate) struct Plan {
    worn: Arc<Worn>,
    poses: Vec<TrialPose>,
    /// Pairs of the outfit in the order of the board's rows.
    rows: Vec<usize>,
    /// By pose, then row.
    through: Vec<Vec<Key>>,
    sight: Vec<Vec<Key>>,
    whole: Key,
}

impl Weighed for Plan {
    fn bytes(&self) -> usize {
        self.poses.iter().map(|p| p.matrices.len() * 64 + self.rows.len() * 64).sum()
    }
}

impl Plan {
    /// The plan of a room's board.
    pub fn of(room: &Room) -> Arc<Self> {
        let worn = room.worn();
        let poses = room.trials.poses(&room.dress.body);
        let mut key = Key::begin("plan").and(&room.state.tolerance_mm);
        for (layer, facts) in worn.facts.iter().enumerate() {
            let named = (facts.piece, room.dress.layer_name(worn.piece_of[layer]));
            key = key.and_key(facts.moves).and(&worn.outfit.layers[layer].layer.0).and(&named);
        }
        for (trial, pose) in room.trials.trials.iter().zip(&poses) {
            key = key.and(&(&trial.name, &trial.group, trial.time));
            key = key.and_bytes(bytemuck::cast_slice(&pose.matrices));
            key = key.and_bytes(bytemuck::cast_slice(&pose.amounts));
        }
        let key = key.end();
        room.derived.get_or(key, || Self::make(room, worn, poses, key))
    }

    fn make(room: &Room, worn: Arc<Worn>, poses: Vec<TrialPose>, key: Key) -> Self {
        let rows = rows(&worn.outfit);
        let settings = Key::of("settings", &(MEASURE, room.state.tolerance_mm));
        let whole = Key::begin("board").and_key(key).end();
        let mut plan = Self { rows, poses: Vec::new(), through: Vec::new(), sight: Vec::new(), whole, worn };
        for pose in &poses {
            let posed: Vec<Key> = (0..plan.worn.facts.len()).map(|l| plan.worn.posed(l, pose)).collect();
            // All that is worn, and how deep in the pile: it may hide what is through.
            let mut all = Key::begin("all worn");
            for (layer, key) in posed.iter().enumerate() {
                all = all.and_key(*key).and(&plan.worn.outfit.layers[layer].layer.0);
            }
            let all = all.end();
            let through: Vec<Key> =
                plan.rows.iter().map(|&r| plan.through_key(r, &posed, settings)).collect();
            let sight: Vec<Key> =
                through.iter().map(|t| Key::begin("sight").and_key(*t).and_key(all).end()).collect();
            plan.through.push(through);
            plan.sight.push(sight);
        }
        plan.poses = poses;
        plan
    }

    fn through_key(&self, pair: usize, posed: &[Key], settings: Key) -> Key {
        let pair = &self.worn.outfit.pairs[pair];
        let (outer, inner) = (&self.worn.facts[pair.outer], &self.worn.facts[pair.inner]);
        Key::begin("through")
            .and_key(settings)
            .and_key(outer.shape)
            .and_key(inner.shape)
            .and_key(posed[pair.outer])
            .and_key(posed[pair.inner])
            .end()
    }

    fn outfit(&self) -> &Outfit {
        &self.worn.outfit
    }
}

/// Where measured values are kept: in memory, and in the store behind it.
#[derive(Clone, Copy)]
pub(crate) struct Kept<'a> {
    pub derived: &'a Derived,
    pub store: &'a Store,
    pub counts: &'a Counts,
}

impl Kept<'_> {
    /// The values of some keys, in their order.
    fn find<T>(&self, keys: &[Key]) -> Result<Vec<Option<Arc<T>>>, WorkshopError>
    where
        T: Weighed + DeserializeOwned + Send + Sync + 'static,
    {
        let mut found: Vec<Option<Arc<T>>> = keys.iter().map(|k| self.derived.get(*k)).collect();
        let missing: Vec<usize> = (0..keys.len()).filter(|&i| found[i].is_none()).collect();
        let stored = self.store.kept(&missing.iter().map(|&i| keys[i].bytes()).collect::<Vec<_>>())?;
        for (i, bytes) in missing.into_iter().zip(stored) {
            // What cannot be understood is measured anew.
            let value = bytes.and_then(|b| postcard::from_bytes(&b).ok());
            found[i] = value.map(|v| self.derived.put(keys[i], v));
        }
        Ok(found)
    }
}

/// What is known of a plan's cells.
struct Known {
    through: Vec<Vec<Option<Arc<CellThrough>>>>,
    sight: Vec<Vec<Option<Arc<Sight>>>>,
}

impl Known {
    fn of(plan: &Plan, kept: Kept) -> Result<Self, WorkshopError> {
        let rows = plan.rows.len();
        if rows == 0 {
            let none = || plan.poses.iter().map(|_| Vec::new()).collect();
            return Ok(Self { through: none(), sight: plan.poses.iter().map(|_| Vec::new()).collect() });
        }
        let flat: Vec<Key> = plan.through.iter().flatten().copied().collect();
        let through = kept.find::<CellThrough>(&flat)?;
        let asked: Vec<usize> = (0..flat.len())
            .filter(|&i| through[i].as_ref().is_some_and(|t| !t.through.spots.is_empty()))
            .collect();
        let keys: Vec<Key> = asked.iter().map(|&i| plan.sight[i / rows][i % rows]).collect();
        let mut sight = vec![None; flat.len()];
        asked.into_iter().zip(kept.find::<Sight>(&keys)?).for_each(|(i, s)| sight[i] = s);
        Ok(Self {
            through: through.chunks(rows).map(<[_]>::to_vec).collect(),
            sight: sight.chunks(rows).map(<[_]>::to_vec).collect(),
        })
    }

    fn cell(&self, pose: usize, row: usize) -> Option<Cell> {
        let found = self.through[pose][row].as_ref()?;
        let nothing = Sight::default();
        let sight = match &self.sight[pose][row] {
            Some(sight) => sight,
            None if found.through.spots.is_empty() => &nothing,
            None => return None,
        };
        Some(Cell::from(&sum_up(&found.through, sight, found.strain)))
    }
}

/// The board of a room as far as it is known; nothing is measured.
///
/// # Errors
/// When the store fails.
pub(crate) fn board_of(room: &Room, kept: Kept) -> Result<Arc<Board>, WorkshopError> {
    let plan = Plan::of(room);
    if let Some(whole) = kept.derived.get(plan.whole) {
        return Ok(whole);
    }
    let worn = &plan.worn;
    let layer = |(l, facts): (usize, &crate::dress::worn::LayerFacts)| {
        (facts.piece, room.dress.layer_name(worn.piece_of[l]))
    };
    let layers: Vec<(PieceId, &str)> = worn.facts.iter().enumerate().map(layer).collect();
    let mut board = Board::empty(plan.outfit(), &layers, &room.trials, room.state.tolerance_mm);
    let known = Known::of(&plan, kept)?;
    for (pose, column) in board.cells.iter_mut().enumerate() {
        for (row, cell) in column.iter_mut().enumerate() {
            *cell = known.cell(pose, row);
        }
    }
    Ok(if board.is_whole() { kept.derived.put(plan.whole, board) } else { Arc::new(board) })
}

/// The whole board of a room, when it is in memory.
pub(crate) fn known_board(room: &Room, kept: Kept) -> Option<Arc<Board>> {
    room.is_measurable().then(|| kept.derived.get(Plan::of(room).whole)).flatten()
}

/// The cells of a pose that are to be measured: rows.
#[derive(Clone, Debug, Default)]
struct Wanted {
    pose: usize,
    through: Vec<usize>,
    sight: Vec<usize>,
}

/// What is not known yet, each value once although several poses may ask for it.
fn wanted(plan: &Plan, known: &Known, order: &[usize]) -> Vec<Wanted> {
    let mut taken: HashSet<Key> = HashSet::new();
    let mut list = Vec::new();
    for &pose in order {
        let mut wanted = Wanted { pose, ..Wanted::default() };
        for row in 0..plan.rows.len() {
            let found = &known.through[pose][row];
            if found.is_none() && taken.insert(plan.through[pose][row]) {
                wanted.through.push(row);
            }
            let may_show = found.as_ref().is_none_or(|t| !t.through.spots.is_empty());
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
pub(crate) struct Measuring<'a> {
    /// Poses, the first first; those not named come after them.
    pub first: &'a [usize],
    /// Told before each pose how many are left; answers whether to go on.
    pub go_on: &'a (dyn Fn(usize) -> bool + Sync),
}

/// Measures what is not known of a room's board, and keeps it.
///
/// # Errors
/// [`WorkshopError::Stopped`] when it shall not go on (what was measured by then is kept), or when
/// the store fails.
pub(crate) fn measure_missing(room: &Room, kept: Kept, how: &Measuring) -> Result<(), WorkshopError> {
    let plan = Plan::of(room);
    let known = Known::of(&plan, kept)?;
    let mut order: Vec<usize> = how.first.iter().copied().filter(|p| *p < plan.poses.len()).collect();
    order.extend((0..plan.poses.len()).filter(|p| !how.first.contains(p)));
    let wanted = wanted(&plan, &known, &order);
    let (pool, left) = (plan.outfit().pool(), AtomicUsize::new(wanted.len()));
    let batch = Batch { kept, values: Mutex::new(Vec::new()) };
    let one = |w: &Wanted| {
        let left = left.fetch_sub(1, Ordering::Relaxed);
        if !(how.go_on)(left) {
            return Err(WorkshopError::Stopped);
        }
        pool.with(|buffers| measure_in(&plan, w, buffers, (room, &batch)))
    };
    // The first alone, on all threads: somebody is looking at it.
    let outcome = match wanted.split_first() {
        Some((first, rest)) => one(first).and_then(|()| rest.par_iter().try_for_each(one)),
        None => Ok(()),
    };
    batch.flush()?;
    outcome
}

/// Values on their way into the store.
struct Batch<'a> {
    kept: Kept<'a>,
    values: Mutex<Vec<(KeptKey, Vec<u8>)>>,
}

impl Batch<'_> {
    fn put<T>(&self, key: Key, value: T) -> Result<Arc<T>, WorkshopError>
    where
        T: Weighed + Serialize + Send + Sync + 'static,
    {
        let bytes = postcard::to_stdvec(&value)?;
        self.values.lock().unwrap_or_else(PoisonError::into_inner).push((key.bytes(), bytes));
        Ok(self.kept.derived.put(key, value))
    }

    fn flush(&self) -> Result<(), WorkshopError> {
        let values = std::mem::take(&mut *self.values.lock().unwrap_or_else(PoisonError::into_inner));
        Ok(self.kept.store.keep(&values)?)
    }
}

/// Measures the cells wanted of one pose.
fn measure_in(
    plan: &Plan,
    wanted: &Wanted,
    buffers: &mut Buffers,
    (room, batch): (&Room, &Batch),
) -> Result<(), WorkshopError> {
    let (outfit, pose, settings) = (plan.outfit(), &plan.poses[wanted.pose], room.settings());
    let at = (pose.matrices.as_slice(), pose.amounts.as_slice());
    let mut needed = vec![false; outfit.layers.len()];
    for &row in &wanted.through {
        let pair = &outfit.pairs[plan.rows[row]];
        (needed[pair.outer], needed[pair.inner]) = (true, true);
    }
    buffers.pose_some(outfit, |layer| needed[layer], at);
    let find = |&row: &usize| -> Result<(), WorkshopError> {
        let pair = plan.rows[row];
        let through = through(outfit, buffers, pair, settings);
        let strain = strain(outfit, buffers, outfit.pairs[pair].outer);
        batch.put(plan.through[wanted.pose][row], CellThrough { through, strain })?;
        Ok(())
    };
    wanted.through.par_iter().try_for_each(find)?;
    batch.kept.counts.through.fetch_add(wanted.through.len(), Ordering::Relaxed);
    // Only now is it known which of them show anything.
    let keys: Vec<Key> = wanted.sight.iter().map(|&row| plan.through[wanted.pose][row]).collect();
    let found = batch.kept.find::<CellThrough>(&keys)?;
    let shown: Vec<(usize, &Through)> = wanted
        .sight
        .iter()
        .zip(&found)
        .filter_map(|(row, f)| Some((*row, &f.as_ref()?.through)))
        .filter(|(_, t)| !t.spots.is_empty())
        .collect();
    if shown.is_empty() {
        return Ok(());
    }
    buffers.pose_some(outfit, |layer| !needed[layer], at);
    let pairs: Vec<(usize, &Through)> = shown.iter().map(|(row, t)| (plan.rows[*row], *t)).collect();
    let sights = see(outfit, buffers, &pairs, settings);
    batch.kept.counts.sight.fetch_add(shown.len(), Ordering::Relaxed);
    for ((row, _), sight) in shown.iter().zip(sights) {
        batch.put(plan.sight[wanted.pose][*row], sight)?;
    }
    Ok(())
}
