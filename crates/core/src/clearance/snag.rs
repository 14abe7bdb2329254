//! Snags: connected spots of poke-through.

use super::{Buffers, Outfit, PairPoints, Settings};
use crate::mesh::Csr;
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

fn connected(neighbours: &Csr, spots: &[(u32, f32)]) -> Vec<Vec<(u32, f32)>> {
    const NONE: u32 = u32::MAX;
    let mut place = vec![NONE; neighbours.len()];
    for (i, (v, _)) in spots.iter().enumerate() {
        place[*v as usize] = i as u32;
    }
    let mut groups = Vec::new();
    for start in 0..spots.len() {
        let v = spots[start].0 as usize;
        if place[v] == NONE {
            continue;
        }
        place[v] = NONE;
        let (mut group, mut next) = (vec![spots[start]], 0);
        while next < group.len() {
            for &n in neighbours.row(group[next].0 as usize) {
                let i = std::mem::replace(&mut place[n as usize], NONE);
                if i != NONE {
                    group.push(spots[i as usize]);
                }
            }
            next += 1;
        }
        groups.push(group);
    }
    groups
}
