//! Loops of edges over a mesh of quads that came as triangles, and what lies between two of them.

use crate::mesh::{Topology, NO_TRIANGLE};
use glam::Vec3;

/// A loop goes on along an edge that turns off by less than this: its cosine.
const STRAIGHT: f32 = 0.6;

/// The vertices of the loop that edge `[a, b]` lies on, in order: on from vertex to vertex along the straightest
/// edge that is no diagonal of a quad, both ways, until it comes back or finds none.
///
/// ```
/// use tin_cloak_core::{choose::edge_loop, mesh::Topology, shapes::tube};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 12, 8, 1.0);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let mut round = edge_loop(&positions, &topology, [36, 37]);
/// round.sort_unstable();
/// assert_eq!(round, (36..48).collect::<Vec<u32>>(), "once round the tube");
/// ```
pub fn edge_loop(positions: &[Vec3], topology: &Topology, [a, b]: [u32; 2]) -> Vec<u32> {
    let diagonals = diagonals(positions, topology);
    let at = |v: u32| positions[v as usize];
    let next = |from: u32, v: u32| {
        let way = (at(v) - at(from)).normalize_or_zero();
        let straightness = |n: &u32| (at(*n) - at(v)).normalize_or_zero().dot(way);
        let plain = |n: &&u32| diagonals.binary_search(&[v.min(**n), v.max(**n)]).is_err() && **n != from;
        let best = topology
            .neighbours
            .row(v as usize)
            .iter()
            .filter(plain)
            .max_by(|x, y| straightness(x).total_cmp(&straightness(y)));
        best.copied().filter(|n| straightness(n) > STRAIGHT)
    };
    let walk = |mut from: u32, mut v: u32| {
        let mut line = Vec::new();
        while let Some(n) = next(from, v) {
            if n == a || line.len() > positions.len() {
                return (line, n == a);
            }
            line.push(n);
            (from, v) = (v, n);
        }
        (line, false)
    };
    let (ahead, closed) = walk(a, b);
    let mut found: Vec<u32> = Vec::new();
    if !closed {
        found.extend(walk(b, a).0.into_iter().rev().filter(|v| *v != b));
    }
    found.extend([a, b]);
    found.extend(ahead);
    let mut seen = vec![false; positions.len()];
    found.retain(|v| !std::mem::replace(&mut seen[*v as usize], true));
    found
}

/// Edges that are the longest of both their triangles: what a quad was cut in two by. Sorted.
fn diagonals(positions: &[Vec3], topology: &Topology) -> Vec<[u32; 2]> {
    let edge = |t: usize, i: usize| {
        let corners = topology.triangles[t];
        let [a, b] = [corners[i], corners[(i + 1) % 3]];
        [a.min(b), a.max(b)]
    };
    let length = |[a, b]: [u32; 2]| positions[a as usize].distance_squared(positions[b as usize]);
    let longest = |t: usize| {
        let of = |i: usize| edge(t, i);
        (0..3).map(of).max_by(|x, y| length(*x).total_cmp(&length(*y))).unwrap_or_default()
    };
    let mut found: Vec<[u32; 2]> = Vec::new();
    for t in 0..topology.triangles.len() {
        for i in 0..3 {
            let other = topology.across[t][i];
            let own = edge(t, i);
            if other != NO_TRIANGLE && longest(t) == own && longest(other as usize) == own {
                found.push(own);
            }
        }
    }
    found.sort_unstable();
    found.dedup();
    found
}

/// What lies between two lines of vertices, both with it: of the parts that the lines cut the surface into, those
/// that touch both.
///
/// ```
/// use tin_cloak_core::{choose::{between, listed}, mesh::Topology, shapes::tube};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (low, high): (Vec<u32>, Vec<u32>) = ((8..16).collect(), (40..48).collect());
/// assert_eq!(listed(&between(&topology, &low, &high)), (8..48).collect::<Vec<u32>>());
/// ```
pub fn between(topology: &Topology, one: &[u32], other: &[u32]) -> Vec<bool> {
    let vertices = topology.vertices();
    let (first, second) = (super::flags(vertices, one), super::flags(vertices, other));
    let mut chosen: Vec<bool> = (0..vertices).map(|v| first[v] || second[v]).collect();
    let mut seen = chosen.clone();
    for start in 0..vertices {
        if std::mem::replace(&mut seen[start], true) {
            continue;
        }
        let (mut part, mut at, mut touches) = (vec![start], 0, [false; 2]);
        while at < part.len() {
            for &n in topology.neighbours.row(part[at]) {
                let n = n as usize;
                touches = [touches[0] || first[n], touches[1] || second[n]];
                if !std::mem::replace(&mut seen[n], true) {
                    part.push(n);
                }
            }
            at += 1;
        }
        if touches == [true; 2] {
            part.into_iter().for_each(|v| chosen[v] = true);
        }
    }
    chosen
}
