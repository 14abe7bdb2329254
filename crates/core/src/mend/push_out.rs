//! Push-out: layers are moved off each other, all of them together, for all trial poses at once.
//!
//! Sequential quadratic programming: at every place that is through in some pose, or near to it, the gap in that pose
//! is taken as linear in the moves at rest (carried through the blended transform of the very vertices: the transpose
//! of the linear map), and the least change is found that leaves each gap at least the margin, or no less than it was;
//! what cannot be met counts the less the more it is short of, so that it holds up nothing else. Then all places
//! are asked anew, and the same again, until nothing is short or nothing is won. The state with the least left is kept.

mod asking;
mod pose_cache;

use self::asking::{is_fold_for_sure, Asked, Hopeless};
use super::finite_newton::{least_change_of_most, Demands, Stages, STEPS};
use super::moves::{partners_of, May, Moves, Stiffness};
use super::rigid::{keep_rigid, move_with_partners};
use crate::bind::BindError;
use crate::clearance::{AtRest, InPose, Layer, Outfit, Place, PlaceGap, Settings};
use crate::deform::TrialPose;
use crate::deform::{blended_matrix, Morph};
use crate::mesh::{over_surface, vertex_normals};
use glam::{Mat3, Vec3};
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::Arc;

pub use self::asking::folded;
pub use self::pose_cache::PoseCache;

/// How to push.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PushSettings {
    /// What counts as trouble.
    pub measure: Settings,
    /// Clearance wished where something is moved, metres.
    pub margin: f32,
    /// No vertex moves further than this from where it was, metres.
    pub limit: f32,
    /// What is deeper than this is not pulled at: it cannot be cured by moving, metres.
    pub reach: f32,
    /// Most rounds of moving and asking anew.
    pub rounds: usize,
    /// A round goes no further than this, metres: short steps in a pile, where what is near changes with the place.
    pub step: f32,
    /// Asks once more behind the last round, and takes the best of all states; else the last one, which a fresh
    /// measure is to judge.
    pub judged: bool,
    /// In creases, where the normal at rest leads along what is through and not off it, cloth may go any way.
    pub any_way: bool,
    /// Asks between two sides of a fold, too, where it is uncertain which way leads out.
    pub in_folds: bool,
    /// Where layers that did not lie over each other at rest are in each other, keeps clear what is or comes clear
    /// about there.
    pub about_contacts: bool,
    /// Rows of cloth stay straight: it costs that moves along them bend.
    pub keep_rows: bool,
    /// So often what cannot be met is made to count less once demands have their whole weight.
    pub reweighed: usize,
    /// Newton steps of each weight of demands at most, whole ones and shortened ones: few where the next round goes on
    /// from there.
    pub steps: (usize, usize),
}

impl Default for PushSettings {
    fn default() -> Self {
        Self {
            measure: Settings::default(),
            margin: 0.001,
            limit: 0.02,
            reach: 0.02,
            rounds: 6,
            step: LONGEST_STEP,
            judged: true,
            any_way: false,
            in_folds: false,
            about_contacts: false,
            keep_rows: false,
            reweighed: 3,
            steps: STEPS,
        }
    }
}

/// What is through in a pose, in sight.
pub type Trouble = Vec<Place>;

/// What is to be mended, and what is known of it.
#[derive(Clone, Copy)]
pub struct Mending<'a> {
    /// The layers at rest; those that move carry their stiff parts.
    pub outfit: &'a Outfit,
    /// Layers that may move, by index.
    pub movable: &'a [usize],
    /// For each layer its vertices that stay whatever happens; empty where none is held.
    pub held: &'a [Vec<bool>],
    /// The poses that count, and what is through in each.
    pub poses: &'a [TrialPose],
    /// One a pose.
    pub trouble: &'a [Trouble],
    /// What each pair of the outfit has at rest already: each pose is asked for what it adds. Empty for none.
    pub at_rest: &'a [Arc<AtRest>],
    /// The shape that moves are of, by its number: a pose has as much of them as of it. None: the shape at rest, which
    /// every pose has whole.
    pub shape: Option<usize>,
    /// How.
    pub settings: PushSettings,
}

