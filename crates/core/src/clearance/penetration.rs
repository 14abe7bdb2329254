//! What is through in a pair, whoever sees it; and what of that is seen.
//!
//! The two are kept apart since they depend on different things: what is through on the two
//! layers and the pose alone, what is seen on all that is worn.

use super::ask::PairView;
use super::crossing::{crossing, meeting};
use super::visibility::Visibility;
use super::{
    Asked, AtRest, Buffers, Coverage, Crossing, EdgeSpot, InsideSpot, Outfit, PairMeasure, PairPoints,
    Settings, Side, Spot,
};
use crate::mesh::triangle_area;
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::atomic::{AtomicI32, Ordering};

/// A vertex on the wrong side of the other layer by more than the tolerance.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct PenetrationSpot {
    /// True when it is of the outer layer (sunk), false for the inner (poking).
    pub on_outer: bool,
    /// Welded vertex of that layer.
    pub vertex: u32,
    /// Signed distance, metres: negative.
    pub clearance: f32,
    /// Outward unit normal where the other layer is nearest.
    pub normal: Vec3,
    /// Area round an inner vertex, square metres; 0 for an outer one.
    pub area: f32,
}

/// What is through in a pair in a pose.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Penetration {
    /// Covered inner vertices.
    pub covered: u32,
    /// Least clearance of those that are not through, metres; none when none could be asked.
    pub least_clearance: Option<f32>,
    /// The others, and the sunk ones of the outer layer; of one that rest has so already, what the pose adds.
    pub spots: Vec<PenetrationSpot>,
    /// Stretches of edges between vertices, likewise.
    pub stretches: Vec<EdgeSpot>,
    /// True when the pair cannot be measured in the pose: a vertex of it is nowhere (its position no
    /// number). Where every vertex has an open edge nearest, the crossing still tells.
    pub unmeasurable: bool,
}

/// So many places of what came out are looked at.
const LOOKED_AT: usize = 16;

/// What of it is seen.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Sight {
    /// For each spot whether it is hidden from every side.
    pub buried: Vec<bool>,
    /// The deepest spot in sight, poking or sunk.
    pub worst: Option<Spot>,
    /// The deepest stretch of an edge in sight, and how deep, metres.
    pub stretch: Option<(Spot, f32)>,
    /// Of a pair of which nothing is through that was asked: whether what came out of it is in sight.
    pub crossing: bool,
}

/// An outfit in a pose, ready to be asked.
pub struct InPose<'a> {
    pub(super) outfit: &'a Outfit,
    pub(super) buffers: &'a Buffers,
    pub(super) hiding: Visibility<'a>,
}

impl<'a> InPose<'a> {
    /// Of an outfit whose layers are posed in `buffers`: those that are asked, and all of them where
    /// it is asked what is seen.
    pub fn new(outfit: &'a Outfit, buffers: &'a Buffers) -> Self {
        Self { outfit, buffers, hiding: Visibility::new(outfit, buffers) }
    }

    pub(super) fn view(&self, pair: usize, settings: Settings) -> PairView<'a, '_> {
        let Self { outfit, buffers, hiding } = self;
        PairView { outfit, buffers, pair: &outfit.pairs[pair], settings, hiding }
    }

    /// The faces of the layers `(outer, inner)` that meet, as pairs; of a layer against itself those that
    /// are of other neighbourhoods. Empty where it cannot be told, see [`InPose::meeting_told`].
    pub fn meeting(&self, outer: usize, inner: usize, rest: &AtRest) -> Vec<(u32, u32)> {
        self.meeting_told(outer, inner, rest).unwrap_or_default()
    }

    /// The same; nothing where a layer is noise, each face of which meets a great many: such a pair cannot be measured.
    pub fn meeting_told(&self, outer: usize, inner: usize, rest: &AtRest) -> Option<Vec<(u32, u32)>> {
        meeting(self.outfit, self.buffers, outer, inner, rest)
    }

