//! The cells of the board, kept by content.
//!
//! What is through in a cell depends on its two layers as posed, on what they cover at rest and on
//! the settings: it is kept under a hash of just that, with the strain of the outer layer. What of
//! it is seen depends on all that is worn: it has a key of its own and is asked only where
//! something is through. Undo, compare and a restart find all of it; a step finds what it did not
//! touch.

use crate::measuring::at_rest::AtRestOfRoom;
use crate::measuring::board::{contacts, rows, Board};
use crate::measuring::cell::Cell;
use crate::measuring::floor_rows::FloorRows;
use crate::measuring::measured::{places_of, places_of_contact, Measured};
use crate::measuring::posed::Wrong;
use rayon::prelude::*;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::sync::atomic::AtomicUsize;
use std::sync::Arc;
use tin_cloak_core::clearance::{sum_up, Crossing, Penetration, Sight};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::units::from_mm;
use tin_cloak_model::dress::derived::{Derived, Weighed};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::Trial;
use tin_cloak_model::dress::worn::{LayerFacts, Pile};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::trial_plan::Counts as Pose;
use tin_cloak_store::Store;

/// Goes up when the same layers would be measured otherwise: what was kept before is then left
/// alone.
const MEASURE: u32 = 12;

/// What is through in a cell, whoever sees it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CellThrough {
    pub through: Penetration,
    /// Of the outer layer.
    pub strain: f32,
    /// How far that is from its shape, where it is stiff, metres.
    pub stiffness: f32,
    pub crossing: Crossing,
}

impl CellThrough {
    /// Of layers of which nothing can be told.
    pub fn unmeasurable() -> Self {
        let through = Penetration { unmeasurable: true, ..Penetration::default() };
        Self { through, strain: 1.0, stiffness: 0.0, crossing: Crossing::default() }
    }

    /// True when it is to be asked whether anybody sees it.
    pub fn may_show(&self, is_covered: bool) -> bool {
        !self.through.is_empty() || (is_covered && self.crossing.depth > 0.0)
    }
}

impl Weighed for CellThrough {
    fn bytes(&self) -> usize {
        let Self { through, crossing, .. } = self;
        let spots = std::mem::size_of_val(&*through.spots) + std::mem::size_of_val(&*crossing.inside);
        spots + std::mem::size_of_val(&*through.stretches) + 32
    }
}

/// How many cells were measured since the program began.
#[derive(Debug, Default)]
pub struct Counts {
    /// What is through.
    pub through: AtomicUsize,
    /// What of it is seen.
    pub sight: AtomicUsize,
}

/// Keys of all cells of a room's board; nothing of it is built to know them.
pub struct CountPlan {
    pile: Arc<Pile>,
    pub poses: Vec<TrialPose>,
    /// For each whether it is rest: what is wrong there is told there, of others what they add.
    pub is_rest: Vec<bool>,
    /// Outer and inner layer of each row; behind those with something of one over the other at rest come
    /// all other pairs.
    pub rows: Vec<(usize, usize)>,
    /// Where those begin.
    pub covered: usize,
    /// What is let pass in each row, millimetres.
    pub tolerances: Vec<f32>,
    /// By pose, then row.
    pub through: Vec<Vec<Key>>,
    pub sight: Vec<Vec<Key>>,
    pub whole: Key,
}

impl Weighed for CountPlan {
    fn bytes(&self) -> usize {
        self.poses.iter().map(|p| p.matrices.len() * 64 + self.rows.len() * 64).sum()
    }
}

