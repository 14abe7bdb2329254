//! Growing and shrinking along the surface.

use crate::mesh::{along_edges, over_surface, Topology};
use glam::Vec3;

/// Adds so many rings of vertices round what is chosen.
///
/// ```
/// use tin_cloak_core::{choose::{flags, grow, listed, shrink}, mesh::Topology, shapes::tube};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let ring = flags(positions.len(), &(32..40).collect::<Vec<u32>>());
/// let wider = grow(&topology, &ring, 1);
/// assert_eq!(listed(&wider).len(), 24, "one ring on either side");
/// assert_eq!(shrink(&topology, &wider, 1), ring);
/// ```
pub fn grow(topology: &Topology, chosen: &[bool], rings: usize) -> Vec<bool> {
    let mut now = chosen.to_vec();
    for _ in 0..rings {
        let before = now.clone();
        for v in (0..before.len()).filter(|v| before[*v]) {
            topology.neighbours.row(v).iter().for_each(|n| now[*n as usize] = true);
        }
    }
    now
}

/// Takes so many rings of vertices away from the edge of what is chosen; open edges are no edge of it.
pub fn shrink(topology: &Topology, chosen: &[bool], rings: usize) -> Vec<bool> {
    inverted(grow(topology, &inverted(chosen.to_vec()), rings))
}

/// Adds what lies within `reach` metres along the surface.
pub fn grow_by(positions: &[Vec3], topology: &Topology, chosen: &[bool], reach: f32) -> Vec<bool> {
    let mut now = chosen.to_vec();
    for (v, _) in over_surface(positions, topology, &super::listed(chosen), reach) {
        now[v as usize] = true;
    }
    now
}

/// Takes away what lies within `reach` metres along the surface of what is not chosen.
pub fn shrink_by(positions: &[Vec3], topology: &Topology, chosen: &[bool], reach: f32) -> Vec<bool> {
    inverted(grow_by(positions, topology, &inverted(chosen.to_vec()), reach))
}

fn inverted(mut chosen: Vec<bool>) -> Vec<bool> {
    chosen.iter_mut().for_each(|c| *c = !*c);
    chosen
}

/// The open edge nearest to `vertex` over the surface, and so many rows of vertices inward from it (0 for
/// itself alone); nothing where its part has none.
///
/// ```
/// use tin_cloak_core::{choose::{listed, rows_from_open_edge}, mesh::Topology, shapes::tube};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let hem = rows_from_open_edge(&positions, &topology, 20, 1);
/// assert_eq!(listed(&hem), (0..16).collect::<Vec<u32>>());
/// ```
pub fn rows_from_open_edge(positions: &[Vec3], topology: &Topology, vertex: u32, rows: usize) -> Vec<bool> {
    let mut chosen = vec![false; positions.len()];
    let reached = along_edges(positions, &topology.neighbours, &[vertex], f32::INFINITY);
    let Some((nearest, _)) = reached.into_iter().find(|(v, _)| topology.on_boundary[*v as usize]) else {
        return chosen;
    };
    let loops = topology.boundary_loops();
    let edge = loops.iter().find(|line| line.contains(&nearest));
    edge.into_iter().flatten().for_each(|v| chosen[*v as usize] = true);
    grow(topology, &chosen, rows)
}
