//! The cloak: a soft back, and scales of tin sewn on it.

use crate::figure::trunk;
use crate::plate::add_tablet;
use crate::remesh::Shape3;
use crate::sdf::{flat_cone, join, surface_along};
use glam::Vec3;

const COLUMNS: usize = 72;
const ROWS: usize = 110;
const TOP: f32 = 1.405;
const HEM: f32 = 0.50;

/// Scales in a row, and rows of them.
const SCALES: usize = 12;
const SCALE_ROWS: usize = 12;

fn form(p: Vec3) -> f32 {
    let skirt = flat_cone(
        p,
        Vec3::new(0.0, 1.02, -0.006),
        Vec3::new(0.0, 0.40, 0.0),
        0.125,
        0.205,
        Vec3::new(1.32, 1.0, 0.82),
    );
    join(trunk(p), skirt, 0.06)
}

/// `u` from −1 (right edge) to 1 (left edge), `v` from 0 (hem) to 1 (top): the place, and the way out.
fn place(u: f32, v: f32) -> (Vec3, Vec3) {
    let y = HEM + (TOP - HEM) * v;
    let angle = u * (0.82 - 0.10 * v);
    let direction = Vec3::new(angle.sin(), 0.0, -angle.cos());
    let axis = Vec3::new(0.0, y, -0.012);
    // Folds that open towards the hem.
    let fold = 0.008 * (u * 15.0).cos() * (1.0 - v).powi(2);
    let distance = surface_along(&form, axis, direction) + 0.042 + fold;
    (axis + direction * distance, direction)
}

/// A frame on the cloth: place, out, across (to the left edge), up.
fn frame(u: f32, v: f32) -> (Vec3, Vec3, Vec3, Vec3) {
    const H: f32 = 0.004;
    let p = place(u, v).0;
    let across = (place(u + H, v).0 - place(u - H, v).0).normalize();
    let up = (place(u, v + H).0 - place(u, v - H).0).normalize();
    let out = up.cross(across).normalize();
    (p, out, across, up)
}

/// The cloak, unbound, at rest: the cloth first, then the scales.
pub(crate) fn cloak() -> Shape3 {
    let mut shape = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    for r in 0..=ROWS {
        for c in 0..=COLUMNS {
            let (u, v) = (c as f32 / COLUMNS as f32 * 2.0 - 1.0, r as f32 / ROWS as f32);
            shape.positions.push(place(u, v).0);
        }
    }
    let at = |r: usize, c: usize| (r * (COLUMNS + 1) + c) as u32;
    for r in 0..ROWS {
        for c in 0..COLUMNS {
            // Outside is behind: seen from there the left edge is on the left.
            let [a, b, c, d] = [at(r, c + 1), at(r, c), at(r + 1, c), at(r + 1, c + 1)];
            shape.triangles.extend([[a, b, c], [a, c, d]]);
        }
    }
    for row in 0..SCALE_ROWS {
        for column in 0..SCALES - row % 2 {
            let u = ((column as f32 + 0.5 + 0.5 * (row % 2) as f32) / SCALES as f32 * 2.0 - 1.0) * 0.96;
            scale(&mut shape, u, 0.30 + 0.66 * row as f32 / (SCALE_ROWS - 1) as f32, row % 2 == 1);
        }
    }
    shape
}

/// A shield with its tip down, off the cloth, every other row further so that they overlap.
fn scale(shape: &mut Shape3, u: f32, v: f32, further: bool) {
    let (p, out, across, up) = frame(u, v);
    let tilted = (up * 0.995 + out * 0.02).normalize();
    let base = p + out * if further { 0.0045 } else { 0.0020 };
    const OUTLINE: [(f32, f32); 9] = [
        (-0.0125, 0.024),
        (-0.0135, 0.004),
        (-0.0105, -0.010),
        (-0.0055, -0.020),
        (0.0, -0.024),
        (0.0055, -0.020),
        (0.0105, -0.010),
        (0.0135, 0.004),
        (0.0125, 0.024),
    ];
    // Seen from behind, `across` points to the left: counter-clockwise is as listed from the end.
    let outline: Vec<Vec3> = OUTLINE.iter().rev().map(|(x, y)| base + across * *x + tilted * *y).collect();
    add_tablet(shape, &outline, out, 0.0012, 0.0012);
}