    /// What is through in a pair, of which the faces that meet are known; `rest` is given where only what
    /// the pose adds to it counts.
    ///
    /// It says of every vertex what [`ask_pairs`](super::ask_pairs) says, but looks closely only where
    /// it matters: what is through is reached from where the layers cross, so of all others only the
    /// least clearance is wanted.
    pub fn through(
        &self,
        pair: usize,
        settings: Settings,
        meeting: &[(u32, u32)],
        rest: Option<&AtRest>,
    ) -> Penetration {
        let found = through_in(&self.view(pair, settings), meeting);
        match rest {
            Some(rest) => found.beyond(rest, settings.tolerance),
            None => found,
        }
    }

    /// The points of a pair that are through, as [`ask_pairs`](super::ask_pairs) tells them, all others left
    /// open; `meeting` and `rest` as for [`InPose::through`].
    pub fn points_through(
        &self,
        pair: usize,
        settings: Settings,
        meeting: &[(u32, u32)],
        rest: Option<&AtRest>,
    ) -> PairPoints {
        let view = self.view(pair, settings);
        let mut points = view.ask_through(meeting);
        if let Some(rest) = rest {
            points.beyond(&view.pair.coverage, rest);
        }
        points
    }

    /// How high each vertex of layer `outer` lies over the nearest of what lay beneath it at rest, metres;
    /// `most` where it is further away than that, not a number where nothing lay beneath or it is through.
    ///
    /// ```
    /// use tin_cloak_core::clearance::{InPose, Settings};
    /// use tin_cloak_core::shapes::{outfit, sphere};
    ///
    /// // A coat 20 mm off the body, 15 mm off the shirt.
    /// let outfit = outfit(&sphere(0.1, 24), &[sphere(0.105, 24), sphere(0.12, 24)]);
    /// let buffers = outfit.buffers();
    /// let heights = InPose::new(&outfit, &buffers).heights(2, Settings::default(), 0.04);
    /// assert!(heights.iter().all(|h| (h - 0.015).abs() < 0.001));
    /// ```
    pub fn heights(&self, outer: usize, settings: Settings, most: f32) -> Vec<f32> {
        let mut heights = vec![f32::NAN; self.outfit.layers[outer].rest.len()];
        // What is nearest as a rule comes first and bounds the search in what lies deeper.
        for pair in (0..self.outfit.pairs.len()).rev().filter(|p| self.outfit.pairs[*p].outer == outer) {
            let view = self.view(pair, settings);
            let over = &view.pair.coverage.over;
            let one = |(i, v): (usize, &u32)| {
                let known = heights[*v as usize];
                view.height(i, if known.is_nan() { most } else { known })
            };
            let found: Vec<Option<f32>> = over.par_iter().with_min_len(128).enumerate().map(one).collect();
            for (v, height) in over.iter().zip(found) {
                let known = &mut heights[*v as usize];
                *known = height.unwrap_or(if known.is_nan() { most } else { *known });
            }
        }
        heights
    }

    /// What outer vertex `vertex` of a pair is over or sunk in, asked by itself; `None` where it did not lie
    /// over it at rest, or an open edge is nearest.
    pub fn over(&self, pair: usize, settings: Settings, vertex: u32) -> Option<Asked> {
        let view = self.view(pair, settings);
        let i = view.pair.coverage.over.binary_search(&vertex).ok()?;
        view.ask_outer(i)
    }

    /// How the layers `(outer, inner)` run through each other, whose faces meet so; `deep` asks also how
    /// deep, for layers of which nothing lies over the other at rest.
    pub fn crossing(
        &self,
        outer: usize,
        inner: usize,
        meeting: &[(u32, u32)],
        rest: &AtRest,
        deep: bool,
    ) -> Crossing {
        crossing(self.outfit, &self.hiding, outer, inner, meeting, rest, deep)
    }

