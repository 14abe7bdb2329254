//! The oil hose: from the can on the back over the left shoulder to the chest.

use crate::figure::{body, trunk};
use crate::lantern::add_rings;
use crate::remesh::Shape3;
use crate::sdf::{join, project, round_cone};
use glam::Vec3;
use std::f32::consts::TAU;

const ALONG: usize = 90;
const AROUND: usize = 14;
const RADIUS: f32 = 0.0085;

fn form(p: Vec3) -> f32 {
    let neck = round_cone(p, Vec3::new(0.0, 1.40, -0.034), Vec3::new(0.0, 1.50, -0.012), 0.058, 0.055);
    join(trunk(p), neck, 0.06).min(body(p) + 0.01)
}

/// The middle of the hose, from back (0) to chest (1): an arc over the shoulder, held off the form.
fn middle(t: f32) -> Vec3 {
    let angle = (t - 0.5) * 3.6;
    let arc = Vec3::new(0.085 - 0.02 * t, 1.245 + 0.19 * angle.cos(), -0.02 + 0.16 * angle.sin());
    project(&form, arc, 0.052, 6)
}

/// The hose, unbound, at rest.
pub(crate) fn hose() -> Shape3 {
    let mut shape = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    let points: Vec<Vec3> = (0..=ALONG).map(|i| middle(i as f32 / ALONG as f32)).collect();
    let along = |i: usize| (points[(i + 1).min(ALONG)] - points[i.saturating_sub(1)]).normalize();
    // Carried along the curve without twist.
    let mut side = along(0).any_orthonormal_vector();
    let mut rings = Vec::new();
    for (i, p) in points.iter().enumerate() {
        let axis = along(i);
        side = (side - axis * side.dot(axis)).normalize();
        let other = axis.cross(side);
        let ring = |k: usize| {
            let (s, c) = (TAU * k as f32 / AROUND as f32).sin_cos();
            *p + (side * c + other * s) * RADIUS
        };
        rings.push((0..AROUND).map(ring).collect());
    }
    add_rings(&mut shape, &rings, true);
    shape
}
