//! Where posed layers run through each other, face by face.
//!
//! What crosses at rest already is told apart: of a crossing in a pose a pair of faces is *of rest* when
//! both lie within two rings of faces that cross at rest. The rest of it is *new*.
//!
//! A layer may cross itself (a leg the other, a sleeve the flank): the pair is then that layer twice, and
//! faces of one neighbourhood are not against themselves (see [`super::Neighbourhood`]).

use super::ask::PairView;
use super::neighbourhood::Neighbourhood;
use super::penetration::through_in;
use super::penetration_depth::Inside;
use super::visibility::Visibility;
use super::{Buffers, Outfit, Pair, Settings, Spot};
use crate::mesh::Csr;
use crate::query::common_stretch;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

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
    /// Where that was asked, all that a new crossing bounds.
    pub inside: Vec<InsideSpot>,
}

/// A vertex of one of two layers that lies inside the other.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct InsideSpot {
    /// True when it is of the outer layer.
    pub on_outer: bool,
    /// Welded vertex of that layer.
    pub vertex: u32,
    /// How deep, at most as deep as the crossing is told to be, metres.
    pub depth: f32,
}

impl Crossing {
    /// True when it is nothing that rest has not.
    pub fn is_of_rest(&self) -> bool {
        self.faces > 0 && self.new_length == 0.0
    }
}

/// The vertices of two layers near what crosses at rest.
#[derive(Clone, Debug, Default)]
pub struct AtRest {
    outer: Vec<bool>,
    inner: Vec<bool>,
    /// Of a layer against itself.
    own: Option<Neighbourhood>,
    /// True where so much meets that it cannot be told what is through.
    is_noise: bool,
    /// Vertices (of the outer layer or not) on the wrong side, and how deep, metres.
    wrong: Wrong<u32>,
    /// Edges a stretch of which is, and how deep.
    wrong_edges: Wrong<[u32; 2]>,
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
/// assert!(!meeting_faces(&buffers, 1, 0).is_empty());
/// assert!(meeting_faces(&buffers, 2, 0).is_empty());
/// ```
pub fn meeting_faces(buffers: &Buffers, outer: usize, inner: usize) -> Vec<(u32, u32)> {
    buffers.whole(outer).meeting(buffers.whole(inner))
}

/// Where faces meet more others than this on the mean, a mesh is noise: nothing can be said of how deep what is. Two
/// meshes that are the same meet in 6.5 a face, each face those about it.
const MOST_A_FACE: usize = 10;

impl AtRest {
    /// Of the layers `(outer, inner)` of an outfit, whose `buffers` are at rest.
    pub fn new(outfit: &Outfit, buffers: &Buffers, outer: usize, inner: usize) -> Self {
        let own = (outer == inner).then(|| Neighbourhood::new(&outfit.layers[outer], buffers.whole(outer)));
        let mut rest = Self { own, ..Self::default() };
        let Some(pairs) = meeting(outfit, buffers, outer, inner, &rest) else {
            return Self { is_noise: true, ..rest };
        };
        if let Some(pair) = outfit.pairs.iter().find(|p| (p.outer, p.inner) == (outer, inner)) {
            (rest.wrong, rest.wrong_edges) = wrong_in(outfit, buffers, pair, &pairs);
        }
        if pairs.is_empty() {
            return rest;
        }
        let zone = |layer: usize, faces: &mut dyn Iterator<Item = u32>| {
            let topology = &outfit.layers[layer].topology;
            let mut near = vec![false; topology.vertices()];
            faces.for_each(|f| topology.triangles[f as usize].iter().for_each(|v| near[*v as usize] = true));
            (0..RINGS).for_each(|_| grow(&topology.neighbours, &mut near));
            near
        };
        rest.outer = zone(outer, &mut pairs.iter().map(|p| p.0));
        rest.inner = zone(inner, &mut pairs.iter().map(|p| p.1));
        rest
    }

    /// How deep a vertex of the outer layer or of the inner one is on the wrong side at rest, metres; 0 when
    /// it is not.
    pub fn depth(&self, on_outer: bool, vertex: u32) -> f32 {
        self.wrong.get(&(on_outer, vertex)).copied().unwrap_or(0.0)
    }

    /// How deep a stretch of an edge is at rest, metres; 0 when none of it nor of its ends is on the wrong side.
    pub fn edge_depth(&self, on_outer: bool, edge: [u32; 2]) -> f32 {
        let stretch = self.wrong_edges.get(&(on_outer, edge)).copied().unwrap_or(0.0);
        edge.iter().map(|v| self.depth(on_outer, *v)).fold(stretch, f32::max)
    }

    /// Bytes it takes up.
    pub fn bytes(&self) -> usize {
        self.outer.len()
            + self.inner.len()
            + self.wrong.len() * 16
            + self.wrong_edges.len() * 20
            + self.own.as_ref().map_or(0, Neighbourhood::bytes)
    }

