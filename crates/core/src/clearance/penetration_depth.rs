//! How deep two layers are in each other, where they run through each other.

use super::snag::connected;
use super::visibility::Visibility;
use super::{Buffers, InsideSpot, Outfit};
use crate::mesh::Topology;
use glam::Vec3;
use rayon::prelude::*;

/// Inside is what a layer winds round by this or more.
const WRAPPED: f32 = 0.5;

/// Of a layer against itself it is asked so far outside its own surface, metres.
const OFF: f32 = 0.0005;

/// The parts of a layer that lie inside the other one, each with its deepest vertex.
#[derive(Default)]
struct LayerComponents {
    /// The vertices inside, ascending, and how deep.
    inside: Vec<(u32, f32)>,
    part_of: Vec<u32>,
    deepest: Vec<(f32, u32)>,
}

const NONE: u32 = u32::MAX;

impl LayerComponents {
    /// Of the vertices inside that are reached from `front` over the surface; `depth` says how deep a
    /// vertex is that is inside.
    fn reached(
        topology: &Topology,
        mut front: Vec<u32>,
        depth: &(dyn Fn(u32) -> Option<f32> + Sync),
    ) -> Self {
        front.sort_unstable();
        front.dedup();
        let mut seen = vec![false; topology.vertices()];
        front.iter().for_each(|v| seen[*v as usize] = true);
        let mut found: Vec<(u32, f32)> = Vec::new();
        while !front.is_empty() {
            let ask = |&v: &u32| Some((v, depth(v)?));
            let inside: Vec<(u32, f32)> = front.par_iter().with_min_len(64).filter_map(ask).collect();
            front.clear();
            for &(v, _) in &inside {
                let around = topology.neighbours.row(v as usize).iter();
                front.extend(around.filter(|n| !std::mem::replace(&mut seen[**n as usize], true)));
            }
            found.extend(inside);
        }
        found.sort_unstable_by_key(|f| f.0);
        let mut parts = Self { part_of: vec![NONE; topology.vertices()], ..Self::default() };
        for group in connected(&topology.neighbours, &found) {
            let part = parts.deepest.len() as u32;
            group.iter().for_each(|(v, _)| parts.part_of[*v as usize] = part);
            let worst = group.into_iter().reduce(|a, b| if b.1 > a.1 { b } else { a });
            parts.deepest.extend(worst.map(|(v, depth)| (depth, v)));
        }
        parts.inside = found;
        parts
    }

    /// The deepest of the parts that a face has a corner in.
    fn at(&self, face: [u32; 3]) -> Option<(f32, u32)> {
        let parts = face.iter().map(|&v| self.part_of[v as usize]).filter(|p| *p != NONE);
        let deepest = parts.map(|p| self.deepest[p as usize]);
        deepest.reduce(|a, b| if b.0 > a.0 { b } else { a })
    }
}

/// What of two layers lies inside the other.
pub(super) struct Inside {
    outer: LayerComponents,
    /// None of a layer against itself.
    inner: Option<LayerComponents>,
}

impl Inside {
    /// Of the layers `(outer, inner)`, from pairs of faces (by their corners) that run through each other.
    pub fn new(
        outfit: &Outfit,
        hiding: &Visibility,
        outer: usize,
        inner: usize,
        meeting: &[([u32; 3], [u32; 3])],
    ) -> Self {
        let reached = |layer: usize, other: usize, front: Vec<u32>| {
            let depth = |v: u32| depth_in(hiding, layer, other, v);
            LayerComponents::reached(&outfit.layers[layer].topology, front, &depth)
        };
        let mut front: Vec<u32> = meeting.iter().flat_map(|p| p.0).collect();
        let theirs = meeting.iter().flat_map(|p| p.1);
        if outer == inner {
            front.extend(theirs);
            return Self { outer: reached(outer, outer, front), inner: None };
        }
        let inside = reached(inner, outer, theirs.collect());
        Self { outer: reached(outer, inner, front), inner: Some(inside) }
    }

    /// All that is inside.
    pub fn all(&self) -> impl Iterator<Item = InsideSpot> + '_ {
        let of = |on_outer| move |&(vertex, depth): &(u32, f32)| InsideSpot { on_outer, vertex, depth };
        let inner = self.inner.iter().flat_map(|p| &p.inside).map(of(false));
        self.outer.inside.iter().map(of(true)).chain(inner)
    }

    /// The deepest place, whether it is of the outer layer, and its vertex. Pressed into each other by so
    /// much: where parts of both lie inside the other the shorter way out counts.
    pub fn deepest(&self, meeting: &[([u32; 3], [u32; 3])]) -> Option<(f32, bool, u32)> {
        let inner = self.inner.as_ref().unwrap_or(&self.outer);
        let one = |(t, u): &([u32; 3], [u32; 3])| match (self.outer.at(*t), inner.at(*u)) {
            (Some(a), Some(b)) if b.0 < a.0 => Some((b.0, false, b.1)),
            (Some(a), _) => Some((a.0, true, a.1)),
            (None, b) => b.map(|b| (b.0, false, b.1)),
        };
        meeting.iter().filter_map(one).reduce(|a, b| if b.0 > a.0 { b } else { a })
    }
}

/// Where a vertex would come out of a layer.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct WayOut {
    /// The corners of the face.
    pub corners: [u32; 3],
    /// How much of each corner the place is; they sum to 1.
    pub shares: [f32; 3],
}

/// Where vertex `v` of a layer would come out of another (or of its own layer, when both are the same), as posed.
pub fn way_out(outfit: &Outfit, buffers: &Buffers, layer: usize, other: usize, v: u32) -> Option<WayOut> {
    let p = buffers.positions(layer)[v as usize];
    let (faces, hit) = if layer == other {
        let side = buffers.outside(layer);
        let hit = side.tree.closest_facing(p, f32::INFINITY, -side.normals[v as usize], 0.0)?;
        (&outfit.layers[layer].walls.outside().topology.triangles, hit)
    } else {
        (&outfit.layers[other].topology.triangles, buffers.whole(other).closest(p, f32::INFINITY)?)
    };
    Some(WayOut { corners: faces[hit.triangle as usize], shares: hit.barycentric })
}

/// How deep vertex `v` of a layer lies in another (or in its own, when both are the same), metres.
pub(super) fn depth_in(hiding: &Visibility, layer: usize, other: usize, v: u32) -> Option<f32> {
    match layer == other {
        true => in_itself(hiding, layer, v),
        false => in_other(hiding, layer, other, v),
    }
}

fn in_other(hiding: &Visibility, layer: usize, other: usize, v: u32) -> Option<f32> {
    let p = hiding.buffers.positions(layer)[v as usize];
    let wrapped = hiding.winding(other, p) >= WRAPPED;
    wrapped
        .then(|| hiding.buffers.whole(other).closest(p, f32::INFINITY).map(|hit| hit.point.distance(p)))
        .flatten()
}

/// Of a layer in itself: the way out is to the nearest of its faces that look the other way, its own
/// neighbourhood does not.
fn in_itself(hiding: &Visibility, layer: usize, v: u32) -> Option<f32> {
    let (p, side) = (hiding.buffers.positions(layer)[v as usize], hiding.buffers.outside(layer));
    let normal = side.normals[v as usize];
    if normal == Vec3::ZERO || hiding.winding(layer, p + normal * OFF) < WRAPPED {
        return None;
    }
    side.tree.closest_facing(p, f32::INFINITY, -normal, 0.0).map(|hit| hit.point.distance(p))
}