impl CountPlan {
    /// The plan of a room's board.
    ///
    /// # Errors
    /// When the store fails.
    pub fn new(room: &Room, kept: Kept) -> Result<Arc<Self>, WorkshopError> {
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
            let (through, sight) = Default::default();
            let bare = Self { pile, poses, is_rest, rows, covered, tolerances, through, sight, whole };
            Ok(bare.with_keys(&off))
        })
    }

    /// With the keys of all cells; `off` says by layer what is taken off.
    fn with_keys(self, off: &[bool]) -> Self {
        let Self { pile, poses, is_rest, rows, covered, tolerances, .. } = &self;
        let of_pose = |(pose, is_rest): (&TrialPose, &bool)| -> (Vec<Key>, Vec<Key>) {
            let posed: Vec<Key> = pile.facts.iter().map(|f| f.posed(pose)).collect();
            // All that is worn and not off, and how deep in the pile: it may hide what is through.
            let all = pile.facts.iter().zip(&posed).zip(off).filter(|(_, off)| !**off);
            let all =
                all.fold(Key::begin("all worn"), |key, ((f, p), _)| key.and_key(*p).and(&f.layer)).end();
            let key = |row: usize| {
                let (outer, inner) = rows[row];
                // Layers of which the one lies over the other are asked otherwise than such as only touch, and what
                // crosses at rest is told by which of them is higher up.
                let asked = (row < *covered, pile.facts[outer].layer.cmp(&pile.facts[inner].layer) as i8);
                Key::begin("through")
                    .and(&(MEASURE, tolerances[row], asked, pile.facts[outer].is_stiff))
                    .and_key(pile.facts[outer].shape)
                    .and_key(pile.facts[inner].shape)
                    .and_key(posed[outer])
                    .and_key(posed[inner])
                    .and(is_rest)
                    .end()
            };
            let keys: Vec<Key> = (0..rows.len()).map(key).collect();
            let sight = keys.iter().map(|k| Key::begin("sight").and_key(*k).and_key(all).end()).collect();
            (keys, sight)
        };
        let (through, sight) = poses.par_iter().zip(is_rest).map(of_pose).unzip();
        Self { through, sight, ..self }
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
pub struct Kept<'a> {
    pub derived: &'a Derived,
    pub store: &'a Store,
    pub counts: &'a Counts,
}

impl Kept<'_> {
    /// The values of some keys, in their order.
    pub fn find<T>(&self, keys: &[Key]) -> Result<Vec<Option<Arc<T>>>, WorkshopError>
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
pub struct Known {
    pub through: Vec<Vec<Option<Arc<CellThrough>>>>,
    pub sight: Vec<Vec<Option<Arc<Sight>>>>,
}

impl Known {
    pub fn new(plan: &CountPlan, kept: Kept) -> Result<Self, WorkshopError> {
        let rows = plan.rows.len();
        if rows == 0 {
            let none = || plan.poses.iter().map(|_| Vec::new()).collect();
            return Ok(Self { through: none(), sight: plan.poses.iter().map(|_| Vec::new()).collect() });
        }
        let flat: Vec<Key> = plan.through.iter().flatten().copied().collect();
        let through = kept.find::<CellThrough>(&flat)?;
        let may_show = |i: &usize| through[*i].as_ref().is_some_and(|t| t.may_show(i % rows < plan.covered));
        let asked: Vec<usize> = (0..flat.len()).filter(may_show).collect();
        let keys: Vec<Key> = asked.iter().map(|&i| plan.sight[i / rows][i % rows]).collect();
        let mut sight = vec![None; flat.len()];
        asked.into_iter().zip(kept.find::<Sight>(&keys)?).for_each(|(i, s)| sight[i] = s);
        Ok(Self {
            through: through.chunks(rows).map(<[_]>::to_vec).collect(),
            sight: sight.chunks(rows).map(<[_]>::to_vec).collect(),
        })
    }

    fn cell(&self, plan: &CountPlan, pose: usize, row: usize) -> Option<Cell> {
        let found = self.through[pose][row].as_ref()?;
        let nothing = Sight::default();
        let sight = match &self.sight[pose][row] {
            Some(sight) => sight,
            None if !found.may_show(row < plan.covered) => &nothing,
            None => return None,
        };
        let contact = (row >= plan.covered || sight.crossing).then(|| plan.tolerances[row]);
        let cell = Cell::new(&sum_up(&found.through, sight, found.strain), &found.crossing, contact);
        Some(cell.with_stiffness(found.stiffness))
    }
}

