//! Faces of a layer that are not against themselves.

use super::patches::of_one_crease;
use super::{Layer, Walls};
use crate::mesh::along_edges;
use crate::query::{Bvh, ExclusionMask};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, OnceLock};

/// Faces no further apart than this along the surface at rest fold into each other as cloth and skin do in
/// a crease, metres.
const CREASE: f32 = 0.06;

/// No more than so many bytes are kept of what lies within reach of which vertex.
const MOST_KEPT: usize = 48 << 20;

/// Two walls of one part lie no further apart than this at rest, metres.
const THICKEST: f32 = 0.04;

/// Which faces of a layer are of one neighbourhood: those that share a corner, those within 60 mm along the
/// surface at rest (a crease of an elbow), and the two walls of one part with thickness.
#[derive(Clone, Debug, Default)]
pub struct Neighbourhood {
    /// By vertex: those within reach along the surface, as runs of numbers (first and behind the last), ascending;
    /// found when first asked for.
    near: Vec<OnceLock<Box<[[u32; 2]]>>>,
    /// Bytes of runs that are kept: on fine cloth each vertex has thousands within reach.
    kept: Arc<AtomicUsize>,
    /// True when all vertices follow the same joints alike.
    one: bool,
    /// Faces that are of one for sure.
    sure: ExclusionMask,
    /// By vertex: 1 on the wall towards the body, 2 on the other; both on single cloth.
    wall: Vec<u8>,
}

impl Neighbourhood {
    /// Of a layer, whose tree over all faces it is.
    pub(super) fn new(layer: &Layer, tree: &Bvh) -> Self {
        let vertices = layer.topology.vertices();
        let first: Vec<_> = (0..vertices.min(1)).flat_map(|v| layer.skin.row(v)).collect();
        let one =
            layer.morphs.is_empty() && (1..vertices).all(|v| layer.skin.row(v).eq(first.iter().copied()));
        let wall = walls_of(&layer.walls, vertices);
        let sure = if one { ExclusionMask::default() } else { sure(layer, tree) };
        Self { near: vec![OnceLock::new(); vertices], kept: Arc::default(), one, sure, wall }
    }

    /// Bytes it takes up, about, once all has been asked.
    pub fn bytes(&self) -> usize {
        self.near.len() * 32 + MOST_KEPT.min(self.near.len() * 1024) + self.sure.bytes()
    }

    /// Faces that need not be asked against each other: they are of one neighbourhood for sure.
    pub(super) fn sure(&self) -> &ExclusionMask {
        &self.sure
    }

    /// True of a layer that moves as one: it is in every pose in itself as it is at rest.
    pub(super) fn moves_as_one(&self) -> bool {
        self.one
    }

    /// True when two faces are of one neighbourhood.
    pub(super) fn has(&self, layer: &Layer, f: u32, g: u32) -> bool {
        let (t, u) = (layer.topology.triangles[f as usize], layer.topology.triangles[g as usize]);
        let apart = |v: &u32| u.map(|w| layer.rest[*v as usize].distance(layer.rest[w as usize]));
        let apart = t.iter().flat_map(apart).fold(f32::INFINITY, f32::min);
        apart <= CREASE
            && (self.within_a_crease(layer, t, u) || (apart <= THICKEST && self.two_walls(layer, t, u)))
    }

    fn within_a_crease(&self, layer: &Layer, t: [u32; 3], u: [u32; 3]) -> bool {
        let of = &self.near[t[0] as usize];
        let has = |runs: &[[u32; 2]]| {
            u.iter().any(|v| {
                let behind = runs.partition_point(|run| run[0] <= *v);
                behind > 0 && *v < runs[behind - 1][1]
            })
        };
        if let Some(known) = of.get() {
            return has(known);
        }
        let found = runs_of(along_edges(&layer.rest, &layer.topology.neighbours, &[t[0]], CREASE));
        let bytes = found.len() * std::mem::size_of::<[u32; 2]>();
        if self.kept.fetch_add(bytes, Ordering::Relaxed) + bytes > MOST_KEPT {
            self.kept.fetch_sub(bytes, Ordering::Relaxed);
            return has(&found);
        }
        has(of.get_or_init(|| found.into()))
    }

    fn two_walls(&self, layer: &Layer, t: [u32; 3], u: [u32; 3]) -> bool {
        let shell = |t: [u32; 3]| layer.topology.shell_of_vertex[t[0] as usize];
        let wall = |t: [u32; 3]| t.iter().fold(3, |bits, v| bits & self.wall[*v as usize]);
        shell(t) == shell(u) && wall(t) & wall(u) == 0
    }
}

/// Runs of numbers that follow on each other.
fn runs_of(reached: Vec<(u32, f32)>) -> Vec<[u32; 2]> {
    let mut all: Vec<u32> = reached.into_iter().map(|(v, _)| v).collect();
    all.sort_unstable();
    let mut runs: Vec<[u32; 2]> = Vec::new();
    for v in all {
        match runs.last_mut().filter(|run| run[1] == v) {
            Some(run) => run[1] = v + 1,
            None => runs.push([v, v + 1]),
        }
    }
    runs
}

/// Of one neighbourhood for sure are faces with a corner in common, or with corners joined by an edge no longer than a
/// crease, and stretches all of which lie within one.
fn sure(layer: &Layer, tree: &Bvh) -> ExclusionMask {
    let topology = &layer.topology;
    let is_short = |a: u32, b: u32| layer.rest[a as usize].distance(layer.rest[b as usize]) <= CREASE;
    let next = |face: u32, found: &mut Vec<u32>| {
        for v in topology.triangles[face as usize] {
            let around = topology.neighbours.row(v as usize).iter().copied().filter(|n| is_short(v, *n));
            around.chain([v]).for_each(|n| found.extend(topology.incident.row(n as usize)));
        }
    };
    ExclusionMask::new(tree, &next, of_one_crease(layer, tree, CREASE))
}

/// A vertex of a rim alone is on neither.
fn walls_of(walls: &Walls, vertices: usize) -> Vec<u8> {
    let mut wall = vec![0; vertices];
    walls.towards_body.used.iter().for_each(|v| wall[*v as usize] |= 1);
    walls.outside().used.iter().for_each(|v| wall[*v as usize] |= 2);
    wall
}
