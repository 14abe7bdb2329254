//! A body and the pieces on it, bound and at rest, ready to be measured in any pose.

use super::{covered_vertices, Buffers, CoverageSettings, Covering, PosedLayer, Walls};
use crate::deform::{add_morphs, linear_blend, Morph};
use crate::mesh::Topology;
use crate::query::RayHit;
use crate::skin::Skin;
use crate::LayerIndex;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use std::sync::Arc;

/// One layer: the body or a bound piece, over welded vertices.
#[derive(Clone, Debug)]
pub struct Layer {
    /// Its place in the pile; 0 is the body.
    pub layer: LayerIndex,
    /// Adjacency.
    pub topology: Arc<Topology>,
    /// Rest positions, metres.
    pub rest: Vec<Vec3>,
    /// Skin weights.
    pub skin: Arc<Skin>,
    /// Which faces are measured.
    pub walls: Arc<Walls>,
    /// True when it must move as a whole.
    pub stiff: bool,
    /// The stiff part of each vertex, [`crate::mend::CLOTH`] for none; empty when all of it is cloth.
    pub rigid: Arc<Vec<u32>>,
    /// Shapes over welded vertices, driven by the pose (correctives); most layers have none.
    pub morphs: Vec<Morph>,
}

impl Layer {
    /// Writes the layer's positions under `matrices`, its shapes added by `amounts` (one a
    /// morph; missing ones are 0) into `posed`. `shaped` is room to work in.
    pub fn pose_into(&self, matrices: &[Mat4], amounts: &[f32], shaped: &mut Vec<Vec3>, posed: &mut [Vec3]) {
        linear_blend(self.shaped_into(amounts, shaped), &self.skin, matrices, posed);
    }

    /// Its rest positions with shapes added; `room` is where they are put where there is any.
    pub(super) fn shaped_into<'a>(&'a self, amounts: &[f32], room: &'a mut Vec<Vec3>) -> &'a [Vec3] {
        if amounts.iter().all(|a| *a == 0.0) || self.morphs.is_empty() {
            return &self.rest;
        }
        room.clone_from(&self.rest);
        add_morphs(room, &self.morphs, amounts);
        room
    }
}

/// An outer layer over an inner one, and which inner vertices it covers.
#[derive(Clone, Debug)]
pub struct Pair {
    /// Index of the outer layer in the outfit.
    pub outer: usize,
    /// Index of the inner layer.
    pub inner: usize,
    /// What lies over what at rest.
    pub coverage: Arc<Coverage>,
}

/// What of two layers lies over what at rest.
#[derive(Clone, Debug, PartialEq)]
pub struct Coverage {
    /// Covered welded vertices of the inner layer, ascending.
    pub covered: Vec<u32>,
    /// Welded vertices of the outer layer that lie over the inner one, or are sunk in it, by
    /// the same rays; ascending.
    pub over: Vec<u32>,
    /// For each covered vertex the place on the outer side that covers it at rest.
    pub(super) covers: Vec<RayHit>,
    /// For each covered vertex the face of the outer side that is nearest at rest: where to
    /// begin looking in a pose.
    pub(super) covered_seeds: Vec<u32>,
    /// For each vertex over the inner layer the nearest face of that.
    pub(super) over_seeds: Vec<u32>,
}

impl Coverage {
    /// Of an outer and an inner layer, each with its trees at rest; none when nothing is covered.
    pub fn find(
        above: &Layer,
        at_above: &PosedLayer,
        below: &Layer,
        at_below: &PosedLayer,
        settings: CoverageSettings,
    ) -> Option<Self> {
        let (inside, outside) = (below.walls.outside(), &above.walls.towards_body);
        let (at_inside, at_outside) = (at_below.outside(), &at_above.towards_body);
        let covering = Covering { side: outside, posed: at_outside, positions: &above.rest };
        let CoverageSettings { reach, poke, .. } = settings;
        let found = covered_vertices(&inside.used, &below.rest, &at_inside.normals, covering, reach, poke);
        if found.is_empty() {
            return None;
        }
        let (covered, covers): (Vec<u32>, Vec<RayHit>) = found.into_iter().unzip();
        let beneath = Covering { side: inside, posed: at_inside, positions: &below.rest };
        let over = covered_vertices(&outside.used, &above.rest, &at_outside.normals, beneath, reach, reach);
        let over: Vec<u32> = over.into_iter().map(|(v, _)| v).collect();
        let covered_seeds = covering.nearest(&covered, &below.rest, &at_inside.normals);
        let over_seeds = beneath.nearest(&over, &above.rest, &at_outside.normals);
        Some(Self { covered, over, covers, covered_seeds, over_seeds })
    }

    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        self.covered.len() * (8 + std::mem::size_of::<RayHit>()) + self.over.len() * 8
    }
}