/// New rest shapes and what they bring.
#[derive(Clone, Debug)]
pub struct Mended {
    /// Rest positions of each layer of the outfit (welded), changed or not; with all of the shape, where moves are of
    /// one.
    pub rest: Vec<Vec<Vec3>>,
    /// One for each layer that could be moved.
    pub pieces: Vec<PieceReport>,
    /// What curable places lack beyond the tolerance, summed over the poses, metres: at first, and at last; no number
    /// at last where that was not asked ([`PushSettings::judged`]).
    pub short: (f64, f64),
    /// True when something lay between two sides of a fold: without that [`PushSettings::in_folds`] changes nothing.
    pub meets_folds: bool,
}

/// What became of one layer.
#[derive(Clone, Debug, PartialEq)]
pub struct PieceReport {
    /// Index of the layer in the outfit.
    pub layer: usize,
    /// Vertices moved by more than 0.01 mm.
    pub moved: usize,
    /// Furthest move, metres.
    pub furthest: f32,
    /// Deepest of what is left between it and other parts, metres; no more than 60 mm is looked for.
    pub left: f32,
    /// True when some of it went as far as it may.
    pub at_limit: bool,
}

/// About so far from where layers are in each other what is clear is kept so, metres.
const ABOUT_CONTACT: f32 = 0.03;
/// A round goes no further than this by itself, metres: what is near changes with the place.
const LONGEST_STEP: f32 = 0.006;
/// How cloth gives way.
struct Yielding {
    /// How much a demand weighs beside the cost of a move.
    weight: f64,
    /// What the change of its shape costs.
    against: Stiffness,
    /// Around what is through so much may move along, metres.
    region: f32,
}

/// Of a push.
const PUSH: Yielding = Yielding { weight: 300.0, against: Stiffness::ByLengths(3.3), region: 0.10 };
/// Of a shape of a turn: it goes further than a push, so cloth is stiffer yet against it and is not torn; and many are
/// sought one after the other, each in little.
const SHAPE: Yielding = Yielding { weight: 100.0, against: Stiffness::ByEdges(150.0), region: 0.03 };
/// Around what its normal leads along of (the cosine) so much may go any way, metres.
const CREASE: f32 = 0.012;
const LEADS_OFF: f32 = 0.6;
/// Rounds that leave more than this share of what the best did win nothing.
const WON: f64 = 0.97;

