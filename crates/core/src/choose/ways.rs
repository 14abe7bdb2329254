//! The shortest way along edges between two vertices (Dijkstra, “A note on two problems in connexion with graphs”,
//! 1959).

use crate::mesh::Topology;
use glam::Vec3;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// Nearer vertices first; of those as near the one with the lower number.
#[derive(PartialEq)]
struct Far(f32, u32);

impl Eq for Far {}

impl PartialOrd for Far {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Far {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0).then(self.1.cmp(&other.1))
    }
}

/// The vertices on the shortest way along edges from one vertex to another, both with it, in that order; empty where
/// there is none.
///
/// ```
/// use tin_cloak_core::{choose::shortest_way, mesh::Topology, shapes::sphere};
///
/// let (positions, triangles) = sphere(0.1, 24);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let way = shortest_way(&positions, &topology, 0, positions.len() as u32 - 1);
/// assert!(way.windows(2).all(|w| topology.neighbours.row(w[0] as usize).contains(&w[1])));
/// let long: f32 = way.windows(2).map(|w| positions[w[0] as usize].distance(positions[w[1] as usize])).sum();
/// assert!((long - 0.1 * std::f32::consts::PI).abs() < 0.005, "half of the way round: {long}");
/// ```
pub fn shortest_way(rest: &[Vec3], topology: &Topology, from: u32, to: u32) -> Vec<u32> {
    let mut far = vec![f32::INFINITY; rest.len()];
    let mut before = vec![u32::MAX; rest.len()];
    let mut next = BinaryHeap::from([Reverse(Far(0.0, from))]);
    far[from as usize] = 0.0;
    while let Some(Reverse(Far(way, v))) = next.pop() {
        if v == to {
            break;
        }
        if way > far[v as usize] {
            continue;
        }
        for &n in topology.neighbours.row(v as usize) {
            let longer = way + rest[v as usize].distance(rest[n as usize]);
            if longer < far[n as usize] {
                (far[n as usize], before[n as usize]) = (longer, v);
                next.push(Reverse(Far(longer, n)));
            }
        }
    }
    if far[to as usize].is_infinite() {
        return Vec::new();
    }
    let mut way = vec![to];
    while let Some(&v) = way.last().filter(|v| **v != from) {
        way.push(before[v as usize]);
    }
    way.reverse();
    way
}