/// The board of a room as far as it is known; nothing is measured.
///
/// # Errors
/// When the store fails.
pub fn board_of(room: &Room, kept: Kept) -> Result<Arc<Board>, WorkshopError> {
    let plan = CountPlan::new(room, kept)?;
    if let Some(whole) = kept.derived.get(plan.whole) {
        return Ok(whole);
    }
    let mut board = every_row(room, kept)?.without_idle_rows();
    if room.state.plan.ground {
        let ids: Vec<PieceId> = (0..room.dress.pieces.len()).map(|p| room.piece_state(p).id).collect();
        let key = Key::begin("floor rows").and_key(plan.whole).end();
        let rows =
            || FloorRows::new(&room.dress, &ids, &room.trials, room.state.tolerance_mm, &room.state.plan);
        kept.derived.get_or(key, rows).add_to(&mut board);
    }
    Ok(if board.is_whole() { kept.derived.put(plan.whole, board) } else { Arc::new(board) })
}

/// The same with a row for every two layers, those too that nothing brings together, but for the ground.
///
/// # Errors
/// When the store fails.
pub fn every_row(room: &Room, kept: Kept) -> Result<Board, WorkshopError> {
    let plan = CountPlan::new(room, kept)?;
    let layer = |facts: &LayerFacts| (facts.piece, room.dress.layer_name(facts.at));
    let layers: Vec<(PieceId, &str)> = plan.pile.facts.iter().map(layer).collect();
    let mut board = Board::empty(
        &plan.rows,
        plan.covered,
        &layers,
        &room.trials,
        room.state.tolerance_mm,
        &room.state.plan,
    );
    let known = Known::new(&plan, kept)?;
    for (pose, column) in board.cells.iter_mut().enumerate() {
        for (row, cell) in column.iter_mut().enumerate() {
            *cell = known.cell(&plan, pose, row);
        }
    }
    Ok(board)
}

/// What the cells of one pose say.
pub struct PoseCells {
    /// What is through, in sight.
    pub through: Vec<Wrong>,
    /// What is in what it did not lie over at rest, by more than the tolerance.
    pub contacts: Vec<Wrong>,
}

/// What is known of a pose; nothing when any of its cells is not measured yet.
///
/// # Errors
/// When the store fails.
pub fn cells_of(room: &Room, kept: Kept, pose: usize) -> Result<Option<PoseCells>, WorkshopError> {
    let plan = CountPlan::new(room, kept)?;
    let Some(keys) = plan.through.get(pose) else { return Ok(None) };
    let Some(found) = kept.find::<CellThrough>(keys)?.into_iter().collect::<Option<Vec<_>>>() else {
        return Ok(None);
    };
    let may_show = |row: &usize| found[*row].may_show(*row < plan.covered);
    let shown: Vec<usize> = (0..found.len()).filter(may_show).collect();
    let keys: Vec<Key> = shown.iter().map(|row| plan.sight[pose][*row]).collect();
    let Some(sight) = kept.find::<Sight>(&keys)?.into_iter().collect::<Option<Vec<_>>>() else {
        return Ok(None);
    };
    let (mut through, mut came_out) = (Vec::new(), Vec::new());
    for (&row, sight) in shown.iter().zip(sight) {
        if sight.crossing {
            came_out.push(row);
        }
        let (outer, inner) = plan.rows[row];
        let seen = found[row].through.spots.iter().zip(&sight.buried).filter(|(_, buried)| !**buried);
        through.extend(seen.map(|(s, _)| (if s.on_outer { outer } else { inner }, s.vertex, s.clearance)));
    }
    let deep = |row: usize| {
        let (outer, inner) = plan.rows[row];
        let contact = contact_of(outer, inner, &found[row].crossing, from_mm(plan.tolerances[row]));
        contact.collect::<Vec<_>>()
    };
    let contacts = came_out.into_iter().chain(plan.covered..found.len()).flat_map(deep).collect();
    Ok(Some(PoseCells { through, contacts }))
}

