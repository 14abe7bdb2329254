//! Wick's head: a face of planes on a plain neck.

use crate::sdf::{cut, ellipsoid, join, round_cone};
use glam::Vec3;

const fn v(x: f32, y: f32, z: f32) -> Vec3 {
    Vec3::new(x, y, z)
}

/// Takes `b` out of `a`, its edge rounded by `k`.
fn without(a: f32, b: f32, k: f32) -> f32 {
    cut(a, -b, k)
}

fn skull(p: Vec3) -> f32 {
    let mut d = ellipsoid(p, v(0.0, 1.636, -0.014), v(0.073, 0.088, 0.095));
    // The forehead is a plane of its own, and so are the temples.
    d = join(d, ellipsoid(p, v(0.0, 1.650, 0.032), v(0.052, 0.042, 0.044)), 0.03);
    d = join(d, ellipsoid(p, v(0.0, 1.570, 0.022), v(0.051, 0.070, 0.058)), 0.04);
    without(d, ellipsoid(p, v(0.104, 1.635, 0.052), v(0.040, 0.040, 0.046)), 0.03)
}

fn jaw(p: Vec3) -> f32 {
    let side = round_cone(p, v(0.047, 1.556, -0.004), v(0.016, 1.517, 0.066), 0.019, 0.014);
    let chin = ellipsoid(p, v(0.0, 1.516, 0.074), v(0.018, 0.0135, 0.0145));
    join(side, chin, 0.016)
}

fn brow_and_cheeks(p: Vec3) -> f32 {
    let brow = round_cone(p, v(0.010, 1.6245, 0.0785), v(0.046, 1.6225, 0.0550), 0.0105, 0.0095);
    let bone = ellipsoid(p, v(0.042, 1.582, 0.048), v(0.021, 0.0160, 0.026));
    let cheek = ellipsoid(p, v(0.032, 1.552, 0.030), v(0.026, 0.034, 0.036));
    join(brow, join(bone, cheek, 0.03), 0.008)
}

fn nose(p: Vec3) -> f32 {
    let bridge = round_cone(p, v(0.0, 1.615, 0.0790), v(0.0, 1.579, 0.0955), 0.0090, 0.0115);
    let wing = ellipsoid(p, v(0.0105, 1.5745, 0.0885), v(0.0095, 0.0085, 0.0120));
    join(bridge, wing, 0.010)
}

fn mouth(p: Vec3) -> f32 {
    let upper = round_cone(p, v(0.003, 1.5500, 0.0850), v(0.021, 1.5455, 0.0750), 0.0080, 0.0055);
    let lower = round_cone(p, v(0.0, 1.5350, 0.0825), v(0.016, 1.5385, 0.0750), 0.0085, 0.0060);
    join(upper, lower, 0.002)
}

fn ear(p: Vec3) -> f32 {
    // Leaning back and standing off a little.
    let q = p - v(0.0745, 1.594, -0.014);
    let q = v(q.x + q.z * 0.35, q.y, q.z - q.x * 0.35 + q.y * 0.18);
    let shell = ellipsoid(q, Vec3::ZERO, v(0.0100, 0.0320, 0.0190));
    without(shell, ellipsoid(q, v(0.0095, 0.003, 0.003), v(0.0070, 0.0185, 0.0110)), 0.006)
}

/// The solid of the neck and the head.
pub(crate) fn neck_and_head(p: Vec3) -> f32 {
    let p = v(p.x.abs(), p.y, p.z);
    let neck = round_cone(p, v(0.0, 1.40, -0.034), v(0.0, 1.55, -0.014), 0.058, 0.052);
    let far = p.distance(v(0.0, 1.61, 0.0)) - 0.16;
    if far > 0.1 {
        return join(neck, far, 0.02);
    }
    let mut head = join(skull(p), jaw(p), 0.022);
    head = join(head, brow_and_cheeks(p), 0.022);
    head = without(head, ellipsoid(p, v(0.0310, 1.6025, 0.0860), v(0.0200, 0.0120, 0.0170)), 0.016);
    head = join(head, ellipsoid(p, v(0.0305, 1.6025, 0.0630), v(0.0140, 0.0120, 0.0125)), 0.006);
    head = join(head, nose(p), 0.014);
    head = join(head, mouth(p), 0.010);
    head = join(head, ear(p), 0.008);
    join(neck, head, 0.03)
}
