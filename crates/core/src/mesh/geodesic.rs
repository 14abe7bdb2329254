//! Distances along a surface.

use super::Csr;
use glam::Vec3;
use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap};

/// Vertices within `reach` metres of any of `seeds` along edges, with their distance, nearest
/// first (Dijkstra, “A note on two problems in connexion with graphs”, 1959).
///
/// ```
/// use tin_cloak_core::{mesh::{along_edges, Topology}, shapes::tube};
///
/// let (positions, triangles) = tube(0.05, (0.0, 0.4), 8, 4, 1.0);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let near = along_edges(&positions, &topology.neighbours, &[0], 0.101);
/// assert_eq!(near[0], (0, 0.0));
/// assert!(near.contains(&(8, 0.1)), "the ring above");
/// ```
pub fn along_edges(positions: &[Vec3], neighbours: &Csr, seeds: &[u32], reach: f32) -> Vec<(u32, f32)> {
    let mut settled: Vec<(u32, f32)> = Vec::new();
    let mut best: HashMap<u32, f32> = seeds.iter().map(|&s| (s, 0.0)).collect();
    // Distances are not negative, so their bits sort as they do.
    let mut queue: BinaryHeap<_> = best.keys().map(|&s| Reverse((0.0f32.to_bits(), s))).collect();
    while let Some(Reverse((bits, v))) = queue.pop() {
        let distance = f32::from_bits(bits);
        if best.get(&v).is_some_and(|b| distance > *b) {
            continue;
        }
        settled.push((v, distance));
        for &n in neighbours.row(v as usize) {
            let further = distance + positions[v as usize].distance(positions[n as usize]);
            if further < reach && best.get(&n).is_none_or(|b| further < *b) {
                best.insert(n, further);
                queue.push(Reverse((further.to_bits(), n)));
            }
        }
    }
    settled
}

/// The same for every vertex, infinite where no seed is on its shell.
///
/// ```
/// use tin_cloak_core::mesh::{distances_along_edges, Topology};
/// use tin_cloak_core::{glam::Vec3, shapes::{joined, moved, sphere}};
///
/// let (positions, triangles) = joined(sphere(0.1, 8), moved(sphere(0.1, 8), Vec3::X));
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let far = distances_along_edges(&positions, &topology.neighbours, &[0]);
/// assert!(far[1] < 0.1 && far[positions.len() - 1].is_infinite(), "the other ball is not reached");
/// ```
pub fn distances_along_edges(positions: &[Vec3], neighbours: &Csr, seeds: &[u32]) -> Vec<f32> {
    let mut all = vec![f32::INFINITY; positions.len()];
    for (v, d) in along_edges(positions, neighbours, seeds, f32::INFINITY) {
        all[v as usize] = d;
    }
    all
}
