//! Where Wick's mesh is finer: hands and head.
//!
//! The mesh is made in a space in which they are drawn larger, each spreading away from its wrist
//! or neck like a cone, and carried back: one even grid, one mesh without seams.

use crate::body::smooth;
use crate::figure::{HAND, HAND_TIP};
use glam::Vec3;

/// How many times finer.
const HAND_FINER: f32 = 2.9;
const HEAD_FINER: f32 = 1.95;
/// Where the neck starts to be finer, and over which height.
const NECK: (f32, f32) = (1.475, 0.06);
const WRIST: (f32, f32) = (-0.035, 0.06);

/// A place of the drawn-out space in the model.
pub(crate) fn in_model(u: Vec3) -> Vec3 {
    let head = narrowed(u, Vec3::new(0.0, NECK.0, -0.008), Vec3::Y, NECK.1, HEAD_FINER);
    let left = Vec3::new(head.x.abs(), head.y, head.z);
    let along = (HAND_TIP - HAND).normalize();
    let hand = narrowed(left, HAND + along * WRIST.0, along, WRIST.1, HAND_FINER);
    // Legs and feet lie beyond the wrist too.
    let p = left.lerp(hand, smooth(0.26, 0.36, left.x));
    Vec3::new(p.x * u.x.signum(), p.y, p.z)
}

/// From `start` on along `axis` everything gets smaller, `finer` times from `over` metres on.
fn narrowed(p: Vec3, start: Vec3, axis: Vec3, over: f32, finer: f32) -> Vec3 {
    let t = (p - start).dot(axis);
    if t <= 0.0 {
        return p;
    }
    let aside = p - start - axis * t;
    let least = 1.0 / finer;
    let share = (t / over).min(1.0);
    // The integral of a scale that falls evenly from 1 to the least.
    let falling = share * over * (1.0 - (1.0 - least) * share * 0.5);
    let along = falling + (t - over).max(0.0) * least;
    start + axis * along + aside * (1.0 - (1.0 - least) * share)
}
