//! The pauldrons: a cop over the shoulder and a lame that hangs from it by a hinge.

use crate::figure::{arm, trunk, LOWER_ARM, UPPER_ARM};
use crate::plate::add_plate;
use crate::remesh::Shape3;
use crate::sdf::{gradient, join, surface_along};
use crate::skeleton::BodySide;
use glam::Vec3;

const AROUND: usize = 40;
const ALONG: usize = 14;

fn form(p: Vec3) -> f32 {
    join(trunk(p), arm(p), 0.06)
}

/// A place `along` the arm (metres from the shoulder joint) and `turn` radians about it from the
/// outside, with the normal there.
fn place(along: f32, turn: f32, off: f32) -> (Vec3, Vec3) {
    let axis = (LOWER_ARM - UPPER_ARM).normalize();
    let outside = (Vec3::Y - axis * axis.y).normalize();
    let direction = outside * turn.cos() + Vec3::Z * turn.sin();
    let start = UPPER_ARM + axis * along;
    let on_form = start + direction * surface_along(&form, start, direction);
    let normal = gradient(&form, on_form).normalize_or(direction);
    (on_form + normal * off, normal)
}

fn grid(from: f32, to: f32, width: f32, off: f32) -> Vec<(Vec3, Vec3)> {
    let one = |r: usize, c: usize| {
        let turn = width * (1.0 - 2.0 * c as f32 / AROUND as f32);
        // Towards its edges a plate is cut away.
        let t = r as f32 / ALONG as f32;
        let trimmed = from + (to - from) * (0.5 + (t - 0.5) * (1.0 - 0.25 * (turn / width).powi(2)));
        place(trimmed, turn, off)
    };
    // Up is towards the shoulder.
    (0..=ALONG).rev().flat_map(|r| (0..=AROUND).map(move |c| (r, c))).map(|(r, c)| one(r, c)).collect()
}

/// Where the lame of the left pauldron turns, and the end of it.
pub(crate) fn hinge() -> (Vec3, Vec3) {
    (place(0.050, 0.0, 0.039).0, place(0.125, 0.0, 0.042).0)
}

/// How many vertices the cop has; the lame's come after them.
pub(crate) const COP: usize = 2 * (ALONG + 1) * (AROUND + 1);

/// One pauldron, unbound, at rest.
pub(crate) fn pauldron(side: BodySide) -> Shape3 {
    let mut shape = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    add_plate(&mut shape, &grid(-0.030, 0.066, 1.15, 0.036), AROUND + 1, 0.002);
    add_plate(&mut shape, &grid(0.046, 0.125, 1.05, 0.0405), AROUND + 1, 0.002);
    if side == BodySide::Right {
        shape.positions.iter_mut().for_each(|p| p.x = -p.x);
        shape.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    }
    shape
}
