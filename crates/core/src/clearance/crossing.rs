//! Where posed layers run through each other, face by face.
//!
//! What crosses at rest already is told apart: of a crossing in a pose a pair of faces is *of rest* when
//! both lie within two rings of faces that cross at rest. The rest of it is *new*.

use super::hidden::Hiding;
use super::{Buffers, Outfit, Spot};
use crate::mesh::{Csr, Topology};
use crate::query::common_stretch;
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// How two layers run through each other in a pose. Metres.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Crossing {
    /// Length of the curves in which they do.
    pub length: f32,
    /// Length of those that rest does not have.
    pub new_length: f32,
    /// Faces of the outer layer that cross the inner one.
    pub faces: u32,
    /// Deepest that either lies inside the other where a new crossing leads there; 0 where that was not
    /// asked.
    pub depth: f32,
    /// The place of that, else the middle of the longest new stretch.
    pub spot: Option<Spot>,
}

impl Crossing {
    /// True when it is nothing that rest has not.
    pub fn is_of_rest(&self) -> bool {
        self.faces > 0 && self.new_length == 0.0
    }
}

/// The vertices of two layers near what crosses at rest.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct AtRest {
    outer: Vec<bool>,
    inner: Vec<bool>,
}

/// Faces of the layers `(outer, inner)` that meet as posed in `buffers`, as pairs of their numbers in the
/// layers' topologies, sorted.
///
/// ```
/// use tin_cloak_core::clearance::meeting_faces;
/// use tin_cloak_core::shapes::{moved, outfit, sphere};
/// use tin_cloak_core::glam::Vec3;
///
/// let shirt = moved(sphere(0.105, 24), Vec3::Z * -0.008);
/// let outfit = outfit(&sphere(0.1, 24), &[shirt, sphere(0.12, 24)]);
/// let buffers = outfit.buffers();
/// assert!(!meeting_faces(&buffers, (1, 0)).is_empty());
/// assert!(meeting_faces(&buffers, (2, 0)).is_empty());
/// ```
pub fn meeting_faces(buffers: &Buffers, (outer, inner): (usize, usize)) -> Vec<(u32, u32)> {
    buffers.whole(outer).meeting(buffers.whole(inner), |_, _| true)
}

impl AtRest {
    /// Of the layers `(outer, inner)` of an outfit, whose `buffers` are at rest.
    pub fn of(outfit: &Outfit, buffers: &Buffers, (outer, inner): (usize, usize)) -> Self {
        let pairs = meeting_faces(buffers, (outer, inner));
        if pairs.is_empty() {
            return Self::default();
        }
        let zone = |layer: usize, faces: &mut dyn Iterator<Item = u32>| {
            let topology = &outfit.layers[layer].topology;
            let mut near = vec![false; topology.vertices()];
            faces.for_each(|f| topology.triangles[f as usize].iter().for_each(|v| near[*v as usize] = true));
            (0..RINGS).for_each(|_| grow(&topology.neighbours, &mut near));
            near
        };
        Self {
            outer: zone(outer, &mut pairs.iter().map(|p| p.0)),
            inner: zone(inner, &mut pairs.iter().map(|p| p.1)),
        }
    }

    /// Bytes it takes up.
    pub fn bytes(&self) -> usize {
        self.outer.len() + self.inner.len()
    }

    fn has(&self, outer: [u32; 3], inner: [u32; 3]) -> bool {
        let near = |zone: &[bool], t: [u32; 3]| t.iter().any(|v| zone.get(*v as usize) == Some(&true));
        near(&self.outer, outer) && near(&self.inner, inner)
    }
}

/// What crosses within so many rings of faces that cross at rest is of rest.
const RINGS: usize = 2;

fn grow(neighbours: &Csr, near: &mut [bool]) {
    let before = near.to_vec();
    for v in (0..before.len()).filter(|v| before[*v]) {
        neighbours.row(v).iter().for_each(|n| near[*n as usize] = true);
    }
}

