//! Normals, areas and boxes.

use super::{Csr, Topology};
use glam::Vec3;
use rayon::prelude::*;

/// Lowest and highest corner of the box round `points`; zero for none.
pub fn bounds(points: &[Vec3]) -> (Vec3, Vec3) {
    let Some(&first) = points.first() else { return (Vec3::ZERO, Vec3::ZERO) };
    points.iter().fold((first, first), |(low, high), &p| (low.min(p), high.max(p)))
}

/// Unit normal of a triangle; zero when it has no area.
pub fn face_normal(positions: &[Vec3], triangle: [u32; 3]) -> Vec3 {
    let [a, b, c] = triangle.map(|v| positions[v as usize]);
    (b - a).cross(c - a).normalize_or_zero()
}

/// Area of a triangle in square metres.
pub fn triangle_area(positions: &[Vec3], triangle: [u32; 3]) -> f32 {
    let [a, b, c] = triangle.map(|v| positions[v as usize]);
    (b - a).cross(c - a).length() * 0.5
}

/// Area-weighted unit vertex normals, one a position; zero for a vertex without faces.
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
