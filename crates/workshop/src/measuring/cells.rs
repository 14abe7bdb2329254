//! The cells of the board, kept by content.
//!
//! What is through in a cell depends on its two layers as posed, on what they cover at rest and on
//! the settings: it is kept under a hash of just that, with the strain of the outer layer. What of
//! it is seen depends on all that is worn: it has a key of its own and is asked only where
//! something is through. Undo, compare and a restart find all of it; a step finds what it did not
//! touch.

use crate::dress::derived::{Derived, Weighed};
use crate::dress::room::Room;
use crate::dress::trials::Trial;
use crate::dress::worn::{LayerFacts, Pile};
use crate::error::WorkshopError;
use crate::measuring::board::{contacts, rows, Board, Cell};
use crate::measuring::floor_rows::FloorRows;
use crate::measuring::measured::{places_of, Measured};
use crate::measuring::posed::Wrong;
use crate::state::key::Key;
use crate::state::names::PieceId;
use crate::state::trial_plan::Counts as Pose;
use rayon::prelude::*;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_core::clearance::{
    stiffness, strain, sum_up, AtRest, Buffers, Crossing, InPose, Outfit, Settings, Sight, Through,
};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_store::{KeptKey, Store};

/// Goes up when the same layers would be measured otherwise: what was kept before is then left
/// alone.
const MEASURE: u32 = 9;

/// What is through in a cell, whoever sees it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct CellThrough {
    pub through: Through,
    /// Of the outer layer.
    strain: f32,
    /// How far that is from its shape, where it is stiff, metres.
    stiffness: f32,
    pub crossing: Crossing,
}

impl Weighed for CellThrough {
    fn bytes(&self) -> usize {
        let Self { through, crossing, .. } = self;
        let spots = std::mem::size_of_val(&*through.spots) + std::mem::size_of_val(&*crossing.inside);
        spots + std::mem::size_of_val(&*through.stretches) + 32
    }
}

