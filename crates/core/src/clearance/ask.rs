//! The vertices of a layer pair, asked one by one in a pose.

use super::hidden::Hiding;
use super::{Buffers, Coverage, Outfit, Pair, PosedLayer, PosedSide, Settings, Side, ThroughSpot};
use crate::mesh::{face_normal, mix};
use crate::query::RayHit;
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

/// The points of the pairs named by `which`, in that order, with what of them nobody sees.
pub fn ask_pairs(outfit: &Outfit, buffers: &Buffers, settings: Settings, which: &[usize]) -> Vec<PairPoints> {
    let hiding = Hiding::new(outfit, buffers);
    let one = |&i: &usize| {
        let view = PairView { outfit, buffers, pair: &outfit.pairs[i], settings, hiding: &hiding };
        let mut points = view.ask();
        view.bury(&mut points);
        points
    };
    which.par_iter().map(one).collect()
}

/// A pair of an outfit in a pose.
pub(super) struct PairView<'a> {
    pub outfit: &'a Outfit,
    pub buffers: &'a Buffers,
    pub pair: &'a Pair,
    pub settings: Settings,
    pub hiding: &'a Hiding<'a>,
}

impl<'a> PairView<'a> {
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
        let tolerance = self.settings.tolerance;
        let (outer, inner) = (self.outer(), self.inner());
        let inner_normals = &inner.outside().normals;
        let outer_normals = &outer.towards_body.normals;
        let asked_inner = |((&v, &seed), cover): ((&u32, &u32), &RayHit)| {
            let (p, n) = (inner.positions[v as usize], inner_normals[v as usize]);
            let (side, posed) = (self.outer_side(), &outer.towards_body);
            let asked = ask(side, posed, &outer.positions, (p, n), f32::INFINITY, seed)?;
            if asked.clearance < -tolerance {
                if posed.hem_is_nearer(p, -asked.clearance) || self.is_still_beneath(p, cover) {
                    return None;
                }
            }
            Some(asked)
        };
        let asked_outer = |(&v, &seed): (&u32, &u32)| {
            let (p, n) = (outer.positions[v as usize], outer_normals[v as usize]);
            let (side, posed) = (self.inner_side(), inner.outside());
            let mut asked = ask(side, posed, &inner.positions, (p, n), self.settings.sunk_reach, seed)?;
            // Beneath the inner surface is inside: the depth there is what it is short of.
            asked.clearance = -asked.clearance;
            if asked.clearance < -tolerance {
                // Sunk means inside: what the inner layer does not wrap is only behind it.
                if self.hiding.winding(self.pair.inner, p) < 0.4 || posed.hem_is_nearer(p, -asked.clearance) {
                    return None;
                }
            }
            Some(asked)
        };
        let Coverage { covered, over, covers, covered_seeds, over_seeds } = &*self.pair.coverage;
        let inner =
            covered.par_iter().zip(covered_seeds).zip(covers).with_min_len(128).map(asked_inner).collect();
        let outer = over.par_iter().zip(over_seeds).with_min_len(128).map(asked_outer).collect();
        PairPoints { inner, outer }
    }

    /// Says of each point that is through whether it is hidden from every side.
    fn bury(&self, points: &mut PairPoints) {
        let tolerance = self.settings.tolerance;
        let judge = |on_outer: bool| {
            move |(v, asked): (&u32, &mut Option<Asked>)| {
                if let Some(asked) = asked.as_mut().filter(|a| a.clearance < -tolerance) {
                    let Asked { clearance, normal, .. } = *asked;
                    let spot = ThroughSpot { on_outer, vertex: *v, clearance, normal, area: 0.0 };
                    asked.buried = self.is_buried(&spot);
                }
            }
        };
        let Coverage { covered, over, .. } = &*self.pair.coverage;
        covered.par_iter().zip(&mut points.inner).with_min_len(64).for_each(judge(false));
        over.par_iter().zip(&mut points.outer).with_min_len(64).for_each(judge(true));
    }

    /// True when what is through at a vertex is hidden from every side.
    pub fn is_buried(&self, spot: &ThroughSpot) -> bool {
        let (v, outer) = (spot.vertex as usize, self.pair.outer);
        if !spot.on_outer {
            let place = (self.inner().positions[v], self.inner().outside().normals[v]);
            return self.hiding.is_wrapped(place, outer, 0.0) || self.hiding.is_out_of_sight(place, outer);
        }
        let (p, n) = (self.outer().positions[v], self.outer().towards_body.normals[v]);
        self.hiding.is_wrapped((p, n), outer, 1.0) || self.hiding.is_out_of_sight(self.shows(spot), outer)
    }

    /// Where what is through at a vertex shows, and the outward normal there: of a sunk vertex it is
    /// the inner surface that lies over it.
    pub fn shows(&self, spot: &ThroughSpot) -> (Vec3, Vec3) {
        let v = spot.vertex as usize;
        match spot.on_outer {
            false => (self.inner().positions[v], self.inner().outside().normals[v]),
            true => (self.outer().positions[v] - spot.normal * spot.clearance, spot.normal),
        }
    }

    /// True when the place that covers a vertex at rest is in its straight sight from the inside.
    fn is_still_beneath(&self, p: Vec3, cover: &RayHit) -> bool {
        /// Rays stop short of the place itself.
        const SHORT: f32 = 0.999;
        let (side, outer) = (self.outer_side(), self.outer());
        let corners = side.topology.triangles[cover.triangle as usize];
        let place: Vec3 = mix(corners, cover.barycentric, |c| outer.positions[c as usize]);
        let way = place - p;
        let inside = way.dot(face_normal(&outer.positions, corners)) > 0.0;
        inside && !outer.towards_body.tree.is_hit(p, way, (0.0, SHORT), |_| true)
    }
}

fn ask(
    side: &Side,
    posed: &PosedSide,
    positions: &[Vec3],
    (p, n): (Vec3, Vec3),
    within: f32,
    seed: u32,
) -> Option<Asked> {
    let hit = posed.tree.closest_facing_from(p, within, (n, 0.0), seed)?;
    if side.on_open_edge(&hit) {
        return None;
    }
    let (clearance, normal) = side.signed_depth(positions, p, &hit);
    Some(Asked { clearance, triangle: hit.triangle, barycentric: hit.barycentric, normal, buried: false })
}
