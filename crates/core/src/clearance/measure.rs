//! Measuring an outfit in one pose.

use super::hidden::Hiding;
use super::{worst_strain, Layer, Outfit, Pair, PosedSide, Side};
use crate::mesh::{face_normal, triangle_area};
use crate::query::RayHit;
use glam::{Mat4, Vec3};
use rayon::prelude::*;

/// What counts as trouble.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Settings {
    /// Poke-through up to this depth is let pass, metres.
    pub tolerance: f32,
    /// A vertex sunk deeper than this lies inside something else, metres.
    pub sunk_reach: f32,
}

impl Default for Settings {
    fn default() -> Self {
        Self { tolerance: 0.0005, sunk_reach: 0.08 }
    }
}

/// Where the worst of a pair is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spot {
    /// True when the vertex is of the outer layer (sunk), false for the inner (poking).
    pub on_outer: bool,
    /// Welded vertex of that layer.
    pub vertex: u32,
    /// Where it is in the pose, metres.
    pub position: Vec3,
    /// Unit direction from which it is seen best.
    pub look: Vec3,
}

/// A layer pair in one pose. Lengths in metres, areas in square metres.
#[derive(Clone, Debug, PartialEq)]
pub struct PairMeasure {
    /// Covered inner vertices.
    pub covered: usize,
    /// Those that poke through, in sight.
    pub poking: usize,
    /// Depth of the deepest of them; 0 when none pokes.
    pub deepest: f32,
    /// Inner area that pokes through.
    pub poking_area: f32,
    /// Poking or sunk vertices that are hidden from every side.
    pub buried: usize,
    /// Outer vertices inside the inner layer, in sight.
    pub sunk: usize,
    /// Depth of the deepest of them; 0 when none is sunk.
    pub sunk_deepest: f32,
    /// Least clearance of a covered vertex that is not buried; `None` when none could be asked.
    pub least_clearance: Option<f32>,
    /// The strain of the outer layer furthest from 1.
    pub worst_strain: f32,
    /// The deepest spot, poking or sunk.
    pub worst: Option<Spot>,
}

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

/// All pairs in one pose.
#[derive(Clone, Debug)]
pub struct PoseMeasure {
    /// One a pair of the outfit.
    pub pairs: Vec<PairMeasure>,
    /// The points behind them.
    pub points: Vec<PairPoints>,
}

/// Posed layers; kept from pose to pose so that indices are refitted, not rebuilt.
#[derive(Clone, Debug)]
pub struct Buffers {
    layers: Vec<PosedLayer>,
}

#[derive(Clone, Debug)]
struct PosedLayer {
    positions: Vec<Vec3>,
    /// Rest positions with driven shapes added.
    shaped: Vec<Vec3>,
    towards_body: PosedSide,
    away_from_body: Option<PosedSide>,
}

impl PosedLayer {
    fn outside(&self) -> &PosedSide {
        self.away_from_body.as_ref().unwrap_or(&self.towards_body)
    }
}

impl Buffers {
    /// Builds the indices of `layers` at rest.
    pub(super) fn build(layers: &[Layer]) -> Self {
        let layers = layers
            .iter()
            .map(|l| PosedLayer {
                positions: l.rest.clone(),
                shaped: Vec::new(),
                towards_body: l.walls.towards_body.pose(&l.rest),
                away_from_body: l.walls.away_from_body.as_ref().map(|s| s.pose(&l.rest)),
            })
            .collect();
        Self { layers }
    }

    pub(super) fn towards_body(&self, layer: usize) -> &PosedSide {
        &self.layers[layer].towards_body
    }

    pub(super) fn is_double_walled(&self, layer: usize) -> bool {
        self.layers[layer].away_from_body.is_some()
    }

    pub(super) fn outside(&self, layer: usize) -> &PosedSide {
        self.layers[layer].outside()
    }

