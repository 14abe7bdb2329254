//! The vertices of a layer pair, asked one by one in a pose.

use super::visibility::Visibility;
use super::{
    AtRest, Buffers, Coverage, EdgeSpot, Outfit, Pair, PenetrationSpot, PosedLayer, PosedSide, Settings, Side,
};
use crate::mesh::{face_normal, mix};
use glam::Vec3;
use rayon::prelude::*;

/// One asked vertex of a pair: the raw material of maps, snags and mending.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Asked {
    /// Signed distance, metres: positive is good.
    pub clearance: f32,
    /// Face of the other layer's side that is nearest, and where on it.
    pub triangle: u32,
    /// Barycentric coordinates there.
    pub barycentric: [f32; 3],
    /// Outward unit normal there.
    pub normal: Vec3,
    /// Hidden from every side.
    pub buried: bool,
}

/// Every asked vertex of a pair in one pose.
#[derive(Clone, Debug, Default)]
pub struct PairPoints {
    /// One a covered inner vertex; `None` where an open edge was nearest.
    pub inner: Vec<Option<Asked>>,
    /// One a vertex of the outer layer over the inner one; `None` where an open edge was nearest
    /// or nothing of the inner layer was in reach.
    pub outer: Vec<Option<Asked>>,
}

impl PairPoints {
    /// True when there is an answer of a vertex of the outer layer; `coverage` is the pair's.
    pub fn has_outer(&self, coverage: &Coverage, vertex: u32) -> bool {
        coverage.over.binary_search(&vertex).is_ok_and(|at| self.outer[at].is_some())
    }

    /// Of what is wrong at rest already only what the pose adds; `coverage` is the pair's.
    pub fn beyond(&mut self, coverage: &Coverage, rest: &AtRest) {
        let lower = |on_outer: bool, list: &[u32], points: &mut [Option<Asked>]| {
            for (&v, asked) in list.iter().zip(points) {
                if let Some(asked) = asked.as_mut().filter(|a| a.clearance < 0.0) {
                    asked.clearance = (asked.clearance + rest.depth(on_outer, v)).min(0.0);
                }
            }
        };
        lower(false, &coverage.covered, &mut self.inner);
        lower(true, &coverage.over, &mut self.outer);
    }
}

/// The points of the pairs named by `which`, in that order, with what of them nobody sees.
///
/// ```
/// use tin_cloak_core::clearance::{ask_pairs, Settings};
/// use tin_cloak_core::shapes::{outfit, sphere};
///
/// // A shirt 5 mm off the body all round.
/// let outfit = outfit(&sphere(0.1, 24), &[sphere(0.105, 24)]);
/// let asked = ask_pairs(&outfit, &outfit.buffers(), &[(0, Settings::default())]);
/// assert!(asked[0].inner.iter().flatten().all(|a| (a.clearance - 0.005).abs() < 0.001));
/// ```
pub fn ask_pairs(outfit: &Outfit, buffers: &Buffers, which: &[(usize, Settings)]) -> Vec<PairPoints> {
    let hiding = Visibility::new(outfit, buffers);
    let one = |&(i, settings): &(usize, Settings)| {
        let view = PairView { outfit, buffers, pair: &outfit.pairs[i], settings, hiding: &hiding };
        let mut points = view.ask();
        view.bury(&mut points);
        points
    };
    which.par_iter().map(one).collect()
}

/// Rays to a place stop short of the place itself.
const SHORT: f32 = 0.999;

/// A pair of an outfit in a pose.
pub(super) struct PairView<'a, 'h> {
    pub outfit: &'a Outfit,
    pub buffers: &'a Buffers,
    pub pair: &'a Pair,
    pub settings: Settings,
    pub hiding: &'h Visibility<'a>,
}

