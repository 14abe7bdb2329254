//! Normals, areas and boxes.

use super::{Csr, Topology};
use glam::Vec3;
use rayon::prelude::*;

/// Lowest and highest corner of the box round `points`; zero for none.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mesh::bounds};
///
/// assert_eq!(bounds(&[Vec3::X, Vec3::NEG_Y]), (Vec3::NEG_Y, Vec3::X));
/// ```
pub fn bounds(points: &[Vec3]) -> (Vec3, Vec3) {
    let Some(&first) = points.first() else { return (Vec3::ZERO, Vec3::ZERO) };
    points.iter().fold((first, first), |(low, high), &p| (low.min(p), high.max(p)))
}

/// Unit normal of a triangle; zero when it has no area.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mesh::face_normal};
///
/// assert_eq!(face_normal(&[Vec3::ZERO, Vec3::X, Vec3::Y], [0, 1, 2]), Vec3::Z);
/// ```
pub fn face_normal(positions: &[Vec3], triangle: [u32; 3]) -> Vec3 {
    let [a, b, c] = triangle.map(|v| positions[v as usize]);
    (b - a).cross(c - a).normalize_or_zero()
}

/// Area of a triangle in square metres.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mesh::triangle_area};
///
/// assert_eq!(triangle_area(&[Vec3::ZERO, Vec3::X * 2.0, Vec3::Y], [0, 1, 2]), 1.0);
/// ```
pub fn triangle_area(positions: &[Vec3], triangle: [u32; 3]) -> f32 {
    let [a, b, c] = triangle.map(|v| positions[v as usize]);
    (b - a).cross(c - a).length() * 0.5
}

/// Area-weighted unit vertex normals, one a position; zero for a vertex without faces.
///
/// ```
/// use tin_cloak_core::{mesh::vertex_normals, shapes::sphere};
///
/// let (positions, triangles) = sphere(1.0, 32);
/// let normals = vertex_normals(&positions, &triangles);
/// assert!(positions.iter().zip(normals).all(|(p, n)| p.dot(n) > 0.99), "outward");
/// ```
pub fn vertex_normals(positions: &[Vec3], triangles: &[[u32; 3]]) -> Vec<Vec3> {
    let mut sums = vec![Vec3::ZERO; positions.len()];
    for t in triangles {
        let [a, b, c] = t.map(|v| positions[v as usize]);
        let normal = (b - a).cross(c - a);
        for &v in t {
            sums[v as usize] += normal;
        }
    }
    for n in &mut sums {
        *n = n.normalize_or_zero();
    }
    sums
}

/// The area-weighted unit normal of one welded vertex; zero when it has no faces.
///
/// ```
/// use tin_cloak_core::{mesh::{vertex_normal, Topology}, shapes::sphere};
///
/// let (positions, triangles) = sphere(1.0, 32);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// assert!(vertex_normal(&positions, &topology, 0).y > 0.999);
/// ```
pub fn vertex_normal(positions: &[Vec3], topology: &Topology, v: usize) -> Vec3 {
    let mut sum = Vec3::ZERO;
    for &t in topology.incident.row(v) {
        let [a, b, c] = topology.triangles[t as usize].map(|v| positions[v as usize]);
        sum += (b - a).cross(c - a);
    }
    sum.normalize_or_zero()
}

/// The same into `out` (one a position), gathering each vertex's triangles from `incident`,
/// so that it runs in parallel with the same bytes on any number of threads.
///
/// ```
/// use tin_cloak_core::mesh::{vertex_normals, vertex_normals_into, Topology};
/// use tin_cloak_core::{glam::Vec3, shapes::sphere};
///
/// let (positions, triangles) = sphere(1.0, 16);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let mut normals = vec![Vec3::ZERO; positions.len()];
/// vertex_normals_into(&positions, &triangles, &topology.incident, &mut normals);
/// assert_eq!(normals, vertex_normals(&positions, &triangles));
/// ```
pub fn vertex_normals_into(positions: &[Vec3], triangles: &[[u32; 3]], incident: &Csr, out: &mut [Vec3]) {
    out.par_iter_mut().with_min_len(1024).enumerate().for_each(|(v, normal)| {
        let mut sum = Vec3::ZERO;
        for &t in incident.row(v) {
            let [a, b, c] = triangles[t as usize].map(|v| positions[v as usize]);
            sum += (b - a).cross(c - a);
        }
        *normal = sum.normalize_or_zero();
    });
}
