//! Measuring an outfit in one pose.

use super::{worst_strain, Layer, Outfit, Pair, PosedSide, Side};
use crate::deform::linear_blend;
use crate::mesh::triangle_area;
use crate::query::WindingField;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use std::sync::OnceLock;

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

/// How far outside its own surface a vertex is asked what lies over it (metres).
const PROBE: f32 = 0.001;

/// Where the worst of a pair is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spot {
    /// True when the vertex is of the outer layer (sunk), false for the inner (poking).
    pub on_outer: bool,
    /// Welded vertex of that layer.
    pub vertex: u32,
    /// Where it is in the pose, metres.
    pub position: Vec3,
    /// Which way is out there.
    pub normal: Vec3,
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
                towards_body: l.walls.towards_body.pose(&l.rest),
                away_from_body: l.walls.away_from_body.as_ref().map(|s| s.pose(&l.rest)),
            })
            .collect();
        Self { layers }
    }

    pub(super) fn towards_body(&self, layer: usize) -> &PosedSide {
        &self.layers[layer].towards_body
    }

    pub(super) fn outside(&self, layer: usize) -> &PosedSide {
        self.layers[layer].outside()
    }

    /// Poses every layer by `matrices`; `amounts` drives the body's shapes.
    pub fn pose(&mut self, outfit: &Outfit, matrices: &[Mat4], amounts: &[f32]) {
        for (layer, posed) in outfit.layers.iter().zip(&mut self.layers) {
            pose_layer(layer, posed, matrices, amounts);
        }
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
    if layer.morphs.is_empty() {
        linear_blend(&layer.rest, &layer.skin, matrices, &mut posed.positions);
    } else {
        linear_blend(&layer.shaped(amounts), &layer.skin, matrices, &mut posed.positions);
    }
    posed.towards_body.follow(&layer.walls.towards_body, &posed.positions);
    if let (Some(side), Some(at)) = (&layer.walls.away_from_body, &mut posed.away_from_body) {
        at.follow(side, &posed.positions);
    }
}

/// Measures every pair of `outfit` as posed in `buffers`.
pub fn measure_pose(outfit: &Outfit, buffers: &Buffers, settings: Settings) -> PoseMeasure {
    let all: Vec<usize> = (0..outfit.pairs.len()).collect();
    measure_pose_pairs(outfit, buffers, settings, &all)
}

/// Measures the pairs named by `which`; answers come in that order.
pub fn measure_pose_pairs(
    outfit: &Outfit,
    buffers: &Buffers,
    settings: Settings,
    which: &[usize],
) -> PoseMeasure {
    let fields: Vec<Fields> = outfit.layers.iter().map(|_| Fields::default()).collect();
    let (mut pairs, mut points) = (Vec::new(), Vec::new());
    for pair in which.iter().map(|&i| &outfit.pairs[i]) {
        let view = PairView { outfit, buffers, pair, settings, fields: &fields };
        let asked = view.ask();
        pairs.push(view.sum_up(&asked));
        points.push(asked);
    }
    PoseMeasure { pairs, points }
}

/// Winding numbers of a layer's sides, summed up only when something pokes through.
#[derive(Default)]
struct Fields<'a> {
    outside: OnceLock<WindingField<'a>>,
    towards_body: OnceLock<WindingField<'a>>,
}

struct PairView<'a> {
    outfit: &'a Outfit,
    buffers: &'a Buffers,
    pair: &'a Pair,
    settings: Settings,
    fields: &'a [Fields<'a>],
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
        let asked_inner = |(&v, &seed): (&u32, &u32)| {
            let (p, n) = (inner.positions[v as usize], inner_normals[v as usize]);
            let (side, posed) = (self.outer_side(), &outer.towards_body);
            let mut asked = ask(side, posed, &outer.positions, (p, n), f32::INFINITY, seed)?;
            if asked.clearance < -tolerance {
                if beyond_hem(side, posed, p, asked.clearance) {
                    return None;
                }
                asked.buried = self.hidden(p + n * PROBE, 0.0);
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
                if self.winding(self.pair.inner, p) < 0.4 || beyond_hem(side, posed, p, asked.clearance) {
                    return None;
                }
                asked.buried = self.hidden(p + n * PROBE, 1.0);
            }
            Some(asked)
        };
        let Pair { covered, over, covered_seeds, over_seeds, .. } = self.pair;
        let inner = covered.par_iter().zip(covered_seeds).with_min_len(128).map(asked_inner).collect();
        let outer = over.par_iter().zip(over_seeds).with_min_len(128).map(asked_outer).collect();
        PairPoints { inner, outer }
    }

    /// How often all layers together wrap round `p`, less `own`: the once that a sunk vertex is
    /// inside the inner layer anyway. At least one half is hidden: by folds of the two layers
    /// themselves, by the body, or by any other cloth.
    fn hidden(&self, p: Vec3, own: f32) -> bool {
        let wraps = |layer: usize| {
            if layer == self.pair.outer {
                self.winding_towards_body(layer, p)
            } else {
                self.winding(layer, p)
            }
        };
        let mut sum = -own;
        for layer in 0..self.outfit.layers.len() {
            sum += wraps(layer);
        }
        sum >= 0.5
    }

    fn winding(&self, layer: usize, p: Vec3) -> f32 {
        let tree = &self.buffers.layers[layer].outside().tree;
        self.fields[layer].outside.get_or_init(|| WindingField::new(tree)).at(p)
    }

    fn winding_towards_body(&self, layer: usize, p: Vec3) -> f32 {
        let posed = &self.buffers.layers[layer];
        if posed.away_from_body.is_none() {
            return self.winding(layer, p);
        }
        let tree = &posed.towards_body.tree;
        self.fields[layer].towards_body.get_or_init(|| WindingField::new(tree)).at(p)
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
                m.worst =
                    Some(spot(false, v, inner.positions[v as usize], inner.outside().normals[v as usize]));
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
                    let normal = outer.towards_body.normals[v as usize];
                    m.worst = Some(spot(true, v, outer.positions[v as usize], normal));
                }
            }
        }
        m
    }
}

fn spot(on_outer: bool, vertex: u32, position: Vec3, normal: Vec3) -> Spot {
    Spot { on_outer, vertex, position, normal }
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

/// Beyond a hem the nearest agreeing point lies somewhere else on the piece, far behind the open
/// edge that is really next to the vertex.
fn beyond_hem(side: &Side, posed: &PosedSide, p: Vec3, clearance: f32) -> bool {
    posed.tree.closest(p, clearance.abs() * 0.5).is_some_and(|near| side.on_open_edge(&near))
}

fn vertex_area(side: &Side, positions: &[Vec3], v: u32) -> f32 {
    let around = side.topology.incident.row(v as usize);
    around.iter().map(|&t| triangle_area(positions, side.topology.triangles[t as usize])).sum::<f32>() / 3.0
}
