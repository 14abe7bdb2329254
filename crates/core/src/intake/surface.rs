//! A surface looked over: holes, doubled and empty faces, edges where more than two faces meet,
//! and parts that are wound inside out.

use crate::mesh::{triangle_area, Topology, NO_TRIANGLE};
use glam::Vec3;
use std::collections::HashMap;

/// An opening: a loop of open edges.
#[derive(Clone, Debug, PartialEq)]
pub struct Opening {
    /// Welded vertices in order along it.
    pub vertices: Vec<u32>,
    /// Its middle, metres.
    pub middle: Vec3,
    /// Length of the loop, metres.
    pub length: f32,
}

impl Opening {
    /// Diameter of the circle of the same length, metres.
    pub fn width(&self) -> f32 {
        self.length / std::f32::consts::PI
    }
}

/// What was found on a surface. Faces and vertices are welded ones.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SurfaceFacts {
    /// Openings, the longest first.
    pub openings: Vec<Opening>,
    /// Faces without area.
    pub empty_faces: Vec<u32>,
    /// Faces over the same three vertices as an earlier one.
    pub doubled_faces: Vec<u32>,
    /// Edges at which more than two faces meet.
    pub crowded_edges: Vec<[u32; 2]>,
    /// Connected parts whose faces look inward.
    pub inside_out: Vec<usize>,
}

/// Looks a surface over (`positions` welded, metres).
///
/// ```
/// use tin_cloak_core::{intake::look_over, mesh::Topology, shapes::tube};
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 24, 8, 1.0);
/// let facts = look_over(&Topology::of_welded(positions.len(), &triangles), &positions);
/// assert_eq!(facts.openings.len(), 2);
/// assert!((facts.openings[0].width() - 0.1).abs() < 0.001);
/// ```
pub fn look_over(topology: &Topology, positions: &[Vec3]) -> SurfaceFacts {
    let triangles = &topology.triangles;
    let empty =
        |t: &[u32; 3]| t[0] == t[1] || t[1] == t[2] || t[2] == t[0] || triangle_area(positions, *t) == 0.0;
    let empty_faces = (0..triangles.len() as u32).filter(|&f| empty(&triangles[f as usize])).collect();
    SurfaceFacts {
        openings: openings(topology, positions),
        empty_faces,
        doubled_faces: doubled(triangles),
        crowded_edges: crowded(triangles),
        inside_out: inside_out(topology, positions),
    }
}

fn openings(topology: &Topology, positions: &[Vec3]) -> Vec<Opening> {
    let at = |v: u32| positions[v as usize];
    let mut list: Vec<Opening> = topology
        .boundary_loops()
        .into_iter()
        .map(|vertices| {
            let next = vertices.iter().cycle().skip(1);
            let length = vertices.iter().zip(next).map(|(&a, &b)| at(a).distance(at(b))).sum();
            let middle = vertices.iter().map(|&v| at(v)).sum::<Vec3>() / vertices.len() as f32;
            Opening { vertices, middle, length }
        })
        .collect();
    list.sort_by(|a, b| b.length.total_cmp(&a.length));
    list
}

fn sorted(mut t: [u32; 3]) -> [u32; 3] {
    t.sort_unstable();
    t
}

fn doubled(triangles: &[[u32; 3]]) -> Vec<u32> {
    let mut first: HashMap<[u32; 3], u32> = HashMap::with_capacity(triangles.len());
    (0..triangles.len() as u32)
        .filter(|&f| *first.entry(sorted(triangles[f as usize])).or_insert(f) != f)
        .collect()
}

fn crowded(triangles: &[[u32; 3]]) -> Vec<[u32; 2]> {
    let mut count: HashMap<[u32; 2], u32> = HashMap::with_capacity(triangles.len() * 2);
    for t in triangles.iter().filter(|t| t[0] != t[1] && t[1] != t[2] && t[2] != t[0]) {
        for (a, b) in [(t[0], t[1]), (t[1], t[2]), (t[2], t[0])] {
            *count.entry([a.min(b), a.max(b)]).or_default() += 1;
        }
    }
    let mut list: Vec<[u32; 2]> = count.into_iter().filter(|e| e.1 > 2).map(|e| e.0).collect();
    list.sort_unstable();
    list
}

/// Parts whose enclosed volume is negative, measured from their own middle (so that a part with
/// a hole is judged by what it nearly encloses). Flat parts enclose nothing and are let pass.
fn inside_out(topology: &Topology, positions: &[Vec3]) -> Vec<usize> {
    let shell = |t: &[u32; 3]| topology.shell_of_vertex[t[0] as usize] as usize;
    let mut middle = vec![(Vec3::ZERO, 0.0f32); topology.shells];
    for (v, p) in positions.iter().enumerate() {
        let m = &mut middle[topology.shell_of_vertex[v] as usize];
        *m = (m.0 + *p, m.1 + 1.0);
    }
    let (mut volume, mut area) = (vec![0.0f32; topology.shells], vec![0.0f32; topology.shells]);
    for t in &topology.triangles {
        let s = shell(t);
        let from = middle[s].0 / middle[s].1.max(1.0);
        let [a, b, c] = t.map(|v| positions[v as usize] - from);
        volume[s] += a.dot(b.cross(c)) / 6.0;
        area[s] += triangle_area(positions, *t);
    }
    // A thousandth of what a ball of that area would hold.
    let noise = |s: usize| (area[s] / 12.57).powf(1.5) * 4.19e-3;
    (0..topology.shells).filter(|&s| volume[s] < -noise(s)).collect()
}

/// True when a face has nothing on the other side of one of its edges.
pub(super) fn is_open(across: &[u32; 3]) -> bool {
    across.contains(&NO_TRIANGLE)
}
