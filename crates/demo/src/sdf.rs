//! Signed distances of simple solids and their smooth union (metres; negative inside).

use glam::Vec3;

/// A cone with rounded ends from `a` (radius `ra`) to `b` (radius `rb`).
pub(crate) fn round_cone(p: Vec3, a: Vec3, b: Vec3, ra: f32, rb: f32) -> f32 {
    let ba = b - a;
    let l2 = ba.length_squared();
    let rr = ra - rb;
    let a2 = l2 - rr * rr;
    let il2 = 1.0 / l2;
    let pa = p - a;
    let y = pa.dot(ba);
    let z = y - l2;
    let x2 = (pa * l2 - ba * y).length_squared();
    let y2 = y * y * l2;
    let z2 = z * z * l2;
    let k = rr.signum() * rr * rr * x2;
    if z.signum() * a2 * z2 > k {
        return (x2 + z2).sqrt() * il2 - rb;
    }
    if y.signum() * a2 * y2 < k {
        return (x2 + y2).sqrt() * il2 - ra;
    }
    ((x2 * a2 * il2).sqrt() + y * rr) * il2 - ra
}

/// The same, flattened: `squash` scales the solid per axis about `a`.
pub(crate) fn flat_cone(p: Vec3, a: Vec3, b: Vec3, ra: f32, rb: f32, squash: Vec3) -> f32 {
    let q = a + (p - a) / squash;
    let c = a + (b - a) / squash;
    round_cone(q, a, c, ra, rb) * squash.min_element()
}

/// An ellipsoid (a close bound of the distance near its surface).
pub(crate) fn ellipsoid(p: Vec3, centre: Vec3, radii: Vec3) -> f32 {
    let q = p - centre;
    let k0 = (q / radii).length();
    let k1 = (q / (radii * radii)).length();
    if k1 < 1e-6 {
        return -radii.min_element();
    }
    k0 * (k0 - 1.0) / k1
}

/// Smooth union: melts `a` and `b` together where they are nearer than `k`.
pub(crate) fn join(a: f32, b: f32, k: f32) -> f32 {
    let h = (k - (a - b).abs()).max(0.0) / k;
    a.min(b) - h * h * k * 0.25
}

/// Smooth intersection.
pub(crate) fn cut(a: f32, b: f32, k: f32) -> f32 {
    -join(-a, -b, k)
}

/// Gradient by central differences.
pub(crate) fn gradient(f: &impl Fn(Vec3) -> f32, p: Vec3) -> Vec3 {
    const H: f32 = 0.0008;
    let d = |axis: Vec3| f(p + axis * H) - f(p - axis * H);
    Vec3::new(d(Vec3::X), d(Vec3::Y), d(Vec3::Z)) / (2.0 * H)
}

/// Moves `p` onto the level `f = level` along the gradient, in `steps` steps.
pub(crate) fn project(f: &impl Fn(Vec3) -> f32, mut p: Vec3, level: f32, steps: usize) -> Vec3 {
    for _ in 0..steps {
        let off = f(p) - level;
        if off.abs() < 2e-5 {
            break;
        }
        let g = gradient(f, p);
        p -= g * (off / g.length_squared().max(0.05)).clamp(-0.03, 0.03);
    }
    p
}

/// How far from `start` (inside) along `direction` the solid ends.
pub(crate) fn surface_along(solid: &impl Fn(Vec3) -> f32, start: Vec3, direction: Vec3) -> f32 {
    let inside = |t: f32| solid(start + direction * t) < 0.0;
    let mut outer = 0.0;
    while inside(outer) && outer < 1.0 {
        outer += 0.008;
    }
    let mut inner = outer - 0.008;
    for _ in 0..12 {
        let middle = (inner + outer) * 0.5;
        *(if inside(middle) { &mut inner } else { &mut outer }) = middle;
    }
    inner.max(0.0)
}