/// Pushes the movable layers off what they lie over, and what lies over them off them. `progress` is told how far it
/// is, 0 to 1, and answers whether to go on; `None` comes back when it says no.
///
/// ```
/// use tin_cloak_core::mend::{push_out, trouble_in, Mending, PushSettings, TrialPose};
/// use tin_cloak_core::shapes::{moved, outfit, sphere};
/// use tin_cloak_core::glam::{Mat4, Vec3};
///
/// let shirt = moved(sphere(0.105, 32), Vec3::Z * -0.008);
/// let outfit = outfit(&sphere(0.1, 32), &[shirt]);
/// let poses = [TrialPose { matrices: vec![Mat4::IDENTITY; 2], amounts: Vec::new() }];
/// let settings = PushSettings::default();
/// let trouble = trouble_in(&outfit, &poses, settings.measure);
/// let (outfit, movable, held, at_rest, shape) = (&outfit, &[1][..], &[][..], &[][..], None);
/// let mending = Mending { outfit, movable, held, poses: &poses, trouble: &trouble, at_rest, shape, settings };
/// let mended = push_out(mending, &|_| true)?.unwrap();
/// let told = &mended.pieces[0];
/// assert!(told.left == 0.0 && told.furthest > 0.003 && told.furthest < 0.0043, "{told:?}");
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When a system cannot be factored.
pub fn push_out(
    mending: Mending,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Option<Mended>, BindError> {
    let numbers: Vec<usize> = (0..mending.poses.len()).collect();
    push_out_with(mending, &PoseCache::new(numbers.len()), &numbers, progress)
}

/// The same with layers that are kept in poses from one mending to the next; `numbers` says which of those poses each
/// of the mending's is.
///
/// # Errors
/// When a system cannot be factored.
pub fn push_out_with(
    mending: Mending,
    cache: &PoseCache,
    numbers: &[usize],
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Option<Mended>, BindError> {
    let mut work = Work::new(mending, cache, numbers);
    let rounds = mending.settings.rounds;
    let share = |round: usize, part: f32| (round as f32 + part) / (rounds + 1) as f32;
    // Of the states it went through the one with the least left; a fresh measure says whether that is better.
    let (mut best, mut stale): (Option<PushReached>, usize) = (None, 0);
    let mut first = PushReached::default();
    for round in 0..=rounds {
        if round == rounds && !mending.settings.judged {
            let left = best.as_ref().unwrap_or(&first).left.clone();
            best = Some(PushReached { short: f64::NAN, x: work.x.clone(), left });
            break;
        }
        if !progress(share(round, 0.0)) {
            return Ok(None);
        }
        let found = work.ask_all(round == 0);
        let reached = PushReached { short: found.short, x: work.x.clone(), left: found.left.clone() };
        if round == 0 {
            first = reached;
        } else if best.as_ref().is_none_or(|best| found.short < best.short * WON) {
            (best, stale) = (Some(reached), 0);
        } else {
            stale += 1;
        }
        if found.short <= 0.0 || stale > 1 || round == rounds || work.moves.count == 0 {
            break;
        }
        if !progress(share(round, 0.6)) {
            return Ok(None);
        }
        let mut demands = found.demands;
        let wishes = demands.len();
        work.moves.keep_within(&work.x, mending.settings.step, mending.settings.limit, &mut demands);
        let beyond = mending.settings.measure.tolerance.into();
        let times = mending.settings.reweighed;
        let most = Stages { count: wishes, beyond, times, is_warm: round > 0, steps: mending.settings.steps };
        let weight = work.yielding().weight;
        let x = least_change_of_most(&work.cost, &demands, weight, most, work.x.clone())?;
        work.go_to(&x);
    }
    let first_short = first.short;
    let PushReached { short, x, left } = best.unwrap_or(first);
    work.place(&x);
    let meets_folds = work.meets_folds.load(Ordering::Relaxed);
    Ok(Some(Mended {
        pieces: work.report(&left),
        rest: work.moved,
        short: (first_short, short),
        meets_folds,
    }))
}

/// A state it went through.
#[derive(Default)]
struct PushReached {
    short: f64,
    x: Vec<f64>,
    /// By layer the deepest that is left, metres.
    left: Vec<f32>,
}

/// What is through in each pose, in sight, asked of every pair.
pub fn trouble_in(outfit: &Outfit, poses: &[TrialPose], measure: Settings) -> Vec<Trouble> {
    let (cache, still) = (PoseCache::none(), outfit.buffers());
    let rests: Vec<AtRest> =
        outfit.pairs.iter().map(|p| AtRest::new(outfit, &still, p.outer, p.inner)).collect();
    let one = |(number, pose): (usize, &TrialPose)| {
        cache.lend(number, outfit, |buffers| {
            buffers.pose(outfit, &pose.matrices, &pose.amounts);
            let in_pose = InPose::new(outfit, buffers);
            let of_pair = |(pair, rest): (usize, &AtRest)| {
                let layers = (outfit.pairs[pair].outer, outfit.pairs[pair].inner);
                let through =
                    in_pose.through(pair, measure, &in_pose.meeting(layers.0, layers.1, rest), None);
                let sight = in_pose.see(pair, &through);
                let seen = through.spots.iter().zip(&sight.buried).filter(|(_, buried)| !**buried);
                let spots = seen.filter_map(|(s, _)| outfit.place_of(pair, s.on_outer, s.vertex));
                let all: Vec<Place> = spots.chain(through.stretches.iter().map(|s| s.place(pair))).collect();
                all
            };
            rests.iter().enumerate().flat_map(of_pair).collect()
        })
    };
    poses.par_iter().enumerate().map(one).collect()
}

struct Work<'a> {
    mending: Mending<'a>,
    /// As it is now.
    outfit: Outfit,
    /// Where the vertices of each layer are now: at rest, or with all of the shape.
    moved: Vec<Vec<Vec3>>,
    /// Of layers that may move.
    partners: Vec<Vec<u32>>,
    moves: Moves,
    /// The layers that have something to move.
    going: Vec<usize>,
    cost: super::finite_newton::Lower,
    x: Vec<f64>,
    /// Asked in every pose.
    places: Vec<Place>,
    trouble: Vec<HashSet<Place>>,
    /// By pose, what is clear about contacts.
    about: Vec<HashSet<Place>>,
    hopeless: Hopeless,
    /// By pose, layer and vertex, what lies in its own part.
    folded: Vec<HashSet<(usize, u32)>>,
    /// By pose, what lay deep between two sides of a fold at first: it stays there, however its lip opens.
    deep_in_folds: Vec<HashSet<Place>>,
    /// Whether anything was found between two sides of a fold.
    meets_folds: AtomicBool,
    /// The gaps when last asked.
    last: Vec<HashMap<Place, f32>>,
    /// On the wrong side, but nothing that counts: neither in sight nor through.
    ignored: Vec<HashSet<Place>>,
    /// Posed layers, and which of the poses there each pose is.
    cache: &'a PoseCache,
    numbers: &'a [usize],
    /// The state that each layer is in.
    states: Vec<u64>,
}

impl<'a> Work<'a> {
    fn yielding(&self) -> &'static Yielding {
        match self.mending.shape {
            Some(_) => &SHAPE,
            None => &PUSH,
        }
    }

    fn new(mending: Mending<'a>, cache: &'a PoseCache, numbers: &'a [usize]) -> Self {
        let mut outfit = mending.outfit.clone();
        if let Some(shape) = mending.shape {
            outfit.layers.iter_mut().for_each(|l| l.morphs.resize(shape + 1, Morph::default()));
        }
        // What is a fold whatever the answer is not asked.
        let asked = |place: &&Place| !is_fold_for_sure(&mending, place);
        let of_pose = |all: &Trouble| -> HashSet<Place> { all.iter().filter(asked).copied().collect() };
        let trouble: Vec<HashSet<Place>> = mending.trouble.iter().map(of_pose).collect();
        let partners = |(index, layer): (usize, &Layer)| match mending.movable.contains(&index) {
            true => partners_of(layer),
            false => Vec::new(),
        };
        let mut work = Self {
            mending,
            partners: outfit.layers.iter().enumerate().map(partners).collect(),
            moved: outfit.layers.iter().map(|l| l.rest.clone()).collect(),
            outfit,
            moves: Moves::default(),
            going: Vec::new(),
            cost: Vec::new(),
            x: Vec::new(),
            places: Vec::new(),
            hopeless: Hopeless::default(),
            folded: mending.trouble.iter().map(folded).collect(),
            deep_in_folds: vec![HashSet::new(); trouble.len()],
            meets_folds: AtomicBool::new(false),
            last: vec![HashMap::new(); trouble.len()],
            ignored: vec![HashSet::new(); trouble.len()],
            about: vec![HashSet::new(); trouble.len()],
            cache,
            numbers,
            states: mending.outfit.layers.iter().map(|_| cache.new_state()).collect(),
            trouble,
        };
        let asked = work.ask(|pose| work.trouble[pose].iter().copied().collect());
        let may = work.may_go(&asked);
        if work.mending.settings.about_contacts {
            work.note_about_contacts(&asked);
        }
        work.moves = Moves::new(&work.outfit.layers, &work.partners, &may);
        work.going = (0..may.len()).filter(|layer| !may[*layer].is_empty()).collect();
        work.cost = work.moves.cost(&work.outfit.layers, work.yielding().against);
        if work.mending.settings.keep_rows {
            work.moves.add_cost_of_rows(&work.outfit.layers, &mut work.cost);
        }
        work.x = vec![0.0; work.moves.count];
        work.places = work.places_near(&may);
        work
    }

    /// How the vertices of the movable layers near what is through may go: along their normals, or any way where those
    /// lead along what is through and not off it.
    fn may_go(&self, all: &[Asked]) -> Vec<Vec<May>> {
        let layers = &self.outfit.layers;
        // What is deeper than anything may go moves nothing.
        let hopeless = Hopeless::new(all, self.mending.settings.reach, layers);
        let any_way = self.mending.settings.any_way;
        let mut seeds: Vec<[Vec<u32>; 2]> = vec![Default::default(); layers.len()];
        let movable = |layer: usize| self.mending.movable.contains(&layer);
        let normals_of = |(index, layer): (usize, &Layer)| match movable(index) {
            true => vertex_normals(&layer.rest, &layer.topology.triangles),
            false => Vec::new(),
        };
        let normals: Vec<Vec<Vec3>> = layers.iter().enumerate().map(normals_of).collect();
        for Asked { pose, gap, .. } in all.iter().filter(|a| !hopeless.has(a, layers) && !self.is_fold(a)) {
            let own = gap.own.1.iter().filter(|e| e.1 > 0.0).map(|e| (gap.own.0, e.0));
            let all = own.chain(gap.other.1.iter().map(|v| (gap.other.0, *v)));
            for (layer, v) in all.filter(|(layer, _)| movable(*layer)) {
                let back = self.back(*pose, gap, layer, v).normalize_or_zero();
                let leads_along = back.dot(normals[layer][v as usize]).abs() < LEADS_OFF;
                seeds[layer][0].push(v);
                seeds[layer][1].extend((any_way && leads_along).then_some(v));
            }
        }
        let of_layer = |(index, [near, along]): (usize, [Vec<u32>; 2])| {
            if near.is_empty() {
                return Vec::new();
            }
            let mut may = vec![May::Stay; layers[index].rest.len()];
            let region = self.yielding().region;
            for (seeds, within, so) in [(near, region, May::GoAlong), (along, CREASE, May::GoAnyWay)] {
                self.region(index, seeds, within).into_iter().for_each(|v| may[v as usize] = so);
            }
            let held = self.mending.held.get(index).into_iter().flatten();
            may.iter_mut().zip(held).filter(|(_, held)| **held).for_each(|(may, _)| *may = May::Stay);
            may
        };
        seeds.into_par_iter().enumerate().map(of_layer).collect()
    }

    /// Takes note of what is clear, on both layers, about where two that did not lie over each other at rest are in
    /// each other.
    fn note_about_contacts(&mut self, asked: &[Asked]) {
        let mut seeds: BTreeMap<(usize, [usize; 2]), Vec<u32>> = BTreeMap::new();
        for Asked { pose, place, gap } in asked {
            if let Place::Inside { layers: (own, other), vertex } = *place {
                seeds.entry((*pose, [own, other])).or_default().push(vertex);
                seeds.entry((*pose, [other, own])).or_default().extend(gap.other.1);
            }
        }
        let mut near: Vec<Vec<Place>> = vec![Vec::new(); self.trouble.len()];
        for ((pose, [own, other]), mut seeds) in
            seeds.into_iter().filter(|((_, [own, other]), _)| own != other)
        {
            let layer = &self.outfit.layers[own];
            seeds.sort_unstable();
            seeds.dedup();
            let region = over_surface(&layer.rest, &layer.topology, &seeds, ABOUT_CONTACT);
            let places = region.into_iter().map(|(vertex, _)| Place::Inside { layers: (own, other), vertex });
            near[pose].extend(places.filter(|place| !self.trouble[pose].contains(place)));
        }
        let tolerance = self.mending.settings.measure.tolerance;
        let clear = self.ask(|pose| near[pose].clone()).into_iter().filter(|a| a.gap.gap >= -tolerance);
        for Asked { pose, place, .. } in clear {
            self.about[pose].insert(place);
        }
    }

    /// The vertices of a layer that lie within so far of some, along it.
    fn region(&self, index: usize, mut seeds: Vec<u32>, within: f32) -> Vec<u32> {
        let (layer, partners) = (&self.outfit.layers[index], &self.partners[index]);
        // What is hit on the wall that is not measured is moved by the one that is.
        seeds.iter_mut().for_each(|v| *v = partners.get(*v as usize).copied().unwrap_or(*v));
        seeds.sort_unstable();
        seeds.dedup();
        over_surface(&layer.rest, &layer.topology, &seeds, within).into_iter().map(|(v, _)| v).collect()
    }

    /// Every place at which something that may move lies over or under something.
    fn places_near(&self, may: &[Vec<May>]) -> Vec<Place> {
        let moves = |layer: usize, v: u32| may[layer].get(v as usize).is_some_and(|m| *m != May::Stay);
        let mut places: Vec<Place> = self.trouble.iter().chain(&self.about).flatten().copied().collect();
        for pair in 0..self.outfit.pairs.len() {
            places.extend(self.outfit.places(pair, &moves));
        }
        places.sort_unstable();
        places.dedup();
        places
    }

    /// How much a gap in a pose grows with a move of a vertex at rest.
    fn back(&self, pose: usize, gap: &PlaceGap, layer: usize, v: u32) -> Vec3 {
        let matrices = &self.mending.poses[pose].matrices;
        let blend = blended_matrix(&self.outfit.layers[layer].skin, v as usize, matrices);
        Mat3::from_mat4(blend).transpose() * gap.way
    }

    /// How much of the moves a pose has.
    fn share(&self, pose: usize) -> f32 {
        self.mending.shape.map_or(1.0, |n| self.mending.poses[pose].amounts.get(n).copied().unwrap_or(0.0))
    }

    /// Demands that a gap grow by `need` (or shrink by no more than that, below 0) from what it is now.
    fn demand(&self, pose: usize, gap: &PlaceGap, need: f32, demands: &mut Demands) {
        let back = |layer: usize, v: u32| self.back(pose, gap, layer, v);
        let there = self.share(pose);
        let mut entries: Vec<(u32, f64)> = Vec::with_capacity(18);
        let mut add = |layer: usize, v: u32, share: f32| {
            if share != 0.0 {
                let rest = self.mending.outfit.layers[layer].rest[v as usize];
                self.moves.add(layer, v, rest, back(layer, v) * share * there, &mut entries);
            }
        };
        gap.own.1.iter().for_each(|(v, share)| add(gap.own.0, *v, *share));
        (0..3).for_each(|k| add(gap.other.0, gap.other.1[k], -gap.other.2[k]));
        if entries.is_empty() {
            return;
        }
        entries.sort_by_key(|e| e.0);
        entries.dedup_by(|b, a| {
            let same = a.0 == b.0;
            a.1 += if same { b.1 } else { 0.0 };
            same
        });
        // The moves are those from the beginning: what they are now counts towards it.
        let now: f64 = entries.iter().map(|(k, g)| g * self.x[*k as usize]).sum();
        demands.push(&entries, f64::from(need) + now);
    }

    /// Goes towards `x`, no further than a round may go.
    fn go_to(&mut self, x: &[f64]) {
        let next = self.moves.towards(&self.x, x, self.mending.settings.step);
        self.place(&next);
    }

    /// Puts every layer where `x` says, as far as it may go, stiff parts in shape.
    fn place(&mut self, x: &[f64]) {
        let limit = self.mending.settings.limit;
        for index in self.going.iter().copied() {
            let start = &self.mending.outfit.layers[index].rest;
            let (layer, now) = (&mut self.outfit.layers[index], &mut self.moved[index]);
            for (v, (p, rest)) in now.iter_mut().zip(start).enumerate() {
                *p = *rest + self.moves.moved(index, v, *rest, x).clamp_length_max(limit);
            }
            move_with_partners(&self.partners[index], start, now);
            keep_rigid(&layer.rigid, start, now, limit);
            match self.mending.shape {
                None => layer.rest.clone_from(now),
                Some(shape) => {
                    let offsets: Vec<Vec3> = now.iter().zip(start).map(|(p, s)| *p - *s).collect();
                    layer.morphs[shape] = Morph::from_dense(String::new(), &offsets);
                }
            }
        }
        self.going.iter().for_each(|layer| self.states[*layer] = self.cache.new_state());
        self.x = x.to_vec();
    }

    fn report(&self, left: &[f32]) -> Vec<PieceReport> {
        let one = |&layer: &usize| {
            let start = &self.mending.outfit.layers[layer].rest;
            let moves: Vec<f32> = self.moved[layer].iter().zip(start).map(|(p, s)| p.distance(*s)).collect();
            let furthest = moves.iter().copied().fold(0.0, f32::max);
            PieceReport {
                layer,
                moved: moves.iter().filter(|m| **m > 1e-5).count(),
                furthest,
                left: left[layer],
                at_limit: furthest >= self.mending.settings.limit * 0.999,
            }
        };
        self.mending.movable.iter().map(one).collect()
    }
}