impl Weighed for Sight {
    fn bytes(&self) -> usize {
        self.buried.len() + 96
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

/// Keys of all cells of a room's board; nothing of it is built to know them.
pub(crate) struct Plan {
    pile: Arc<Pile>,
    poses: Vec<TrialPose>,
    /// For each whether it is rest: what is wrong there is told there, of others what they add.
    is_rest: Vec<bool>,
    /// Outer and inner layer of each row; behind those with something of one over the other at rest come
    /// all other pairs.
    pub rows: Vec<(usize, usize)>,
    /// Where those begin.
    covered: usize,
    /// What is let pass in each row, millimetres.
    pub tolerances: Vec<f32>,
    /// By pose, then row.
    through: Vec<Vec<Key>>,
    sight: Vec<Vec<Key>>,
    pub whole: Key,
}

impl Weighed for Plan {
    fn bytes(&self) -> usize {
        self.poses.iter().map(|p| p.matrices.len() * 64 + self.rows.len() * 64).sum()
    }
}

impl Plan {
    /// The plan of a room's board.
    ///
    /// # Errors
    /// When the store fails.
    pub fn of(room: &Room, kept: Kept) -> Result<Arc<Self>, WorkshopError> {
        let pile = room.pile();
        let poses = room.trials.poses(&room.dress.body);
        let mut key = Key::begin("plan").and_key(pile.key).and(&(room.state.tolerance_mm, &room.state.plan));
        for facts in &pile.facts {
            key = key.and(&room.dress.layer_name(facts.at));
        }
        for (trial, pose) in room.trials.trials.iter().zip(&poses) {
            key = key.and(&(&trial.name, &trial.group, trial.time));
            key = key.and_bytes(bytemuck::cast_slice(&pose.matrices));
            key = key.and_bytes(bytemuck::cast_slice(&pose.amounts));
        }
        let key = key.end();
        room.derived.try_get_or(key, || {
            let mut rows = rows_of(room, &pile, kept)?;
            let whole = Key::begin("board").and_key(key).end();
            let name = |layer: usize| room.dress.layer_name(pile.facts[layer].at);
            let covered = rows.len();
            rows.extend(contacts(pile.facts.len(), &rows));
            let tolerance = |&(outer, inner): &(usize, usize)| {
                let own = room.state.plan.tolerance_of(name(outer), name(inner));
                own.unwrap_or(room.state.tolerance_mm)
            };
            let tolerances = rows.iter().map(tolerance).collect();
            let is_rest = room.trials.trials.iter().map(Trial::is_rest).collect();
            let off = |layer: usize| room.state.plan.is_off(name(layer));
            let off: Vec<bool> = (0..pile.facts.len()).map(off).collect();
            Ok(Self::make((pile, poses, is_rest), (rows, covered), (tolerances, &off), whole))
        })
    }

    fn make(
        (pile, poses, is_rest): (Arc<Pile>, Vec<TrialPose>, Vec<bool>),
        (rows, covered): (Vec<(usize, usize)>, usize),
        (tolerances, off): (Vec<f32>, &[bool]),
        whole: Key,
    ) -> Self {
        let (mut through, mut sight) = (Vec::new(), Vec::new());
        for (pose, is_rest) in poses.iter().zip(&is_rest) {
            let posed: Vec<Key> = pile.facts.iter().map(|f| f.posed(pose)).collect();
            // All that is worn and not off, and how deep in the pile: it may hide what is through.
            let all = pile.facts.iter().zip(&posed).zip(off).filter(|(_, off)| !**off);
            let all =
                all.fold(Key::begin("all worn"), |key, ((f, p), _)| key.and_key(*p).and(&f.layer)).end();
            let key = |(&(outer, inner), tolerance): (&(usize, usize), &f32)| {
                Key::begin("through")
                    .and(&(MEASURE, tolerance))
                    .and_key(pile.facts[outer].shape)
                    .and_key(pile.facts[inner].shape)
                    .and_key(posed[outer])
                    .and_key(posed[inner])
                    .and(is_rest)
                    .end()
            };
            let keys: Vec<Key> = rows.iter().zip(&tolerances).map(key).collect();
            sight.push(keys.iter().map(|k| Key::begin("sight").and_key(*k).and_key(all).end()).collect());
            through.push(keys);
        }
        Self { pile, poses, is_rest, rows, covered, tolerances, through, sight, whole }
    }
}

/// Which layers of a pile have a row: it depends on what they cover at rest, and is kept.
fn rows_of(room: &Room, pile: &Pile, kept: Kept) -> Result<Vec<(usize, usize)>, WorkshopError> {
    let mut key = Key::begin("rows").and(&MEASURE);
    for facts in &pile.facts {
        key = key.and_key(facts.shape).and(&facts.layer);
    }
    let key = key.end();
    if let Some(known) = kept.find::<Vec<(usize, usize)>>(&[key])?.pop().flatten() {
        return Ok(known.to_vec());
    }
    let worn = room.worn();
    let pair = |&r: &usize| (worn.outfit.pairs[r].outer, worn.outfit.pairs[r].inner);
    let found: Vec<(usize, usize)> = rows(&worn.outfit).iter().map(pair).collect();
    kept.store.keep(&[(key.bytes(), postcard::to_stdvec(&found)?)])?;
    Ok(kept.derived.put(key, found).to_vec())
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
pub(super) struct Known {
    pub through: Vec<Vec<Option<Arc<CellThrough>>>>,
    pub sight: Vec<Vec<Option<Arc<Sight>>>>,
}

impl Known {
    pub fn of(plan: &Plan, kept: Kept) -> Result<Self, WorkshopError> {
        let rows = plan.rows.len();
        if rows == 0 {
            let none = || plan.poses.iter().map(|_| Vec::new()).collect();
            return Ok(Self { through: none(), sight: plan.poses.iter().map(|_| Vec::new()).collect() });
        }
        let flat: Vec<Key> = plan.through.iter().flatten().copied().collect();
        let through = kept.find::<CellThrough>(&flat)?;
        let asked: Vec<usize> =
            (0..flat.len()).filter(|&i| through[i].as_ref().is_some_and(|t| !t.through.is_empty())).collect();
        let keys: Vec<Key> = asked.iter().map(|&i| plan.sight[i / rows][i % rows]).collect();
        let mut sight = vec![None; flat.len()];
        asked.into_iter().zip(kept.find::<Sight>(&keys)?).for_each(|(i, s)| sight[i] = s);
        Ok(Self {
            through: through.chunks(rows).map(<[_]>::to_vec).collect(),
            sight: sight.chunks(rows).map(<[_]>::to_vec).collect(),
        })
    }

    fn cell(&self, plan: &Plan, pose: usize, row: usize) -> Option<Cell> {
        let found = self.through[pose][row].as_ref()?;
        let nothing = Sight::default();
        let sight = match &self.sight[pose][row] {
            Some(sight) => sight,
            None if found.through.is_empty() => &nothing,
            None => return None,
        };
        let contact = (row >= plan.covered).then(|| plan.tolerances[row]);
        let cell = Cell::of(&sum_up(&found.through, sight, found.strain), &found.crossing, contact);
        Some(cell.with_stiffness(found.stiffness))
    }
}

/// The board of a room as far as it is known; nothing is measured.
///
/// # Errors
/// When the store fails.
pub(crate) fn board_of(room: &Room, kept: Kept) -> Result<Arc<Board>, WorkshopError> {
    let plan = Plan::of(room, kept)?;
    if let Some(whole) = kept.derived.get(plan.whole) {
        return Ok(whole);
    }
    let layer = |facts: &LayerFacts| (facts.piece, room.dress.layer_name(facts.at));
    let layers: Vec<(PieceId, &str)> = plan.pile.facts.iter().map(layer).collect();
    let mut board = Board::empty(
        (&plan.rows, plan.covered),
        &layers,
        &room.trials,
        (room.state.tolerance_mm, &room.state.plan),
    );
    let known = Known::of(&plan, kept)?;
    for (pose, column) in board.cells.iter_mut().enumerate() {
        for (row, cell) in column.iter_mut().enumerate() {
            *cell = known.cell(&plan, pose, row);
        }
    }
    let mut board = board.without_idle_rows();
    if room.state.plan.ground {
        let ids: Vec<PieceId> = (0..room.dress.pieces.len()).map(|p| room.piece_state(p).id).collect();
        let judged = (room.state.tolerance_mm, &room.state.plan);
        let key = Key::begin("floor rows").and_key(plan.whole).end();
        let rows = || FloorRows::of((&room.dress, &ids), &room.trials, judged);
        kept.derived.get_or(key, rows).add_to(&mut board);
    }
    Ok(if board.is_whole() { kept.derived.put(plan.whole, board) } else { Arc::new(board) })
}

/// What the cells of one pose say.
pub(crate) struct PoseCells {
    /// What is through, in sight.
    pub through: Vec<Wrong>,
    /// What is in what it did not lie over at rest, by more than the tolerance.
    pub contacts: Vec<Wrong>,
}

/// What is known of a pose; nothing when any of its cells is not measured yet.
///
/// # Errors
/// When the store fails.
pub(crate) fn cells_of(room: &Room, kept: Kept, pose: usize) -> Result<Option<PoseCells>, WorkshopError> {
    let plan = Plan::of(room, kept)?;
    let Some(keys) = plan.through.get(pose) else { return Ok(None) };
    let Some(found) = kept.find::<CellThrough>(keys)?.into_iter().collect::<Option<Vec<_>>>() else {
        return Ok(None);
    };
    let shown: Vec<usize> = (0..found.len()).filter(|row| !found[*row].through.is_empty()).collect();
    let keys: Vec<Key> = shown.iter().map(|row| plan.sight[pose][*row]).collect();
    let Some(sight) = kept.find::<Sight>(&keys)?.into_iter().collect::<Option<Vec<_>>>() else {
        return Ok(None);
    };
    let mut through = Vec::new();
    for (&row, sight) in shown.iter().zip(sight) {
        let (outer, inner) = plan.rows[row];
        let seen = found[row].through.spots.iter().zip(&sight.buried).filter(|(_, buried)| !**buried);
        through.extend(seen.map(|(s, _)| (if s.on_outer { outer } else { inner }, s.vertex, s.clearance)));
    }
    let deep = |row: usize| {
        let contact = contact_of(plan.rows[row], &found[row].crossing, plan.tolerances[row] * 0.001);
        contact.collect::<Vec<_>>()
    };
    let contacts = (plan.covered..found.len()).flat_map(deep).collect();
    Ok(Some(PoseCells { through, contacts }))
}

/// What of the layers `(outer, inner)` is in the other, where it is by more than a tolerance, metres.
pub(crate) fn contact_of(
    (outer, inner): (usize, usize),
    crossing: &Crossing,
    tolerance: f32,
) -> impl Iterator<Item = Wrong> + '_ {
    let told = crossing.inside.iter().filter(move |_| crossing.depth > tolerance);
    told.map(move |s| (if s.on_outer { outer } else { inner }, s.vertex, -s.depth))
}

/// A room whose board is whole, as measured.
///
/// # Errors
/// When the store fails.
pub(crate) fn measured_of(room: &Room, kept: Kept) -> Result<Measured, WorkshopError> {
    let (plan, board) = (Plan::of(room, kept)?, board_of(room, kept)?);
    let (known, worn) = (Known::of(&plan, kept)?, room.worn());
    let (pairs, nothing) = (rows(&worn.outfit), Sight::default());
    let counts = |pose: usize, row: usize| {
        let name = |layer: usize| room.dress.layer_name(plan.pile.facts[layer].at);
        let (outer, inner) = plan.rows[row];
        board.poses[pose].counts.max(room.state.plan.of_pair(name(outer), name(inner)))
    };
    let of_cell = |pose: usize, row: usize| {
        let cell = known.through[pose][row].as_ref().filter(|_| counts(pose, row) == Pose::Counted)?;
        let sight = known.sight[pose][row].as_deref().unwrap_or(&nothing);
        let pair = (pairs.get(row).copied(), plan.rows[row]);
        let found = (&cell.through, sight, &cell.crossing);
        Some(places_of(&worn.outfit, pair, found, plan.tolerances[row] * 0.001))
    };
    let of_pose = |pose: usize| (0..plan.rows.len()).filter_map(|row| of_cell(pose, row)).flatten().collect();
    let trouble = (0..plan.poses.len()).map(of_pose).collect();
    let (outfit, piece_of) = (worn.outfit.clone(), worn.piece_of.clone());
    Ok(Measured { board, outfit, piece_of, trouble })
}

/// The whole board of a room, when it is in memory.
pub(crate) fn known_board(room: &Room, kept: Kept) -> Option<Arc<Board>> {
    let plan = room.is_measurable().then(|| Plan::of(room, kept).ok()).flatten()?;
    kept.derived.get(plan.whole)
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
            let may_show = found.as_ref().is_none_or(|t| !t.through.is_empty());
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
    let plan = Plan::of(room, kept)?;
    let known = Known::of(&plan, kept)?;
    let mut order: Vec<usize> = how.first.iter().copied().filter(|p| *p < plan.poses.len()).collect();
    order.extend(coarse_first(plan.poses.len()).into_iter().filter(|p| !how.first.contains(p)));
    let wanted = wanted(&plan, &known, &order);
    if wanted.is_empty() {
        return Ok(());
    }
    let worn = room.worn();
    let pairs = rows(&worn.outfit);
    let rest = room.at_rest(&worn, &plan.rows);
    let at = Place { plan: &plan, outfit: &worn.outfit, pairs: &pairs, rest: &rest };
    let (pool, left) = (worn.outfit.pool(), AtomicUsize::new(wanted.len()));
    let batch = Batch { kept, values: Mutex::new(Vec::new()) };
    let one = |w: &Wanted| {
        let left = left.fetch_sub(1, Ordering::Relaxed);
        if !(how.go_on)(left) {
            return Err(WorkshopError::Stopped);
        }
        pool.with(|buffers| at.measure(w, buffers, &batch))
    };
    // The first alone, on all threads: somebody is looking at it.
    let outcome = match wanted.split_first() {
        Some((first, rest)) => one(first).and_then(|()| rest.par_iter().try_for_each(one)),
        None => Ok(()),
    };
    batch.flush()?;
    outcome
}

/// Numbers up to `count`, every sixteenth first, then those between: a long clip is known roughly soon.
fn coarse_first(count: usize) -> Vec<usize> {
    let level = |p: &usize| std::cmp::Reverse(p.trailing_zeros().min(4));
    let mut order: Vec<usize> = (0..count).collect();
    order.sort_by_key(level);
    order
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

/// A plan with what it is measured in.
struct Place<'a> {
    plan: &'a Plan,
    outfit: &'a Outfit,
    /// The pair of each row.
    pairs: &'a [usize],
    /// What of each row crosses at rest.
    rest: &'a [Arc<AtRest>],
}

/// A row, and what is through there.
type Found = (usize, Arc<CellThrough>);

impl Place<'_> {
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
    fn measure(&self, wanted: &Wanted, buffers: &mut Buffers, batch: &Batch) -> Result<(), WorkshopError> {
        let (plan, outfit) = (self.plan, self.outfit);
        let pose = &plan.poses[wanted.pose];
        let at = (pose.matrices.as_slice(), pose.amounts.as_slice());
        let (known, missing) = self.known_and_missing(wanted, batch.kept)?;
        // What is seen depends on all that is worn.
        let mut needed = vec![!wanted.sight.is_empty(); outfit.layers.len()];
        for &row in &missing {
            let (outer, inner) = plan.rows[row];
            (needed[outer], needed[inner]) = (true, true);
        }
        buffers.pose_some(outfit, |layer| needed[layer], at);
        let (buffers, in_pose) = (&*buffers, InPose::new(outfit, buffers));
        let mut outer: Vec<usize> = missing.iter().map(|&row| plan.rows[row].0).collect();
        outer.sort_unstable();
        outer.dedup();
        let strains: Vec<(f32, f32)> = outer
            .par_iter()
            .map(|&layer| (strain(outfit, buffers, layer), stiffness(outfit, buffers, layer)))
            .collect();
        let find = |&row: &usize| -> Result<Found, WorkshopError> {
            // Of layers that rest does not show together nothing is asked but whether they meet.
            let (layers, rest) = (plan.rows[row], &*self.rest[row]);
            let meeting = in_pose.meeting(layers, rest);
            let beyond = (!plan.is_rest[wanted.pose]).then_some(rest);
            let settings = Settings { tolerance: plan.tolerances[row] * 0.001, ..Settings::default() };
            let through = |&pair: &usize| in_pose.through(pair, settings, &meeting, beyond);
            let through = self.pairs.get(row).map_or_else(Through::default, through);
            let crossing = in_pose.crossing(layers, &meeting, rest, row >= plan.covered);
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
        let shown: Vec<(usize, &Through)> = (known.iter().chain(&measured))
            .filter(|(row, f)| wanted.sight.contains(row) && !f.through.is_empty())
            .map(|(row, f)| (*row, &f.through))
            .collect();
        batch.kept.counts.sight.fetch_add(shown.len(), Ordering::Relaxed);
        shown.par_iter().try_for_each(|(row, through)| {
            let sight = in_pose.see(self.pairs[*row], through);
            batch.put(plan.sight[wanted.pose][*row], sight).map(|_| ())
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dress::decode::Decoder;
    use crate::state::blobs::{pack_bound, pack_positions};
    use crate::state::bound::Bound;
    use crate::state::fitting::{FittingState, PieceState};
    use crate::state::names::FileRef;
    use glam::Vec3;
    use tin_cloak_core::bind::{nearest_surface, Source, Target};
    use tin_cloak_formats::{read, Companions, PieceKind};
    use tin_cloak_store::{BlobId, NewAsset};

    fn bring(store: &Store, name: &str) -> FileRef {
        let files = tin_cloak_demo::wardrobe().unwrap();
        let bytes = &files.iter().find(|f| f.name == name).unwrap().bytes;
        let mesh = read(name, bytes, &Companions::new()).unwrap().meshes[0].name.clone();
        let (role, summary) = ("piece".to_owned(), "{}".to_owned());
        let new = NewAsset { name: mesh.clone(), role, mesh: mesh.clone(), summary };
        let file = store.add_assets(name, bytes, &[new]).unwrap().remove(0).file;
        FileRef { file, file_name: name.to_owned(), mesh }
    }

    /// Wick in two pairs of breeches, the outer one too narrow, which the poses of his arms do not
    /// move, and a tunic, which they do.
    fn dressed(store: &Store) -> Room {
        let decoder = Decoder::default();
        let mut state = FittingState::of_body(bring(store, "wick.glb"));
        let body = decoder.body(store, &state.body, &[]).unwrap();
        let source =
            Source::new(&body.rest, &body.topology.triangles, &body.welded_skin, body.skeleton.len());
        let mut blobs: Vec<(BlobId, Vec<u8>)> = Vec::new();
        let mut keep = |bytes: Vec<u8>| {
            let id = BlobId::of(&bytes);
            blobs.push((id.clone(), bytes));
            Some(id)
        };
        for (id, name, wide) in
            [(1, "breeches.glb", 1.0), (2, "breeches.glb", 0.97), (3, "quilted tunic.glb", 1.0)]
        {
            let mut piece = PieceState::new(id, bring(store, name), id as u16, PieceKind::Soft);
            let made = decoder.piece(&|blob| Ok(store.blob(blob)?), &piece).unwrap();
            let rest: Vec<Vec3> = made.rest.iter().map(|p| *p * Vec3::new(wide, 1.0, wide)).collect();
            let skin = nearest_surface(&source, &Target::new(&rest, &made.topology)).unwrap();
            piece.rest = keep(pack_positions(&rest));
            piece.bound = keep(pack_bound(&Bound::by("surface", skin)).unwrap());
            state.pieces.push(piece);
        }
        let blob = |id: &BlobId| match blobs.iter().find(|b| b.0 == *id) {
            Some((_, bytes)) => Ok(bytes.clone()),
            None => Ok(store.blob(id)?),
        };
        decoder.build(store, state, &blob).unwrap()
    }

    /// Poses share what is through of layers they do not move. Here each pose is measured before the
    /// one that was to measure what they share, which is what two threads may do.
    #[test]
    fn a_pose_measures_what_another_was_to_and_has_not_yet() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let room = dressed(&store);
        let kept = Kept { derived: &room.derived, store: &store, counts: &Counts::default() };
        let plan = Plan::of(&room, kept).unwrap();
        let known = Known::of(&plan, kept).unwrap();
        let order: Vec<usize> = (0..12).collect();
        let list = wanted(&plan, &known, &order);
        let leans = |w: &Wanted| w.sight.iter().any(|row| !w.through.contains(row));
        assert!(list.iter().any(leans), "some pose relies on another for what is through");
        let worn = room.worn();
        let pairs = rows(&worn.outfit);
        let rest = room.at_rest(&worn, &plan.rows);
        let at = Place { plan: &plan, outfit: &worn.outfit, pairs: &pairs, rest: &rest };
        let batch = Batch { kept, values: Mutex::new(Vec::new()) };
        let mut buffers = worn.outfit.buffers();
        for wanted in list.iter().rev() {
            at.measure(wanted, &mut buffers, &batch).unwrap();
        }
        batch.flush().unwrap();
        let board = board_of(&room, kept).unwrap();
        assert!(order.iter().all(|&pose| board.cells[pose].iter().all(Option::is_some)));
    }
}