    /// What has come out of a pair of which nothing that was asked at rest is through: parts that end where the layers
    /// run through each other as `rest` does not have it (where it is given), into what is known of the `crossing`.
    ///
    /// ```
    /// use tin_cloak_core::clearance::{AtRest, InPose};
    /// use tin_cloak_core::shapes::{outfit, sphere};
    ///
    /// // A body with a spike far out of a coat.
    /// let mut body = sphere(0.1, 24);
    /// let tip = (0..body.0.len()).max_by(|a, b| body.0[*a].z.total_cmp(&body.0[*b].z)).unwrap();
    /// body.0[tip] *= 3.0;
    /// let outfit = outfit(&body, &[sphere(0.12, 24)]);
    /// let buffers = outfit.buffers();
    /// let pose = InPose::new(&outfit, &buffers);
    /// let rest = AtRest::new(&outfit, &buffers, 1, 0);
    /// let meeting = pose.meeting(1, 0, &rest);
    /// let told = pose.with_what_came_out(0, &meeting, None, pose.crossing(1, 0, &meeting, &rest, false));
    /// assert!((told.depth - 0.18).abs() < 0.01, "{}", told.depth);
    /// assert!(pose.sees_any(0, &told.inside));
    /// ```
    pub fn with_what_came_out(
        &self,
        pair: usize,
        meeting: &[(u32, u32)],
        rest: Option<&AtRest>,
        crossing: Crossing,
    ) -> Crossing {
        let view = self.view(pair, Settings::default());
        let layers = (view.pair.outer, view.pair.inner);
        let corners = |layer: usize, f: u32| self.outfit.layers[layer].topology.triangles[f as usize];
        let is_new = |(f, g): &&(u32, u32)| {
            rest.is_none_or(|rest| !rest.has(corners(layers.0, *f), corners(layers.1, *g)))
        };
        let new: Vec<(u32, u32)> = meeting.iter().filter(is_new).copied().collect();
        let inside = view.come_out(&new);
        let Some(deepest) = inside.iter().copied().reduce(|a, b| if b.depth > a.depth { b } else { a })
        else {
            return crossing;
        };
        let (position, normal) = view.where_it_came_out(&deepest);
        let spot = Spot { on_outer: deepest.on_outer, vertex: deepest.vertex, position, look: normal };
        Crossing { depth: deepest.depth, spot: Some(spot), inside, ..crossing }
    }

    /// Whether anybody sees any of what came out of a pair; of much, places spread evenly over it are looked at.
    pub fn sees_any(&self, pair: usize, inside: &[InsideSpot]) -> bool {
        let view = self.view(pair, Settings::default());
        let is_seen = |spot: &&InsideSpot| {
            let (p, n) = view.where_it_came_out(spot);
            !self.hiding.is_out_of_sight(p, n, view.pair.outer)
        };
        let some: Vec<&InsideSpot> = inside.iter().step_by(inside.len().div_ceil(LOOKED_AT).max(1)).collect();
        some.par_iter().any(is_seen)
    }

    /// What is seen of what is through in a pair.
    pub fn see(&self, pair: usize, through: &Penetration) -> Sight {
        see_in(&self.view(pair, Settings::default()), through)
    }
}

pub(super) fn through_in(view: &PairView, meeting: &[(u32, u32)]) -> Penetration {
    let settings = view.settings;
    let coverage = &*view.pair.coverage;
    let mut spots: Vec<PenetrationSpot> = Vec::new();
    for on_outer in [false, true] {
        let out =
            view.reached(on_outer, meeting).into_iter().filter(|(_, a)| a.clearance < -settings.tolerance);
        spots.extend(out.map(|(v, asked)| match on_outer {
            false => view.inner_spot(v, &asked),
            true => view.outer_spot(v, &asked),
        }));
    }
    let least = Least::default();
    (0..coverage.covered.len()).into_par_iter().with_min_len(128).for_each(|i| {
        let asked = view.ask_inner(i, least.within(settings.tolerance));
        if let Some(asked) = asked.filter(|a| a.clearance >= -settings.tolerance) {
            least.at_most(asked.clearance);
        }
    });
    let found = Penetration {
        covered: coverage.covered.len() as u32,
        least_clearance: least.found(),
        spots,
        stretches: view.stretches(meeting),
        unmeasurable: false,
    };
    found.judged(view)
}

