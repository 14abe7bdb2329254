//! Who is next to whom on a welded mesh.

use super::Morph;
use super::{flood_fill, weld, Csr, Mesh, Weld};
use glam::Vec3;
use std::collections::HashMap;

/// No triangle on the other side of an edge.
pub const NO_TRIANGLE: u32 = u32::MAX;

/// Copies of a vertex that a shape takes no further apart than this stay one, metres.
const SAME: f32 = 2e-4;

/// Adjacency of a mesh over its welded vertices, as flat arrays.
#[derive(Clone, Debug, Default)]
pub struct Topology {
    /// Split to welded vertices and back.
    pub weld: Weld,
    /// Triangles over welded vertices, as many as the mesh has and in its order.
    pub triangles: Vec<[u32; 3]>,
    /// Every edge once, lower vertex first, sorted.
    pub edges: Vec<[u32; 2]>,
    /// Vertices joined to each vertex by an edge, ascending.
    pub neighbours: Csr,
    /// Triangles at each vertex, ascending.
    pub incident: Csr,
    /// For corner `i` of each triangle the triangle across the edge from corner `i` to
    /// corner `i + 1`, or [`NO_TRIANGLE`] on an open or non-manifold edge.
    pub across: Vec<[u32; 3]>,
    /// True for a vertex on an open edge (one with a single triangle).
    pub on_boundary: Vec<bool>,
    /// Connected part of each vertex, numbered by first vertex.
    pub shell_of_vertex: Vec<u32>,
    /// Number of connected parts.
    pub shells: usize,
}

impl Topology {
    /// The topology of `mesh`, welding what lies in the same place.
    pub fn new(mesh: &Mesh) -> Self {
        Self::of_shaped(mesh, &[])
    }

    /// The same, keeping apart what lies in one place at rest and comes apart in one of the `shapes`.
    pub fn of_shaped(mesh: &Mesh, shapes: &[Morph]) -> Self {
        let mut place = weld(&mesh.positions, &mesh.triangles);
        let dense: Vec<Vec<Vec3>> = shapes.iter().map(|s| s.to_dense(mesh.positions.len())).collect();
        if !dense.is_empty() {
            let apart = |a: u32, b: u32| {
                let far = |d: &Vec<Vec3>| d[a as usize].distance_squared(d[b as usize]) > SAME * SAME;
                dense.iter().any(far)
            };
            place = place.taken_apart(apart);
        }
        let triangles = place.triangles(&mesh.triangles);
        Self::over(place, triangles)
    }

    /// The topology of triangles over vertices that are welded already.
    pub fn of_welded(vertices: usize, triangles: &[[u32; 3]]) -> Self {
        let place = Weld::from_groups((0..vertices as u32).collect(), vertices);
        Self::over(place, triangles.to_vec())
    }

