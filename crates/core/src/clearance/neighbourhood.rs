//! Faces of a layer that are not against themselves.

use super::patches::Patches;
use super::{Layer, Walls};
use crate::mesh::along_edges;
use crate::query::Bvh;
use std::sync::OnceLock;

/// Faces no further apart than this along the surface at rest fold into each other as cloth and skin do in
/// a crease, metres.
const CREASE: f32 = 0.06;

/// Two walls of one part lie no further apart than this at rest, metres.
const THICKEST: f32 = 0.04;

/// Which faces of a layer are of one neighbourhood: those that share a corner, those within 60 mm along the
/// surface at rest (a crease of an elbow), and the two walls of one part with thickness.
#[derive(Clone, Debug, Default)]
pub struct Neighbourhood {
    /// By vertex: those within reach along the surface, ascending; found when first asked for.
    near: Vec<OnceLock<Box<[u32]>>>,
    /// By vertex: true when no edge at it is longer than a crease.
    short: Vec<bool>,
    /// True when all vertices follow the same joints alike.
    one: bool,
    /// Stretches of which all faces are of one neighbourhood.
    patches: Patches,
    /// By vertex: 1 on the wall towards the body, 2 on the other; both on single cloth.
    wall: Vec<u8>,
}

impl Neighbourhood {
    /// Of a layer, whose tree over all faces it is.
    pub(super) fn of(layer: &Layer, tree: &Bvh) -> Self {
        let vertices = layer.topology.vertices();
        let mut short = vec![true; vertices];
        for [a, b] in &layer.topology.edges {
            if layer.rest[*a as usize].distance(layer.rest[*b as usize]) > CREASE {
                (short[*a as usize], short[*b as usize]) = (false, false);
            }
        }
        let first: Vec<_> = (0..vertices.min(1)).flat_map(|v| layer.skin.row(v)).collect();
        let one =
            layer.morphs.is_empty() && (1..vertices).all(|v| layer.skin.row(v).eq(first.iter().copied()));
        let wall = walls_of(&layer.walls, vertices);
        let patches = if one { Patches::default() } else { Patches::of(layer, tree, CREASE) };
        Self { near: vec![OnceLock::new(); vertices], short, one, patches, wall }
    }

    /// Bytes it takes up, about, once all has been asked.
    pub fn bytes(&self) -> usize {
        self.near.len() * 256 + self.patches.bytes()
    }

    /// True when two faces have a corner in common, or corners joined by an edge no longer than a crease: of
    /// one neighbourhood for sure, and soon told.
    pub(super) fn are_next(&self, layer: &Layer, f: u32, g: u32) -> bool {
        let (t, u) = (layer.topology.triangles[f as usize], layer.topology.triangles[g as usize]);
        let joined = |v: &u32| {
            let around = layer.topology.neighbours.row(*v as usize);
            u.contains(v) || (self.short[*v as usize] && around.iter().any(|n| u.contains(n)))
        };
        t.iter().any(joined)
    }

    /// True when all faces below two places of the layer's tree are of one neighbourhood.
    pub(super) fn has_below(&self, a: usize, b: usize) -> bool {
        self.patches.are_one(a, b, CREASE)
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
        let near = self.near[t[0] as usize].get_or_init(|| {
            let reached = along_edges(&layer.rest, &layer.topology.neighbours, &[t[0]], CREASE);
            let mut near: Vec<u32> = reached.into_iter().map(|(v, _)| v).collect();
            near.sort_unstable();
            near.into()
        });
        u.iter().any(|v| near.binary_search(v).is_ok())
    }

    fn two_walls(&self, layer: &Layer, t: [u32; 3], u: [u32; 3]) -> bool {
        let shell = |t: [u32; 3]| layer.topology.shell_of_vertex[t[0] as usize];
        let wall = |t: [u32; 3]| t.iter().fold(3, |bits, v| bits & self.wall[*v as usize]);
        shell(t) == shell(u) && wall(t) & wall(u) == 0
    }
}

/// A vertex of a rim alone is on neither.
fn walls_of(walls: &Walls, vertices: usize) -> Vec<u8> {
    let mut wall = vec![0; vertices];
    walls.towards_body.used.iter().for_each(|v| wall[*v as usize] |= 1);
    walls.outside().used.iter().for_each(|v| wall[*v as usize] |= 2);
    wall
}
