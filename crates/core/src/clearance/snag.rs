//! Snags: connected spots of poke-through.

use super::{Buffers, Outfit, PairPoints, Settings};
use crate::mesh::{flood_fill, Csr};
use glam::Vec3;

/// One connected spot of a pair in a pose.
#[derive(Clone, Debug, PartialEq)]
pub struct Snag {
    /// Index of the pair in the outfit.
    pub pair: usize,
    /// True when its vertices are the outer layer's (sunk), false for the inner's (poking).
    pub on_outer: bool,
    /// Its vertices (welded, of that layer), deepest first.
    pub vertices: Vec<u32>,
    /// Depth of the deepest, metres.
    pub deepest: f32,
}

impl Snag {
    /// Where its deepest vertex shows in the pose of `buffers` (metres), and the outward unit normal
    /// there. Of a sunk vertex the inner surface over it is what shows.
    pub fn place(&self, outfit: &Outfit, buffers: &Buffers, points: &PairPoints) -> (Vec3, Vec3) {
        let (pair, v) = (&outfit.pairs[self.pair], self.vertices[0]);
        if !self.on_outer {
            return (
                buffers.positions(pair.inner)[v as usize],
                buffers.outside(pair.inner).normals[v as usize],
            );
        }
        let at = buffers.positions(pair.outer)[v as usize];
        match pair.coverage.over.binary_search(&v).ok().and_then(|i| points.outer[i]) {
            Some(asked) => (at - asked.normal * asked.clearance, asked.normal),
            None => (at, buffers.towards_body(pair.outer).normals[v as usize]),
        }
    }
}

/// The snags of pair `pair` from its points in one pose, deepest first.
///
/// ```
/// use tin_cloak_core::clearance::{ask_pairs, snags, Settings};
/// use tin_cloak_core::shapes::{moved, outfit, sphere};
///
/// let shirt = moved(sphere(0.105, 32), tin_cloak_core::glam::Vec3::Z * -0.008);
/// let outfit = outfit(&sphere(0.1, 32), &[shirt]);
/// let points = ask_pairs(&outfit, &outfit.buffers(), &[(0, Settings::default())]);
/// let found = snags(&outfit, 0, &points[0], Settings::default());
/// assert!(!found[0].on_outer && (found[0].deepest - 0.003).abs() < 0.0005);
/// ```
pub fn snags(outfit: &Outfit, pair: usize, points: &PairPoints, settings: Settings) -> Vec<Snag> {
    let p = &outfit.pairs[pair];
    let bad = |asked: &Option<super::Asked>| {
        asked.filter(|a| !a.buried && a.clearance < -settings.tolerance).map(|a| -a.clearance)
    };
    let inner = p.coverage.covered.iter().zip(&points.inner).filter_map(|(&v, a)| bad(a).map(|d| (v, d)));
    let outer = p.coverage.over.iter().zip(&points.outer).filter_map(|(&v, a)| bad(a).map(|d| (v, d)));

    let mut found = Vec::new();
    for (on_outer, layer, spots) in
        [(false, p.inner, inner.collect::<Vec<_>>()), (true, p.outer, outer.collect::<Vec<_>>())]
    {
        let neighbours = &outfit.layers[layer].topology.neighbours;
        for mut group in connected(neighbours, &spots) {
            group.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
            let deepest = group[0].1;
            let vertices = group.into_iter().map(|e| e.0).collect();
            found.push(Snag { pair, on_outer, vertices, deepest });
        }
    }
    found.sort_by(|a, b| b.deepest.total_cmp(&a.deepest));
    found
}

/// Spots that hang together over the surface.
pub(super) fn connected(neighbours: &Csr, spots: &[(u32, f32)]) -> Vec<Vec<(u32, f32)>> {
    const NONE: u32 = u32::MAX;
    let mut place = vec![NONE; neighbours.len()];
    (0u32..).zip(spots).for_each(|(i, (v, _))| place[*v as usize] = i);
    let next = |i: u32| {
        let around = neighbours.row(spots[i as usize].0 as usize).iter();
        around.map(|n| place[*n as usize]).filter(|i| *i != NONE)
    };
    let (group, groups) = flood_fill(spots.len(), next);
    let mut found = vec![Vec::new(); groups];
    group.iter().zip(spots).for_each(|(g, spot)| found[*g as usize].push(*spot));
    found
}