/// The crossing of the layers `(outer, inner)` as posed; how deep is asked when nothing of the one lies
/// over the other at rest, and so nothing else tells (`deep`).
pub(super) fn crossing(
    (outfit, buffers, hiding): (&Outfit, &Buffers, &Hiding),
    (outer, inner): (usize, usize),
    rest: &AtRest,
    deep: bool,
) -> Crossing {
    let pairs = meeting_faces(buffers, (outer, inner));
    if pairs.is_empty() {
        return Crossing::default();
    }
    let corners = |layer: usize, face: u32| {
        let t = outfit.layers[layer].topology.triangles[face as usize];
        (t, t.map(|v| buffers.positions(layer)[v as usize]))
    };
    let (mut told, mut new, mut longest) = (Crossing::default(), Vec::new(), (0.0, None));
    let mut last = None;
    for &(f, g) in &pairs {
        let ((t, a), (u, b)) = (corners(outer, f), corners(inner, g));
        let stretch = common_stretch(a, b);
        let length = stretch.map_or(0.0, |[p, q]| p.distance(q));
        told.length += length;
        told.faces += u32::from(last != Some(f));
        last = Some(f);
        if rest.has(t, u) {
            continue;
        }
        // What touches in a plane or a point only has no length, and is there all the same.
        told.new_length += length.max(f32::MIN_POSITIVE);
        new.push((f, g));
        if longest.1.is_none() || length > longest.0 {
            let normal = (a[1] - a[0]).cross(a[2] - a[0]).normalize_or(Vec3::Y);
            let middle = stretch.map_or(a[0], |[p, q]| (p + q) * 0.5);
            longest = (length, Some(Spot { on_outer: true, vertex: t[0], position: middle, look: normal }));
        }
    }
    told.spot = longest.1;
    if deep && !new.is_empty() {
        let inside = |layer: usize, other: usize, faces: &mut dyn Iterator<Item = u32>| {
            let topology = &outfit.layers[layer].topology;
            deepest((topology, buffers.positions(layer)), faces, &|p| {
                (hiding.winding(other, p) >= WRAPPED)
                    .then(|| buffers.whole(other).closest(p, f32::INFINITY).map(|hit| hit.point.distance(p)))
                    .flatten()
            })
        };
        let own = inside(outer, inner, &mut new.iter().map(|p| p.0));
        let theirs = inside(inner, outer, &mut new.iter().map(|p| p.1));
        // Pressed into each other by so much: the shorter way out counts.
        let deepest = match (own, theirs) {
            (Some(a), Some(b)) => Some(if b.0 < a.0 { (b, false) } else { (a, true) }),
            (a, b) => a.map(|a| (a, true)).or(b.map(|b| (b, false))),
        };
        if let Some(((depth, vertex), on_outer)) = deepest {
            let layer = if on_outer { outer } else { inner };
            let look = told.spot.map_or(Vec3::Y, |s| s.look);
            told.depth = depth;
            let position = buffers.positions(layer)[vertex as usize];
            told.spot = Some(Spot { on_outer, vertex, position, look });
        }
    }
    told
}

/// Inside is what a layer winds round by this or more.
const WRAPPED: f32 = 0.5;

/// The deepest of the vertices inside that are reached from some faces over the surface, and how deep;
/// `depth` says it of a place that is inside.
fn deepest(
    (topology, positions): (&Topology, &[Vec3]),
    faces: &mut dyn Iterator<Item = u32>,
    depth: &(dyn Fn(Vec3) -> Option<f32> + Sync),
) -> Option<(f32, u32)> {
    let mut front: Vec<u32> = faces.flat_map(|f| topology.triangles[f as usize]).collect();
    front.sort_unstable();
    front.dedup();
    let mut seen = vec![false; positions.len()];
    front.iter().for_each(|v| seen[*v as usize] = true);
    let mut worst: Option<(f32, u32)> = None;
    while !front.is_empty() {
        let ask = |&v: &u32| Some((depth(positions[v as usize])?, v));
        let inside: Vec<(f32, u32)> = front.par_iter().with_min_len(64).filter_map(ask).collect();
        front.clear();
        for (depth, v) in inside {
            if worst.is_none_or(|w| depth > w.0) {
                worst = Some((depth, v));
            }
            for &n in topology.neighbours.row(v as usize) {
                if !std::mem::replace(&mut seen[n as usize], true) {
                    front.push(n);
                }
            }
        }
    }
    worst
}