    /// Poses every layer by `matrices`; `amounts` drives the body's shapes.
    pub fn pose(&mut self, outfit: &Outfit, matrices: &[Mat4], amounts: &[f32]) {
        outfit
            .layers
            .par_iter()
            .zip(&mut self.layers)
            .for_each(|(layer, posed)| pose_layer(layer, posed, matrices, amounts));
    }

    /// Outward normals of the measured side of layer `index` as posed; zero off that side.
    pub fn normals_towards_body(&self, index: usize) -> &[Vec3] {
        &self.layers[index].towards_body.normals
    }

    /// Posed positions of layer `index`, metres.
    pub fn positions(&self, index: usize) -> &[Vec3] {
        &self.layers[index].positions
    }
}

fn pose_layer(layer: &Layer, posed: &mut PosedLayer, matrices: &[Mat4], amounts: &[f32]) {
    layer.pose_into(matrices, amounts, &mut posed.shaped, &mut posed.positions);
    posed.towards_body.follow(&layer.walls.towards_body, &posed.positions);
    if let (Some(side), Some(at)) = (&layer.walls.away_from_body, &mut posed.away_from_body) {
        at.follow(side, &posed.positions);
    }
}

/// Measures every pair of `outfit` as posed in `buffers`.
pub fn measure_pose(outfit: &Outfit, buffers: &Buffers, settings: Settings) -> PoseMeasure {
    let hiding = Hiding::new(outfit, buffers);
    let one = |i: usize| {
        let view = PairView { outfit, buffers, pair: &outfit.pairs[i], settings, hiding: &hiding };
        let asked = view.ask();
        (view.sum_up(&asked), asked)
    };
    let (pairs, points) = (0..outfit.pairs.len()).into_par_iter().map(one).unzip();
    PoseMeasure { pairs, points }
}

/// The points of the pairs named by `which`, in that order, without summing them up.
pub fn ask_pairs(outfit: &Outfit, buffers: &Buffers, settings: Settings, which: &[usize]) -> Vec<PairPoints> {
    let hiding = Hiding::new(outfit, buffers);
    let ask =
        |&i: &usize| PairView { outfit, buffers, pair: &outfit.pairs[i], settings, hiding: &hiding }.ask();
    which.par_iter().map(ask).collect()
}

struct PairView<'a> {
    outfit: &'a Outfit,
    buffers: &'a Buffers,
    pair: &'a Pair,
    settings: Settings,
    hiding: &'a Hiding<'a>,
}

