//! The lantern that hangs on the belt: base, roof and four posts of tin, a glass, a ring. As it
//! comes it hangs ten centimetres off the hip.

use crate::remesh::Shape3;
use glam::{Quat, Vec3};
use std::f32::consts::TAU;

/// Middle of its base as it comes; on the hip it would be ten centimetres further in.
const BASE: Vec3 = Vec3::new(0.312, 0.800, 0.010);
const AROUND: usize = 32;

/// Joins rings of the same number of points to a closed tube or, when `ends`, a closed solid.
pub(crate) fn add_rings(shape: &mut Shape3, rings: &[Vec<Vec3>], ends: bool) {
    let first = shape.positions.len() as u32;
    let count = rings[0].len() as u32;
    shape.positions.extend(rings.iter().flatten());
    let at = |ring: u32, i: u32| first + ring * count + i % count;
    let last = rings.len() as u32;
    let pairs = if ends { last - 1 } else { last };
    for r in 0..pairs {
        for i in 0..count {
            let [a, b, c, d] = [at(r, i), at(r, i + 1), at((r + 1) % last, i + 1), at((r + 1) % last, i)];
            shape.triangles.extend([[a, b, c], [a, c, d]]);
        }
    }
    if ends {
        for i in 1..count - 1 {
            shape.triangles.push([at(0, 0), at(0, i + 1), at(0, i)]);
            shape.triangles.push([at(last - 1, 0), at(last - 1, i), at(last - 1, i + 1)]);
        }
    }
}

/// A solid turned about the upward axis through the middle of the base: (height, radius) from
/// bottom to top.
fn turned(shape: &mut Shape3, profile: &[(f32, f32)]) {
    let point = |(y, r): (f32, f32), i: usize| {
        let angle = -TAU * i as f32 / AROUND as f32;
        BASE + Vec3::new(r * angle.cos(), y, r * angle.sin())
    };
    let rings: Vec<Vec<Vec3>> = profile.iter().map(|&p| (0..AROUND).map(|i| point(p, i)).collect()).collect();
    add_rings(shape, &rings, true);
}

fn post(shape: &mut Shape3, quarter: usize) {
    let turn = Quat::from_rotation_y(TAU * (quarter as f32 + 0.5) / 4.0);
    let square = |y: f32| -> Vec<Vec3> {
        let corner = |(x, z): (f32, f32)| BASE + turn * Vec3::new(0.037 + x * 0.0025, y, z * 0.0025);
        [(-1.0, -1.0), (-1.0, 1.0), (1.0, 1.0), (1.0, -1.0)].map(corner).to_vec()
    };
    add_rings(shape, &(0..=8).map(|i| square(0.012 + 0.104 * i as f32 / 8.0)).collect::<Vec<_>>(), true);
}

fn ring(shape: &mut Shape3) {
    let middle = BASE + Vec3::new(0.0, 0.170, 0.0);
    let circle = |i: usize| -> Vec<Vec3> {
        let (sin, cos) = (TAU * i as f32 / AROUND as f32).sin_cos();
        let out = Vec3::new(0.0, cos, sin);
        let around = |k: usize| {
            let (s, c) = (TAU * k as f32 / 10.0).sin_cos();
            middle + out * (0.017 + 0.0028 * c) - Vec3::X * 0.0028 * s
        };
        (0..10).map(around).collect()
    };
    add_rings(shape, &(0..AROUND).map(circle).collect::<Vec<_>>(), false);
}

/// Where it swings: the top of its ring.
pub(crate) fn hook() -> Vec3 {
    BASE + Vec3::new(0.0, 0.187, 0.0)
}

/// The lantern, unbound.
pub(crate) fn lantern() -> Shape3 {
    let mut shape = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    turned(&mut shape, &[(0.0, 0.030), (0.0, 0.043), (0.006, 0.045), (0.012, 0.043), (0.012, 0.034)]);
    turned(&mut shape, &[(0.0125, 0.031), (0.064, 0.033), (0.1155, 0.031)]);
    (0..4).for_each(|quarter| post(&mut shape, quarter));
    turned(
        &mut shape,
        &[(0.116, 0.036), (0.116, 0.045), (0.121, 0.046), (0.138, 0.020), (0.150, 0.012), (0.153, 0.006)],
    );
    ring(&mut shape);
    shape
}