impl Penetration {
    /// True when nothing is through.
    pub fn is_empty(&self) -> bool {
        self.spots.is_empty() && self.stretches.is_empty()
    }

    /// Only what it adds to rest, where that is more than the tolerance (metres).
    fn beyond(mut self, rest: &AtRest, tolerance: f32) -> Self {
        for spot in &mut self.spots {
            spot.clearance += rest.depth(spot.on_outer, spot.vertex);
        }
        for stretch in &mut self.stretches {
            stretch.clearance += rest.edge_depth(stretch.on_outer, stretch.edge);
        }
        self.spots.retain(|s| s.clearance < -tolerance);
        self.stretches.retain(|s| s.clearance < -tolerance);
        self
    }

    /// Says whether it was measured at all.
    fn judged(mut self, view: &PairView) -> Self {
        let Coverage { covered, over, .. } = &*view.pair.coverage;
        let lost = |list: &[u32], at: &[Vec3]| list.iter().any(|&v| !at[v as usize].is_finite());
        self.unmeasurable = lost(covered, &view.inner().positions) || lost(over, &view.outer().positions);
        self
    }
}

/// The least of some clearances, found by many threads.
struct Least(AtomicI32);

impl Default for Least {
    fn default() -> Self {
        Self(AtomicI32::new(Self::key(f32::INFINITY)))
    }
}

impl Least {
    /// In the order of the numbers, negative ones too.
    fn key(x: f32) -> i32 {
        let bits = x.to_bits() as i32;
        bits ^ ((bits >> 31) as u32 >> 1) as i32
    }

    fn value(&self) -> f32 {
        let key = self.0.load(Ordering::Relaxed);
        f32::from_bits((key ^ ((key >> 31) as u32 >> 1) as i32) as u32)
    }

    fn at_most(&self, clearance: f32) {
        self.0.fetch_min(Self::key(clearance), Ordering::Relaxed);
    }

    /// Nothing further away than this makes it less; a hair more, so that what is found does not
    /// depend on who came first.
    fn within(&self, tolerance: f32) -> f32 {
        self.value().max(tolerance) * 1.00001 + 1e-9
    }

    fn found(&self) -> Option<f32> {
        Some(self.value()).filter(|least| least.is_finite())
    }
}

impl PairView<'_, '_> {
    fn inner_spot(&self, vertex: u32, asked: &Asked) -> PenetrationSpot {
        let area = vertex_area(self.inner_side(), &self.inner().positions, vertex);
        let Asked { clearance, normal, .. } = *asked;
        PenetrationSpot { on_outer: false, vertex, clearance, normal, area }
    }

    fn outer_spot(&self, vertex: u32, asked: &Asked) -> PenetrationSpot {
        let area = vertex_area(self.outer_side(), &self.outer().positions, vertex);
        let Asked { clearance, normal, .. } = *asked;
        PenetrationSpot { on_outer: true, vertex, clearance, normal, area }
    }
}

/// The same from points that were asked before.
pub(super) fn through_of(view: &PairView, points: &PairPoints) -> Penetration {
    let (coverage, tolerance) = (&view.pair.coverage, view.settings.tolerance);
    let mut found = Penetration { covered: coverage.covered.len() as u32, ..Penetration::default() };
    for (&vertex, asked) in coverage.covered.iter().zip(&points.inner) {
        let Some(asked) = asked else { continue };
        if asked.clearance >= -tolerance {
            let least = found.least_clearance.unwrap_or(f32::INFINITY);
            found.least_clearance = Some(least.min(asked.clearance));
            continue;
        }
        found.spots.push(view.inner_spot(vertex, asked));
    }
    let sunk = coverage.over.iter().zip(&points.outer);
    let sunk = sunk.filter_map(|(v, a)| Some((*v, a.filter(|a| a.clearance < -tolerance)?)));
    found.spots.extend(sunk.map(|(vertex, asked)| view.outer_spot(vertex, &asked)));
    found.stretches = view.stretches(&view.meeting());
    found.judged(view)
}