    fn over(weld: Weld, triangles: Vec<[u32; 3]>) -> Self {
        let vertices = weld.count();
        let solid = |t: &[u32; 3]| t[0] != t[1] && t[1] != t[2] && t[2] != t[0];
        let sides = |t: [u32; 3]| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]];

        let mut edges: Vec<[u32; 2]> = triangles
            .iter()
            .filter(|t| solid(t))
            .flat_map(|&t| sides(t))
            .map(|[a, b]| [a.min(b), a.max(b)])
            .collect();
        edges.sort_unstable();
        edges.dedup();

        let both_ways = edges.iter().flat_map(|&[a, b]| [(a, b), (b, a)]);
        let mut neighbours = Csr::from_pairs(vertices, both_ways);
        for v in 0..vertices {
            let (from, to) = (neighbours.starts[v] as usize, neighbours.starts[v + 1] as usize);
            neighbours.items[from..to].sort_unstable();
        }
        let corners = triangles
            .iter()
            .enumerate()
            .filter(|(_, t)| solid(t))
            .flat_map(|(i, t)| t.map(|v| (v, i as u32)));
        let incident = Csr::from_pairs(vertices, corners);

        let (across, on_boundary) = edge_partners(&triangles, vertices, solid, sides);
        let (shell_of_vertex, shells) =
            flood_fill(neighbours.len(), |v| neighbours.row(v as usize).iter().copied());
        Self { weld, triangles, edges, neighbours, incident, across, on_boundary, shell_of_vertex, shells }
    }

    /// The faces that have some of these vertices as corners, ascending.
    pub fn faces_about(&self, vertices: &[u32]) -> Vec<u32> {
        let faces = vertices.iter().flat_map(|v| self.incident.row(*v as usize));
        let mut faces: Vec<u32> = faces.copied().collect();
        faces.sort_unstable();
        faces.dedup();
        faces
    }

    /// Number of welded vertices.
    pub fn vertices(&self) -> usize {
        self.weld.count()
    }

    /// Open edge loops: each a list of welded vertices in order along the opening.
    pub fn boundary_loops(&self) -> Vec<Vec<u32>> {
        let mut next: HashMap<u32, Vec<u32>> = HashMap::new();
        let mut starts = Vec::new();
        for (t, across) in self.triangles.iter().zip(&self.across) {
            for i in 0..3 {
                let (a, b) = (t[i], t[(i + 1) % 3]);
                if across[i] == NO_TRIANGLE && self.on_boundary[a as usize] && self.on_boundary[b as usize] {
                    next.entry(a).or_default().push(b);
                    starts.push(a);
                }
            }
        }
        let mut loops = Vec::new();
        for start in starts {
            let mut line = Vec::new();
            let mut at = start;
            while let Some(to) = next.get_mut(&at).and_then(Vec::pop) {
                line.push(at);
                at = to;
                if at == start {
                    break;
                }
            }
            if line.len() > 2 {
                loops.push(line);
            }
        }
        loops
    }

    /// A third of the area of the triangles at each vertex, square metres.
    pub fn vertex_areas(&self, positions: &[Vec3]) -> Vec<f32> {
        let mut areas = vec![0.0; self.vertices()];
        for &t in &self.triangles {
            let third = super::triangle_area(positions, t) / 3.0;
            for v in t {
                areas[v as usize] += third;
            }
        }
        areas
    }

    /// True when no edge of the shell is open.
    pub fn closed_shells(&self) -> Vec<bool> {
        let mut closed = vec![true; self.shells];
        for (v, &open) in self.on_boundary.iter().enumerate() {
            if open {
                closed[self.shell_of_vertex[v] as usize] = false;
            }
        }
        closed
    }
}

/// Pairs triangles over shared edges. An edge with one triangle is open; one with more than
/// two has no partner but is not open either.
fn edge_partners(
    triangles: &[[u32; 3]],
    vertices: usize,
    solid: impl Fn(&[u32; 3]) -> bool,
    sides: impl Fn([u32; 3]) -> [[u32; 2]; 3],
) -> (Vec<[u32; 3]>, Vec<bool>) {
    let mut uses: Vec<(u32, u32, u32, u8)> = Vec::with_capacity(triangles.len() * 3);
    for (i, t) in triangles.iter().enumerate().filter(|(_, t)| solid(t)) {
        for (side, [a, b]) in sides(*t).into_iter().enumerate() {
            uses.push((a.min(b), a.max(b), i as u32, side as u8));
        }
    }
    uses.sort_unstable();
    let mut across = vec![[NO_TRIANGLE; 3]; triangles.len()];
    let mut on_boundary = vec![false; vertices];
    for group in uses.chunk_by(|x, y| (x.0, x.1) == (y.0, y.1)) {
        match group {
            [(a, b, _, _)] => {
                on_boundary[*a as usize] = true;
                on_boundary[*b as usize] = true;
            }
            [x, y] => {
                across[x.2 as usize][usize::from(x.3)] = y.2;
                across[y.2 as usize][usize::from(y.3)] = x.2;
            }
            _ => {}
        }
    }
    (across, on_boundary)
}