/// Body first, then the pieces from the inside out.
#[derive(Clone, Debug)]
pub struct Outfit {
    /// The layers; the first is the body.
    pub layers: Vec<Layer>,
    /// Every pair in which something is covered.
    pub pairs: Vec<Pair>,
    /// Layers that are taken off while it is asked what is seen: they hide nothing. Empty for none.
    pub off: Vec<bool>,
    /// Indices built once; every buffer is a copy of these, refitted.
    built: Vec<Arc<PosedLayer>>,
}

impl Outfit {
    /// Finds which layers lie over which, at rest. Pieces on the same layer make no pair.
    pub fn new(layers: Vec<Layer>, settings: CoverageSettings) -> Self {
        let built: Vec<Arc<PosedLayer>> =
            layers.par_iter().map(|layer| Arc::new(PosedLayer::at_rest(layer))).collect();
        let find = |(outer, inner): (usize, usize)| {
            let (above, below) = (&layers[outer], &layers[inner]);
            let found = Coverage::find(above, &built[outer], below, &built[inner], settings);
            let coverage = Arc::new(found?);
            Some(Pair { outer, inner, coverage })
        };
        let pairs = pairs_to_ask(&layers).into_iter().filter_map(find).collect();
        Self::of_parts(layers, built, pairs)
    }

    /// From layers, the trees of each at rest, and the pairs found before.
    pub fn of_parts(layers: Vec<Layer>, built: Vec<Arc<PosedLayer>>, pairs: Vec<Pair>) -> Self {
        Self { layers, pairs, off: Vec::new(), built }
    }

    /// The vertex of a layer's measured faces that is about nearest to a place at rest.
    pub(super) fn nearest_at_rest(&self, layer: usize, place: Vec3) -> Option<u32> {
        let side = &self.built[layer].towards_body;
        let hit = side.tree.closest(place, f32::INFINITY)?;
        let corners = self.layers[layer].walls.towards_body.topology.triangles[hit.triangle as usize];
        let nearest = (0..3).max_by(|a, b| hit.barycentric[*a].total_cmp(&hit.barycentric[*b]))?;
        Some(corners[nearest])
    }

    /// Buffers to pose the outfit in: a copy of the indices, to be refitted.
    pub fn buffers(&self) -> Buffers {
        Buffers::new(&self.built)
    }

    /// Makes buffers that were of this outfit or another, with layers that lie otherwise at rest, fit to pose it in: a
    /// layer that has the same trees stays as it was posed last.
    pub fn take_over(&self, buffers: &mut Buffers) {
        buffers.go_over_to(&self.built);
    }
}

/// Outer and inner layer of every pair that may cover something: all that lie on different places
/// of the pile.
///
/// ```
/// use tin_cloak_core::{clearance::pairs_to_ask, shapes::{layer, sphere}};
///
/// // A body, a shirt on layer 1, two things on layer 2: these make no pair with each other.
/// let ball = sphere(0.1, 8);
/// let layers = [0, 1, 2, 2].map(|at| layer(&ball, at, None));
/// assert_eq!(pairs_to_ask(&layers).len(), 5);
/// ```
pub fn pairs_to_ask(layers: &[Layer]) -> Vec<(usize, usize)> {
    let all = (1..layers.len()).flat_map(|outer| (0..outer).map(move |inner| (outer, inner)));
    all.filter(|&(outer, inner)| layers[inner].layer < layers[outer].layer).collect()
}
