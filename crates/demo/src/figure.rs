//! Wick's figure: where the joints are, and the solids he is made of.
//!
//! Proportions of an adult of 1.72 m: the head is about 1/7.5 of the height, the hip joint a
//! little above half, the wrist level with the top of the thigh when the arm hangs (common
//! practice in figure drawing, no source). Metres, Y up, facing +Z, left is +X.

use crate::hand::hand;
use crate::head::neck_and_head;
use crate::sdf::{cut, ellipsoid, flat_cone, join, round_cone};
use glam::Vec3;

const fn v(x: f32, y: f32, z: f32) -> Vec3 {
    Vec3::new(x, y, z)
}

pub(crate) const HIPS: Vec3 = v(0.0, 0.945, -0.005);
pub(crate) const SPINE_1: Vec3 = v(0.0, 1.03, -0.012);
pub(crate) const SPINE_2: Vec3 = v(0.0, 1.14, -0.020);
pub(crate) const SPINE_3: Vec3 = v(0.0, 1.26, -0.028);
pub(crate) const NECK: Vec3 = v(0.0, 1.435, -0.030);
pub(crate) const HEAD: Vec3 = v(0.0, 1.52, -0.008);
pub(crate) const SHOULDER: Vec3 = v(0.03, 1.395, -0.01);
pub(crate) const UPPER_ARM: Vec3 = v(0.172, 1.385, -0.025);
pub(crate) const LOWER_ARM: Vec3 = v(0.345, 1.165, -0.035);
pub(crate) const HAND: Vec3 = v(0.497, 0.967, -0.012);
pub(crate) const HAND_TIP: Vec3 = v(0.604, 0.822, 0.012);
pub(crate) const UPPER_LEG: Vec3 = v(0.088, 0.905, -0.005);
pub(crate) const LOWER_LEG: Vec3 = v(0.100, 0.485, 0.002);
pub(crate) const FOOT: Vec3 = v(0.106, 0.085, -0.028);
pub(crate) const TOE: Vec3 = v(0.118, 0.022, 0.105);

/// Mirrors to +X: the left half is modelled, the right is its mirror image.
fn left(p: Vec3) -> Vec3 {
    v(p.x.abs(), p.y, p.z)
}

fn lerp(a: Vec3, b: Vec3, t: f32) -> Vec3 {
    a.lerp(b, t)
}

/// Trunk from the crotch to the root of the neck, without arms and legs.
pub(crate) fn trunk(p: Vec3) -> f32 {
    let p = left(p);
    let mut d = ellipsoid(p, v(0.0, 1.265, -0.012), v(0.146, 0.185, 0.104));
    d = join(d, ellipsoid(p, v(0.0, 1.09, -0.006), v(0.124, 0.15, 0.088)), 0.09);
    d = join(d, ellipsoid(p, v(0.0, 0.955, -0.008), v(0.150, 0.105, 0.100)), 0.08);
    // Chest, shoulder blades, the slope from neck to shoulder, seat.
    d = join(d, ellipsoid(p, v(0.068, 1.305, 0.052), v(0.082, 0.062, 0.044)), 0.04);
    d = join(d, ellipsoid(p, v(0.078, 1.31, -0.082), v(0.066, 0.085, 0.036)), 0.05);
    d = join(d, round_cone(p, v(0.0, 1.425, -0.035), v(0.150, 1.380, -0.028), 0.046, 0.042), 0.07);
    d = join(d, round_cone(p, v(0.145, 1.27, -0.045), v(0.105, 1.16, -0.03), 0.034, 0.03), 0.06);
    join(d, ellipsoid(p, v(0.066, 0.905, -0.062), v(0.078, 0.082, 0.068)), 0.045)
}

pub(crate) fn leg(p: Vec3) -> f32 {
    let p = left(p);
    let mut d = round_cone(p, v(0.090, 0.885, -0.004), v(0.099, 0.53, 0.003), 0.087, 0.050);
    d = join(d, ellipsoid(p, v(0.099, 0.70, 0.026), v(0.068, 0.17, 0.062)), 0.05);
    d = join(d, ellipsoid(p, v(0.084, 0.79, -0.012), v(0.066, 0.13, 0.07)), 0.05);
    d = join(d, round_cone(p, LOWER_LEG, v(0.105, 0.11, -0.03), 0.045, 0.032), 0.025);
    d = join(d, ellipsoid(p, v(0.100, 0.492, 0.018), v(0.040, 0.055, 0.036)), 0.03);
    d = join(d, ellipsoid(p, v(0.112, 0.36, -0.030), v(0.046, 0.115, 0.045)), 0.04);
    join(d, ellipsoid(p, v(0.092, 0.345, -0.028), v(0.042, 0.10, 0.043)), 0.04)
}

pub(crate) fn foot(p: Vec3) -> f32 {
    let p = left(p);
    let mut d = flat_cone(p, v(0.106, 0.036, -0.045), v(0.119, 0.028, 0.115), 0.038, 0.043, v(1.0, 0.8, 1.0));
    d = join(d, round_cone(p, v(0.106, 0.10, -0.026), v(0.112, 0.046, 0.07), 0.037, 0.030), 0.03);
    d = join(d, ellipsoid(p, v(0.117, 0.020, 0.150), v(0.045, 0.023, 0.056)), 0.03);
    d = join(d, ellipsoid(p, v(0.106, 0.088, -0.035), v(0.040, 0.024, 0.034)), 0.02);
    cut(d, -p.y, 0.014)
}

pub(crate) fn arm(p: Vec3) -> f32 {
    let p = left(p);
    let mut d = round_cone(p, UPPER_ARM, LOWER_ARM, 0.051, 0.036);
    d = join(d, ellipsoid(p, v(0.182, 1.367, -0.026), v(0.056, 0.068, 0.058)), 0.04);
    let biceps = lerp(UPPER_ARM, LOWER_ARM, 0.55) + v(0.0, 0.0, 0.012);
    d = join(d, round_cone(p, biceps, lerp(UPPER_ARM, LOWER_ARM, 0.8), 0.043, 0.036), 0.04);
    d = join(d, round_cone(p, LOWER_ARM, HAND, 0.035, 0.026), 0.02);
    let swell = lerp(LOWER_ARM, HAND, 0.24);
    join(d, round_cone(p, swell, lerp(LOWER_ARM, HAND, 0.5), 0.043, 0.034), 0.04)
}

/// The whole body.
pub(crate) fn body(p: Vec3) -> f32 {
    let legs = join(leg(p), foot(p), 0.03);
    let lower = join(trunk(p), legs, 0.045);
    let upper = join(lower, join(arm(p), hand(p), 0.02), 0.05);
    join(upper, neck_and_head(p), 0.05)
}
