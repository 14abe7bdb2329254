//! Distances along a surface: along edges, soon told, and over faces, as they are.

use super::{Csr, Topology};
use glam::Vec3;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// Vertices within `reach` metres of any of `seeds` along edges, with their distance, nearest
/// first (Dijkstra, “A note on two problems in connexion with graphs”, 1959).
///
/// ```
/// use tin_cloak_core::{mesh::{along_edges, Topology}, shapes::tube};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 4, 1.0);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let near = along_edges(&positions, &topology.neighbours, &[0], 0.101);
/// assert_eq!(near[0], (0, 0.0));
/// assert!(near.contains(&(8, 0.1)), "the ring above");
/// ```
pub fn along_edges(positions: &[Vec3], neighbours: &Csr, seeds: &[u32], reach: f32) -> Vec<(u32, f32)> {
    EdgeWalk::new(positions.len()).within(positions, neighbours, seeds, reach)
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
        positions: &[Vec3],
        neighbours: &Csr,
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

/// Vertices within `reach` metres of any of `seeds` over the surface, with their distance, nearest first: the
/// front runs through faces, not only along edges. Each face is unfolded with a source in its plane that stands for
/// where the front came from (Novotni & Klein, “Computing geodesic distances on triangular meshes”, WSCG 2002), so
/// that on what can be unfolded flat distances are exact up to where several seeds' fronts meet.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mesh::{over_surface, Topology}};
///
/// // A square of two faces: across the diagonal that no edge takes.
/// let square = [Vec3::ZERO, Vec3::X, Vec3::X + Vec3::Y, Vec3::Y];
/// let topology = Topology::of_welded(4, &[[0, 1, 3], [1, 2, 3]]);
/// let far = over_surface(&square, &topology, &[0], 2.0);
/// assert!((far[3].1 - 2f32.sqrt()).abs() < 1e-5);
/// ```
pub fn over_surface(positions: &[Vec3], topology: &Topology, seeds: &[u32], reach: f32) -> Vec<(u32, f32)> {
    let mut best = vec![f32::INFINITY; positions.len()];
    let mut queue = BinaryHeap::new();
    let mut touched: Vec<u32> = Vec::new();
    for &seed in seeds {
        best[seed as usize] = 0.0;
        touched.push(seed);
        queue.push(Reverse((0.0f32.to_bits(), seed)));
    }
    while let Some(Reverse((bits, v))) = queue.pop() {
        // What is reached last may be reached through a corner beyond.
        if f32::from_bits(bits) > best[v as usize] || best[v as usize] >= reach {
            continue;
        }
        for &face in topology.incident.row(v as usize) {
            let corners = topology.triangles[face as usize];
            for c in corners.into_iter().filter(|c| *c != v) {
                let other = corners.into_iter().find(|o| *o != v && *o != c).unwrap_or(v);
                let further = through_face(positions, &best, [v, other, c]);
                // What is hardly nearer is not asked again: a front that comes back ends there.
                if further < best[c as usize] * (1.0 - 1e-5) {
                    if best[c as usize].is_infinite() {
                        touched.push(c);
                    }
                    best[c as usize] = further;
                    queue.push(Reverse((further.to_bits(), c)));
                }
            }
        }
    }
    touched.sort_unstable();
    touched.dedup();
    touched.retain(|v| best[*v as usize] < reach);
    let mut all: Vec<(u32, f32)> = touched.into_iter().map(|v| (v, best[v as usize])).collect();
    all.sort_by(|a, b| a.1.total_cmp(&b.1).then(a.0.cmp(&b.0)));
    all
}

/// How far corner `c` of a face is when the front has come to `a`, and perhaps to `b`.
fn through_face(positions: &[Vec3], best: &[f32], [a, b, c]: [u32; 3]) -> f32 {
    let at = |v: u32| positions[v as usize];
    let along = best[a as usize] + at(a).distance(at(c));
    let (da, db) = (best[a as usize], best[b as usize]);
    let length = at(a).distance(at(b));
    if db.is_infinite() || length <= f32::MIN_POSITIVE {
        return along;
    }
    let along = along.min(db + at(b).distance(at(c)));
    // In the plane of the face: a at 0, b along x, c above, the source below.
    let x_axis = (at(b) - at(a)) / length;
    let cx = (at(c) - at(a)).dot(x_axis);
    let cy = ((at(c) - at(a)) - x_axis * cx).length();
    let sx = (da * da - db * db + length * length) / (2.0 * length);
    let below = da * da - sx * sx;
    if below < 0.0 {
        return along;
    }
    let sy = -below.sqrt();
    // Where the straight way crosses the edge it must cross it between its ends.
    let cross = sx + (cx - sx) * (-sy) / (cy - sy).max(f32::MIN_POSITIVE);
    if (0.0..=length).contains(&cross) {
        along.min((cx - sx).hypot(cy - sy))
    } else {
        along
    }
}

/// The same as [`over_surface`] for every vertex, infinite where no seed is on its shell.
pub fn distances_over_surface(positions: &[Vec3], topology: &Topology, seeds: &[u32]) -> Vec<f32> {
    let mut all = vec![f32::INFINITY; positions.len()];
    over_surface(positions, topology, seeds, f32::INFINITY)
        .into_iter()
        .for_each(|(v, d)| all[v as usize] = d);
    all
}

/// Along edges for every vertex, infinite where no seed is on its shell.
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
