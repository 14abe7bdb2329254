//! The coat's buttons, a mesh of their own: they lie on the coat as it is at rest.

use crate::plate::add_tablet;
use crate::remesh::Shape3;
use glam::Vec3;
use std::f32::consts::TAU;
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::query::Bvh;

const BUTTONS: usize = 5;
const RADIUS: f32 = 0.0105;

/// Five of tin down the left front of `coat` (at rest).
pub(crate) fn buttons(coat: &Shape3) -> Shape3 {
    let tree = Bvh::build(&coat.positions, &coat.triangles);
    let mut shape = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    let topology = Topology::of_welded(coat.positions.len(), &coat.triangles);
    let edge: Vec<Vec3> = (0..coat.positions.len())
        .filter(|&v| topology.on_boundary[v])
        .map(|v| coat.positions[v])
        .filter(|p| p.x > 0.0 && p.x < 0.15 && p.z > 0.02)
        .collect();
    for i in 0..BUTTONS {
        let height = 0.66 + 0.085 * i as f32;
        let off = |p: &Vec3| (p.y - height).abs();
        let Some(beside) = edge.iter().min_by(|a, b| off(a).total_cmp(&off(b))) else { continue };
        let from = Vec3::new(beside.x + 0.018, height, 0.6);
        let Some(hit) = tree.ray(from, Vec3::NEG_Z, 0.0, 1.0, |_, _| true) else { continue };
        let out = tin_cloak_core::mesh::face_normal(&coat.positions, coat.triangles[hit.triangle as usize]);
        let out = if out.z < 0.0 { -out } else { out };
        let base = from + Vec3::NEG_Z * hit.distance + out * 0.0022;
        let across = Vec3::Y.cross(out).normalize();
        let up = out.cross(across);
        let rim = |k: usize| {
            let (s, c) = (TAU * k as f32 / 20.0).sin_cos();
            base + (across * c + up * s) * RADIUS
        };
        add_tablet(&mut shape, &(0..20).map(rim).collect::<Vec<_>>(), out, 0.0022, 0.0015);
    }
    shape
}