impl<'a> PairView<'a> {
    fn outer_side(&self) -> &'a Side {
        &self.outfit.layers[self.pair.outer].walls.towards_body
    }

    fn inner_side(&self) -> &'a Side {
        self.outfit.layers[self.pair.inner].walls.outside()
    }

    fn outer(&self) -> &'a PosedLayer {
        &self.buffers.layers[self.pair.outer]
    }

    fn inner(&self) -> &'a PosedLayer {
        &self.buffers.layers[self.pair.inner]
    }

    fn ask(&self) -> PairPoints {
        let tolerance = self.settings.tolerance;
        let (outer, inner) = (self.outer(), self.inner());
        let inner_normals = &inner.outside().normals;
        let outer_normals = &outer.towards_body.normals;
        let asked_inner = |((&v, &seed), cover): ((&u32, &u32), &RayHit)| {
            let (p, n) = (inner.positions[v as usize], inner_normals[v as usize]);
            let (side, posed) = (self.outer_side(), &outer.towards_body);
            let mut asked = ask(side, posed, &outer.positions, (p, n), f32::INFINITY, seed)?;
            if asked.clearance < -tolerance {
                if posed.hem_is_nearer(p, -asked.clearance) || self.is_still_beneath(p, cover) {
                    return None;
                }
                let hiding = self.hiding;
                asked.buried = hiding.is_wrapped((p, n), self.pair.outer, 0.0)
                    || hiding.is_out_of_sight((p, n), self.pair.outer);
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
                // What shows is the inner surface that lies over it.
                let shows = (p - asked.normal * asked.clearance, asked.normal);
                asked.buried = self.hiding.is_wrapped((p, n), self.pair.outer, 1.0)
                    || self.hiding.is_out_of_sight(shows, self.pair.outer);
            }
            Some(asked)
        };
        let Pair { covered, over, covers, covered_seeds, over_seeds, .. } = self.pair;
        let inner =
            covered.par_iter().zip(covered_seeds).zip(covers).with_min_len(128).map(asked_inner).collect();
        let outer = over.par_iter().zip(over_seeds).with_min_len(128).map(asked_outer).collect();
        PairPoints { inner, outer }
    }

    /// True when the place that covers a vertex at rest is in its straight sight from the inside.
    fn is_still_beneath(&self, p: Vec3, cover: &RayHit) -> bool {
        /// Rays stop short of the place itself.
        const SHORT: f32 = 0.999;
        let (side, outer) = (self.outer_side(), self.outer());
        let corners = side.topology.triangles[cover.triangle as usize];
        let place: Vec3 =
            corners.iter().zip(cover.barycentric).map(|(&c, b)| outer.positions[c as usize] * b).sum();
        let way = place - p;
        let inside = way.dot(face_normal(&outer.positions, corners)) > 0.0;
        inside && outer.towards_body.tree.ray(p, way, (0.0, SHORT), |_, _| true).is_none()
    }

    fn strain(&self) -> f32 {
        let layer = &self.outfit.layers[self.pair.outer];
        worst_strain(&layer.topology, &layer.rest, &self.outer().positions)
    }

    fn sum_up(&self, points: &PairPoints) -> PairMeasure {
        let (outer, inner) = (self.outer(), self.inner());
        let mut m = PairMeasure {
            covered: self.pair.covered.len(),
            poking: 0,
            deepest: 0.0,
            poking_area: 0.0,
            buried: 0,
            sunk: 0,
            sunk_deepest: 0.0,
            least_clearance: None,
            worst_strain: self.strain(),
            worst: None,
        };
        let mut worst = None;
        for (&v, asked) in self.pair.covered.iter().zip(&points.inner) {
            let Some(asked) = asked else { continue };
            if asked.buried {
                m.buried += 1;
                continue;
            }
            m.least_clearance =
                Some(m.least_clearance.map_or(asked.clearance, |c: f32| c.min(asked.clearance)));
            if asked.clearance >= -self.settings.tolerance {
                continue;
            }
            m.poking += 1;
            m.poking_area += vertex_area(self.inner_side(), &inner.positions, v);
            if -asked.clearance > m.deepest {
                m.deepest = -asked.clearance;
                worst = Some((false, v, (inner.positions[v as usize], inner.outside().normals[v as usize])));
            }
        }
        for (&v, asked) in self.pair.over.iter().zip(&points.outer) {
            let Some(asked) = asked.filter(|a| a.clearance < -self.settings.tolerance) else { continue };
            if asked.buried {
                m.buried += 1;
                continue;
            }
            m.sunk += 1;
            if -asked.clearance > m.sunk_deepest {
                m.sunk_deepest = -asked.clearance;
                if m.sunk_deepest > m.deepest {
                    // What is seen is the inner surface over it.
                    let over = outer.positions[v as usize] - asked.normal * asked.clearance;
                    worst = Some((true, v, (over, asked.normal)));
                }
            }
        }
        m.worst = worst.map(|(on_outer, vertex, place)| {
            let look = self.hiding.look(place, self.pair.outer);
            Spot { on_outer, vertex, position: place.0, look }
        });
        m
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

fn vertex_area(side: &Side, positions: &[Vec3], v: u32) -> f32 {
    let around = side.topology.incident.row(v as usize);
    around.iter().map(|&t| triangle_area(positions, side.topology.triangles[t as usize])).sum::<f32>() / 3.0
}
