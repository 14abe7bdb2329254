//! Distances along a surface.

use super::Csr;
use glam::Vec3;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

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
    EdgeWalk::new(positions.len()).within((positions, neighbours), seeds, reach)
}

/// Room for walks over one mesh: many short ones cost no more than what they reach.
#[derive(Clone, Debug)]
pub struct EdgeWalk {
    best: Vec<f32>,
    queue: BinaryHeap<Reverse<(u32, u32)>>,
}

impl EdgeWalk {
    /// Over a mesh of so many vertices.
    pub fn new(vertices: usize) -> Self {
        Self { best: vec![f32::INFINITY; vertices], queue: BinaryHeap::new() }
    }

    /// As [`along_edges`].
    pub fn within(
        &mut self,
        (positions, neighbours): (&[Vec3], &Csr),
        seeds: &[u32],
        reach: f32,
    ) -> Vec<(u32, f32)> {
        let mut settled: Vec<(u32, f32)> = Vec::new();
        let mut touched: Vec<u32> = seeds.to_vec();
        for &seed in seeds {
            self.best[seed as usize] = 0.0;
            // Distances are not negative, so their bits sort as they do.
            self.queue.push(Reverse((0.0f32.to_bits(), seed)));
        }
        while let Some(Reverse((bits, v))) = self.queue.pop() {
            let distance = f32::from_bits(bits);
            // Settled before, by a shorter way or this one.
            if distance > self.best[v as usize] || settled.last().is_some_and(|last| *last == (v, distance)) {
                continue;
            }
            settled.push((v, distance));
            for &n in neighbours.row(v as usize) {
                let further = distance + positions[v as usize].distance(positions[n as usize]);
                if further < reach && further < self.best[n as usize] {
                    self.best[n as usize] = further;
                    touched.push(n);
                    self.queue.push(Reverse((further.to_bits(), n)));
                }
            }
        }
        touched.into_iter().for_each(|v| self.best[v as usize] = f32::INFINITY);
        settled
    }
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