impl<'a> PairView<'a, '_> {
    pub fn outer_side(&self) -> &'a Side {
        &self.outfit.layers[self.pair.outer].walls.towards_body
    }

    pub fn inner_side(&self) -> &'a Side {
        self.outfit.layers[self.pair.inner].walls.outside()
    }

    pub fn outer(&self) -> &'a PosedLayer {
        self.buffers.layer(self.pair.outer)
    }

    pub fn inner(&self) -> &'a PosedLayer {
        self.buffers.layer(self.pair.inner)
    }

    /// Asks every vertex of the pair; whether anybody sees what is through is left open.
    pub fn ask(&self) -> PairPoints {
        let Coverage { covered, over, .. } = &*self.pair.coverage;
        let inner = |i: usize| {
            let asked = self.ask_inner(i, f32::INFINITY)?;
            let out = asked.clearance < -self.settings.tolerance;
            (!out || !self.is_beneath_its_cover(i)).then_some(asked)
        };
        let mut points = PairPoints {
            inner: (0..covered.len()).into_par_iter().with_min_len(128).map(inner).collect(),
            outer: (0..over.len()).into_par_iter().with_min_len(128).map(|i| self.ask_outer(i)).collect(),
        };
        let is_out = |a: &Option<Asked>| self.is_out(a);
        if points.inner.iter().chain(&points.outer).any(is_out) {
            let meeting = self.meeting();
            self.leave_out_uncounted(false, covered, &meeting, &mut points.inner);
            self.leave_out_uncounted(true, over, &meeting, &mut points.outer);
        }
        points
    }

    fn is_out(&self, asked: &Option<Asked>) -> bool {
        asked.is_some_and(|a| a.clearance < -self.settings.tolerance)
    }

    /// Takes the answers of those on the wrong side away that got there round an open edge.
    fn leave_out_uncounted(
        &self,
        on_outer: bool,
        list: &[u32],
        meeting: &[(u32, u32)],
        points: &mut [Option<Asked>],
    ) {
        let counted = self.reached(on_outer, meeting);
        for i in (0..points.len()).filter(|&i| self.is_out(&points[i])).collect::<Vec<_>>() {
            points[i] = points[i].filter(|_| counted.binary_search_by_key(&list[i], |c| c.0).is_ok());
        }
    }

    /// Asks covered vertex `i` what lies over it within so many metres.
    pub fn ask_inner(&self, i: usize, within: f32) -> Option<Asked> {
        let (coverage, inner) = (&self.pair.coverage, self.inner());
        let v = coverage.covered[i] as usize;
        let (p, n) = (inner.positions[v], inner.outside().normals[v]);
        self.ask_inner_at(p, n, within, coverage.covered_seeds[i])
    }

    /// The same of a place of the inner layer with its outward normal, beginning at face `seed`.
    pub fn ask_inner_at(&self, p: Vec3, n: Vec3, within: f32, seed: u32) -> Option<Asked> {
        let (side, outer) = (self.outer_side(), self.outer());
        let posed = &outer.towards_body;
        let asked = ask(side, posed, &outer.positions, p, n, within, seed)?;
        let out = asked.clearance < -self.settings.tolerance;
        (!out || !posed.hem_is_nearer(p, -asked.clearance)).then_some(asked)
    }

    /// Asks outer vertex `i` of those over the inner layer how far it is from that.
    pub fn ask_outer(&self, i: usize) -> Option<Asked> {
        let (coverage, outer) = (&self.pair.coverage, self.outer());
        let v = coverage.over[i] as usize;
        let (p, n) = (outer.positions[v], outer.towards_body.normals[v]);
        let asked = self.ask_outer_at(p, n, coverage.over_seeds[i])?;
        // What sees its base is not inside.
        (asked.clearance >= -self.settings.tolerance || !self.sees_its_base(i)).then_some(asked)
    }

    /// How high outer vertex `i` of those over the inner layer lies over that, where it is less than
    /// `within`, metres; what is through is left open.
    pub fn height(&self, i: usize, within: f32) -> Option<f32> {
        let (coverage, outer, inner) = (&self.pair.coverage, self.outer(), self.inner());
        let v = coverage.over[i] as usize;
        let (p, n) = (outer.positions[v], outer.towards_body.normals[v]);
        let seed = coverage.over_seeds[i];
        let asked = ask(self.inner_side(), inner.outside(), &inner.positions, p, n, within, seed)?;
        let height = -asked.clearance;
        (height >= -self.settings.tolerance).then_some(height)
    }

    /// The same of a place of the outer layer with its outward normal, beginning at face `seed`.
    pub fn ask_outer_at(&self, p: Vec3, n: Vec3, seed: u32) -> Option<Asked> {
        let (side, inner) = (self.inner_side(), self.inner());
        let posed = inner.outside();
        let mut asked = ask(side, posed, &inner.positions, p, n, self.settings.sunk_reach, seed)?;
        // Below the inner surface is inside: the depth there is what it is short of.
        asked.clearance = -asked.clearance;
        if asked.clearance >= -self.settings.tolerance {
            return Some(asked);
        }
        // Sunk means inside: what the inner layer does not wrap is only behind it.
        let inside = self.hiding.winding(self.pair.inner, p) >= 0.4;
        (inside && !posed.hem_is_nearer(p, -asked.clearance)).then_some(asked)
    }

    /// True when the middle of the face that was nearest to outer vertex `i` at rest is in its straight
    /// sight from the outside.
    pub fn sees_its_base(&self, i: usize) -> bool {
        let (side, inner) = (self.inner_side(), self.inner());
        let seed = self.pair.coverage.over_seeds[i];
        let Some(&corners) = side.topology.triangles.get(seed as usize) else { return false };
        let p = self.outer().positions[self.pair.coverage.over[i] as usize];
        let base = corners.map(|c| inner.positions[c as usize]).iter().sum::<Vec3>() / 3.0;
        let outside = (p - base).dot(face_normal(&inner.positions, corners)) > 0.0;
        outside && !inner.outside().tree.is_hit(p, base - p, 0.0, SHORT, |_| true)
    }

    /// Only what is through, by more than the tolerance, joined to the faces of the two layers that meet;
    /// all else is left open. What nobody sees is marked.
    pub fn ask_through(&self, meeting: &[(u32, u32)]) -> PairPoints {
        let Coverage { covered, over, .. } = &*self.pair.coverage;
        let of = |(on_outer, list): (bool, &[u32])| {
            let mut points = vec![None; list.len()];
            for (v, asked) in self.reached(on_outer, meeting) {
                let Ok(at) = list.binary_search(&v) else { continue };
                points[at] = Some(asked).filter(|a| a.clearance < -self.settings.tolerance);
            }
            points
        };
        let mut points = PairPoints { inner: of((false, covered)), outer: of((true, over)) };
        self.bury(&mut points);
        points
    }

    /// Says of each point that is through whether it is hidden from every side.
    fn bury(&self, points: &mut PairPoints) {
        let tolerance = self.settings.tolerance;
        let judge = |on_outer: bool| {
            move |(v, asked): (&u32, &mut Option<Asked>)| {
                if let Some(asked) = asked.as_mut().filter(|a| a.clearance < -tolerance) {
                    let Asked { clearance, normal, .. } = *asked;
                    let spot = PenetrationSpot { on_outer, vertex: *v, clearance, normal, area: 0.0 };
                    asked.buried = self.is_buried(&spot);
                }
            }
        };
        let Coverage { covered, over, .. } = &*self.pair.coverage;
        covered.par_iter().zip(&mut points.inner).with_min_len(64).for_each(judge(false));
        over.par_iter().zip(&mut points.outer).with_min_len(64).for_each(judge(true));
    }

    /// True when what is through at a vertex is hidden from every side.
    pub fn is_buried(&self, spot: &PenetrationSpot) -> bool {
        let (p, n) = self.shows(spot);
        self.hiding.is_out_of_sight(p, n, self.pair.outer)
    }

    /// The same of a stretch of an edge.
    pub fn is_stretch_buried(&self, spot: &EdgeSpot) -> bool {
        let (p, n) = Self::stretch_shows(spot);
        self.hiding.is_out_of_sight(p, n, self.pair.outer)
    }

    /// Where a stretch that is through shows, and the outward normal there.
    pub fn stretch_shows(spot: &EdgeSpot) -> (Vec3, Vec3) {
        match spot.on_outer {
            false => (spot.position, spot.own_normal),
            true => (spot.position - spot.normal * spot.clearance, spot.normal),
        }
    }

    /// Where what is through at a vertex shows, and the outward normal there: of a sunk vertex it is
    /// the inner surface that lies over it.
    pub fn shows(&self, spot: &PenetrationSpot) -> (Vec3, Vec3) {
        let v = spot.vertex as usize;
        match spot.on_outer {
            false => (self.inner().positions[v], self.inner().outside().normals[v]),
            true => (self.outer().positions[v] - spot.normal * spot.clearance, spot.normal),
        }
    }

    /// True when the place that covers covered vertex `i` at rest is in its straight sight from the
    /// inside.
    pub fn is_beneath_its_cover(&self, i: usize) -> bool {
        let (side, outer, cover) = (self.outer_side(), self.outer(), &self.pair.coverage.covers[i]);
        let p = self.inner().positions[self.pair.coverage.covered[i] as usize];
        let corners = side.topology.triangles[cover.triangle as usize];
        let place: Vec3 = mix(corners, cover.barycentric, |c| outer.positions[c as usize]);
        let way = place - p;
        let inside = way.dot(face_normal(&outer.positions, corners)) > 0.0;
        inside && !outer.towards_body.tree.is_hit(p, way, 0.0, SHORT, |_| true)
    }
}

fn ask(
    side: &Side,
    posed: &PosedSide,
    positions: &[Vec3],
    p: Vec3,
    n: Vec3,
    within: f32,
    seed: u32,
) -> Option<Asked> {
    let hit = posed.tree.closest_facing_from(p, within, n, 0.0, seed)?;
    if side.on_open_edge(&hit) {
        return None;
    }
    let (clearance, normal) = side.signed_depth(positions, p, &hit);
    Some(Asked { clearance, triangle: hit.triangle, barycentric: hit.barycentric, normal, buried: false })
}
