//! The tin breastplate: a closed plate three millimetres thick.

use crate::body::smooth;
use crate::figure::trunk;
use crate::plate::add_plate;
use crate::remesh::Shape3;
use crate::sdf::{ellipsoid, gradient, join, surface_along};
use glam::Vec3;

const ACROSS: usize = 64;
const UP: usize = 48;
const THICKNESS: f32 = 0.003;

/// The chest with its muscles smoothed over: plates are not beaten to every rib.
fn form(p: Vec3) -> f32 {
    let barrel = ellipsoid(p, Vec3::new(0.0, 1.25, -0.008), Vec3::new(0.152, 0.30, 0.112));
    join(trunk(p), barrel, 0.08)
}

/// Off the form: room for the tunic, and a ridge down the middle.
fn ease(u: f32, v: f32) -> f32 {
    let ridge = smooth(0.35, 0.0, u.abs()) * 0.010 * smooth(0.0, 0.25, v) * smooth(1.0, 0.8, v);
    0.0150 + ridge
}

/// `u` from −1 (right edge) to 1 (left edge), `v` from 0 (waist) to 1 (top).
fn inner_point(u: f32, v: f32) -> (Vec3, Vec3) {
    // Edges are cut away under the arms; the neckline dips in the middle.
    let top = 1.362 - 0.022 * smooth(0.5, 0.0, u.abs()) - 0.105 * smooth(0.42, 1.0, u.abs());
    let bottom = 1.092 - 0.022 * smooth(0.5, 0.0, u.abs());
    let y = bottom + (top - bottom) * v;
    let angle = u * 1.06;
    let direction = Vec3::new(angle.sin(), 0.0, angle.cos());
    let axis = Vec3::new(0.0, y, -0.012);
    let on_form = axis + direction * surface_along(&form, axis, direction);
    let normal = gradient(&form, on_form).normalize_or(direction);
    (on_form + normal * ease(u, v), normal)
}

/// The breastplate, unbound, at rest.
pub(crate) fn breastplate() -> Shape3 {
    let mut shape = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    let grid: Vec<(Vec3, Vec3)> = (0..=UP)
        .flat_map(|r| (0..=ACROSS).map(move |c| (r, c)))
        .map(|(r, c)| inner_point(c as f32 / ACROSS as f32 * 2.0 - 1.0, r as f32 / UP as f32))
        .collect();
    add_plate(&mut shape, &grid, ACROSS + 1, THICKNESS);
    shape
}