/// What of the layers `(outer, inner)` is in the other, where it is by more than a tolerance, metres.
pub fn contact_of(
    outer: usize,
    inner: usize,
    crossing: &Crossing,
    tolerance: f32,
) -> impl Iterator<Item = Wrong> + '_ {
    let told = crossing.inside.iter().filter(move |_| crossing.depth > tolerance);
    told.map(move |s| (if s.on_outer { outer } else { inner }, s.vertex, -s.depth))
}

/// By layer, then pose, the vertices that are through a layer over them, with that one; ascending.
pub type ThroughOf = Vec<Vec<Vec<(u32, usize)>>>;

/// What is through in a room whose board is whole, whoever sees it.
///
/// # Errors
/// When the store fails.
pub fn through_of(room: &Room, kept: Kept) -> Result<ThroughOf, WorkshopError> {
    let plan = CountPlan::new(room, kept)?;
    let known = Known::new(&plan, kept)?;
    let mut through: ThroughOf = vec![vec![Vec::new(); plan.poses.len()]; plan.pile.facts.len()];
    for (pose, cells) in known.through.iter().enumerate() {
        for (&(outer, inner), cell) in plan.rows.iter().zip(cells) {
            let spots = cell.iter().flat_map(|c| &c.through.spots).filter(|s| !s.on_outer);
            through[inner][pose].extend(spots.map(|s| (s.vertex, outer)));
        }
    }
    for list in through.iter_mut().flatten() {
        list.sort_unstable();
        list.dedup_by_key(|t| t.0);
    }
    Ok(through)
}

/// A room whose board is whole, as measured.
///
/// # Errors
/// When the store fails.
pub fn measured_of(room: &Room, kept: Kept) -> Result<Measured, WorkshopError> {
    let (plan, board) = (CountPlan::new(room, kept)?, board_of(room, kept)?);
    let (known, worn) = (Known::new(&plan, kept)?, room.worn());
    let (pairs, nothing) = (rows(&worn.outfit), Sight::default());
    let counts = |pose: usize, row: usize| {
        let name = |layer: usize| room.dress.layer_name(plan.pile.facts[layer].at);
        let ((outer, inner), of_pose) = (plan.rows[row], board.poses[pose].counts);
        match outer == inner {
            // What lies between two sides of a fold is told by the fold, though that be there for stress only.
            true => of_pose,
            false => of_pose.max(room.state.plan.of_pair(name(outer), name(inner))),
        }
    };
    let of_cell = |pose: usize, row: usize| {
        let cell = known.through[pose][row].as_ref().filter(|_| counts(pose, row) == Pose::Counted)?;
        let sight = known.sight[pose][row].as_deref().unwrap_or(&nothing);
        let tolerance = from_mm(plan.tolerances[row]);
        let Some(&pair) = pairs.get(row) else {
            let (outer, inner) = plan.rows[row];
            return Some(places_of_contact(outer, inner, &cell.crossing, tolerance));
        };
        Some(places_of(&worn.outfit, pair, &cell.through, sight))
    };
    let of_pose = |pose: usize| (0..plan.rows.len()).filter_map(|row| of_cell(pose, row)).flatten().collect();
    let trouble = (0..plan.poses.len()).map(of_pose).collect();
    let (outfit, piece_of) = (worn.outfit.clone(), worn.piece_of.clone());
    let of_pairs: Vec<(usize, usize)> = outfit.pairs.iter().map(|p| (p.outer, p.inner)).collect();
    let at_rest = room.at_rest(&worn, &of_pairs);
    Ok(Measured { board, outfit, piece_of, at_rest, trouble })
}

/// The whole board of a room, when it is in memory.
pub fn known_board(room: &Room, kept: Kept) -> Option<Arc<Board>> {
    let plan = room.is_measurable().then(|| CountPlan::new(room, kept).ok()).flatten()?;
    kept.derived.get(plan.whole)
}
