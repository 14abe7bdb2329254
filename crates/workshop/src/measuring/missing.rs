//! Measuring the cells of a board that are not known yet.

use crate::dress::derived::Weighed;
use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::measuring::board::{rows, Board};
use crate::measuring::cells::{board_of, CellThrough, Counts, Kept, Known, Plan};
use crate::state::key::Key;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::HashSet;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_core::clearance::{stiffness, strain, AtRest, Buffers, InPose, Outfit, Settings, Through};
use tin_cloak_core::mend::PoseCache;
use tin_cloak_store::{KeptKey, Store};

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
    /// Where layers are posed.
    pub cache: &'a PoseCache,
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
    let left = AtomicUsize::new(wanted.len());
    let batch = Batch { kept, values: Mutex::new(Vec::new()) };
    let one = |w: &Wanted| {
        let left = left.fetch_sub(1, Ordering::Relaxed);
        if !(how.go_on)(left) {
            return Err(WorkshopError::Stopped);
        }
        how.cache.lend((w.pose, &worn.outfit), |buffers| at.measure(w, buffers, &batch))
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
pub(crate) fn measure_all(
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
        let mut needed = vec![false; outfit.layers.len()];
        for &row in &missing {
            let (outer, inner) = plan.rows[row];
            (needed[outer], needed[inner]) = (true, true);
        }
        buffers.pose_some(outfit, |layer| needed[layer], at);
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
        if shown.is_empty() {
            return Ok(());
        }
        // What is seen depends on all that is worn.
        buffers.pose_some(outfit, |layer| !needed[layer], at);
        let in_pose = InPose::new(outfit, buffers);
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
    use crate::measuring::cells::{board_of, Counts};
    use crate::state::blobs::{pack_bound, pack_positions};
    use crate::state::bound::Bound;
    use crate::state::fitting::{FittingState, PieceState};
    use crate::state::names::FileRef;
    use glam::Vec3;
    use tin_cloak_core::bind::{nearest_surface, Source, Target};
    use tin_cloak_core::deform::Morph;
    use tin_cloak_formats::{read, Companions, PieceKind};
    use tin_cloak_store::{BlobId, NewAsset, Store};

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

    /// What was posed there before, by other shapes, changes no figure.
    #[test]
    fn measured_in_layers_that_were_posed_before_it_is_the_same() {
        let go_on = |_: usize| true;
        let board = |used: bool| {
            let folder = tempfile::tempdir().unwrap();
            let store = Store::open(folder.path()).unwrap();
            let room = dressed(&store);
            let poses = room.trials.poses(&room.dress.body);
            let outfit = &room.worn().outfit;
            let cache = PoseCache::new(poses.len());
            let mut dented = outfit.clone();
            let up: Vec<Vec3> = dented.layers[1].rest.iter().map(|p| Vec3::Y * p.x * 0.1).collect();
            dented.layers[1].morphs = vec![Morph::from_dense("dent".into(), &up)];
            for (number, pose) in poses.iter().enumerate() {
                cache.lend((number, outfit), |buffers| buffers.pose(&dented, &pose.matrices, &[1.0]));
            }
            let kept = Kept { derived: &room.derived, store: &store, counts: &Counts::default() };
            let cache = if used { &cache } else { &PoseCache::none() };
            measure_missing(&room, kept, &Measuring { first: &[], go_on: &go_on, cache }).unwrap();
            board_of(&room, kept).unwrap()
        };
        let (afresh, again) = (board(false), board(true));
        assert!(afresh.is_whole() && afresh.cells == again.cells);
        assert!(afresh.cells.iter().flatten().flatten().any(|cell| cell.poking > 0));
    }
}