    pub(super) fn has(&self, outer: [u32; 3], inner: [u32; 3]) -> bool {
        let near = |zone: &[bool], t: [u32; 3]| t.iter().any(|v| zone.get(*v as usize) == Some(&true));
        let so = |a, b| near(&self.outer, a) && near(&self.inner, b);
        so(outer, inner) || (self.own.is_some() && so(inner, outer))
    }
}

/// The faces of two layers that meet; of a layer against itself those of other neighbourhoods.
pub(super) fn meeting(
    outfit: &Outfit,
    buffers: &Buffers,
    outer: usize,
    inner: usize,
    rest: &AtRest,
) -> Option<Vec<(u32, u32)>> {
    if rest.is_noise {
        return None;
    }
    let faces = |layer: usize| outfit.layers[layer].topology.triangles.len();
    let most = MOST_A_FACE * (faces(outer) + faces(inner));
    let Some(own) = &rest.own else {
        return buffers.whole(outer).meeting_within(buffers.whole(inner), most);
    };
    let layer = &outfit.layers[outer];
    if own.moves_as_one() {
        return Some(Vec::new());
    }
    let mut found = buffers.whole(outer).meeting_itself_within(own.sure(), most)?;
    found.retain(|&(f, g)| !own.has(layer, f, g));
    Some(found)
}

/// How deep what is wrong at rest is, metres.
type Wrong<K> = HashMap<(bool, K), f32>;

/// The vertices of a pair on the wrong side at rest by anything, and the edges with such stretches.
fn wrong_in(
    outfit: &Outfit,
    buffers: &Buffers,
    pair: &Pair,
    meeting: &[(u32, u32)],
) -> (Wrong<u32>, Wrong<[u32; 2]>) {
    let settings = Settings { tolerance: 0.0, ..Settings::default() };
    let hiding = Visibility::new(outfit, buffers);
    let found = through_in(&PairView { outfit, buffers, pair, settings, hiding: &hiding }, meeting);
    let spots = found.spots.iter().map(|s| ((s.on_outer, s.vertex), -s.clearance)).collect();
    let mut edges = HashMap::new();
    for s in &found.stretches {
        let depth: &mut f32 = edges.entry((s.on_outer, s.edge)).or_default();
        *depth = depth.max(-s.clearance);
    }
    (spots, edges)
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
    outfit: &Outfit,
    hiding: &Visibility,
    outer: usize,
    inner: usize,
    pairs: &[(u32, u32)],
    rest: &AtRest,
    deep: bool,
) -> Crossing {
    if pairs.is_empty() {
        return Crossing::default();
    }
    let buffers = hiding.buffers;
    let corners = |layer: usize, face: u32| {
        let t = outfit.layers[layer].topology.triangles[face as usize];
        (t, t.map(|v| buffers.positions(layer)[v as usize]))
    };
    let (mut told, mut new, mut longest) = (Crossing::default(), Vec::new(), (0.0, None));
    told.faces = faces_of_outer(pairs, outer == inner);
    for &(f, g) in pairs {
        let ((t, a), (u, b)) = (corners(outer, f), corners(inner, g));
        let stretch = common_stretch(a, b);
        let length = stretch.map_or(0.0, |[p, q]| p.distance(q));
        told.length += length;
        if rest.has(t, u) {
            continue;
        }
        // What touches in a plane or a point only has no length, and is there all the same.
        told.new_length += length.max(f32::MIN_POSITIVE);
        new.push((t, u));
        if longest.1.is_none() || length > longest.0 {
            let normal = (a[1] - a[0]).cross(a[2] - a[0]).normalize_or(Vec3::Y);
            let middle = stretch.map_or(a[0], |[p, q]| (p + q) * 0.5);
            longest = (length, Some(Spot { on_outer: true, vertex: t[0], position: middle, look: normal }));
        }
    }
    told.spot = longest.1;
    if deep {
        let inside = Inside::new(outfit, hiding, outer, inner, &new);
        if let Some((depth, on_outer, vertex)) = inside.deepest(&new) {
            let layer = if on_outer { outer } else { inner };
            let look = told.spot.map_or(Vec3::Y, |s| s.look);
            let position = buffers.positions(layer)[vertex as usize];
            (told.depth, told.spot) = (depth, Some(Spot { on_outer, vertex, position, look }));
            told.inside = inside.all().map(|s| InsideSpot { depth: s.depth.min(depth), ..s }).collect();
        }
    }
    told
}

/// How many faces of the outer layer are among pairs that are sorted; of a layer against itself all.
fn faces_of_outer(pairs: &[(u32, u32)], itself: bool) -> u32 {
    let mut faces: Vec<u32> = pairs.iter().map(|p| p.0).collect();
    if itself {
        faces.extend(pairs.iter().map(|p| p.1));
        faces.sort_unstable();
    }
    faces.dedup();
    faces.len() as u32
}