pub(super) fn see_in(view: &PairView, through: &Penetration) -> Sight {
    let hidden = through.spots.par_iter().with_min_len(64).map(|spot| view.is_buried(spot));
    let buried: Vec<bool> = hidden.collect();
    let seen = through.spots.iter().zip(&buried).filter(|(_, buried)| !**buried).map(|(spot, _)| spot);
    // Of two that are equally deep the first counts: the inner layer's come first.
    let deepest = seen.reduce(|a, b| if b.clearance < a.clearance { b } else { a });
    let worst = deepest.map(|spot| {
        let (position, normal) = view.shows(spot);
        let look = view.hiding.look(position, normal, view.pair.outer);
        Spot { on_outer: spot.on_outer, vertex: spot.vertex, position, look }
    });
    let stretch = stretch_in_sight(view, &through.stretches);
    Sight { buried, worst, stretch, crossing: false }
}

/// The deepest stretch in sight, with its depth.
fn stretch_in_sight(view: &PairView, stretches: &[EdgeSpot]) -> Option<(Spot, f32)> {
    let mut deepest: Vec<&EdgeSpot> = stretches.iter().collect();
    deepest.sort_by(|a, b| a.clearance.total_cmp(&b.clearance));
    let seen = deepest.into_iter().find(|s| !view.is_stretch_buried(s))?;
    let (position, normal) = PairView::stretch_shows(seen);
    let look = view.hiding.look(position, normal, view.pair.outer);
    let spot = Spot { on_outer: seen.on_outer, vertex: seen.edge[0], position, look };
    Some((spot, -seen.clearance))
}

/// Both as figures; `worst_strain` is the outer layer's.
///
/// ```
/// use tin_cloak_core::clearance::{sum_up, AtRest, InPose, Settings};
/// use tin_cloak_core::shapes::{moved, outfit, sphere};
///
/// let shirt = moved(sphere(0.105, 32), tin_cloak_core::glam::Vec3::Z * -0.008);
/// let outfit = outfit(&sphere(0.1, 32), &[shirt]);
/// let buffers = outfit.buffers();
/// let pose = InPose::new(&outfit, &buffers);
/// let rest = AtRest::new(&outfit, &buffers, 1, 0);
/// let through = pose.through(0, Settings::default(), &pose.meeting(1, 0, &rest), None);
/// let cell = sum_up(&through, &pose.see(0, &through), 1.0);
/// assert_eq!((cell.poking + cell.sunk + cell.buried), through.spots.len());
/// ```
pub fn sum_up(through: &Penetration, sight: &Sight, worst_strain: f32) -> PairMeasure {
    let mut m = PairMeasure {
        covered: through.covered as usize,
        poking: 0,
        deepest: 0.0,
        poking_area: 0.0,
        buried: 0,
        sunk: 0,
        sunk_deepest: 0.0,
        sunk_area: 0.0,
        least_clearance: through.least_clearance,
        worst_strain,
        edge_deepest: sight.stretch.map_or(0.0, |s| s.1),
        worst: sight.worst,
        unmeasurable: through.unmeasurable,
    };
    for (spot, buried) in through.spots.iter().zip(&sight.buried) {
        if *buried {
            m.buried += 1;
        } else if spot.on_outer {
            m.sunk += 1;
            m.sunk_area += spot.area;
            m.sunk_deepest = m.sunk_deepest.max(-spot.clearance);
        } else {
            m.poking += 1;
            m.poking_area += spot.area;
            m.deepest = m.deepest.max(-spot.clearance);
            m.least_clearance = Some(m.least_clearance.unwrap_or(f32::INFINITY).min(spot.clearance));
        }
    }
    if let Some((spot, _)) = sight.stretch.filter(|s| s.1 > m.deepest.max(m.sunk_deepest)) {
        m.worst = Some(spot);
    }
    m
}

fn vertex_area(side: &Side, positions: &[Vec3], v: u32) -> f32 {
    let around = side.topology.incident.row(v as usize);
    around.iter().map(|&t| triangle_area(positions, side.topology.triangles[t as usize])).sum::<f32>() / 3.0
}
