//! Whether two triangles meet, decided exactly.

use glam::{DVec3, Vec3};
use robust::{orient2d, orient3d, Coord, Coord3D};

fn at(p: Vec3) -> Coord3D<f64> {
    Coord3D { x: f64::from(p.x), y: f64::from(p.y), z: f64::from(p.z) }
}

/// The sign of the volume of a, b, c, d.
fn side([a, b, c]: [Vec3; 3], d: Vec3) -> i8 {
    sign(orient3d(at(a), at(b), at(c), at(d)))
}

fn sign(x: f64) -> i8 {
    i8::from(x > 0.0) - i8::from(x < 0.0)
}

/// True when the triangles have a point in common, be it one of an edge or a corner; decided exactly for
/// the coordinates as they are (Shewchuk, “Adaptive Precision Floating-Point Arithmetic and Fast Robust
/// Geometric Predicates”, 1997; the cases are those of Guigue & Devillers, “Fast and robust
/// triangle–triangle overlap test using orientation predicates”, 2003).
///
/// ```
/// use tin_cloak_core::{glam::Vec3, query::triangles_meet};
///
/// let floor = [Vec3::ZERO, Vec3::X, Vec3::Z];
/// let post = [Vec3::new(0.2, -1.0, 0.2), Vec3::new(0.2, 1.0, 0.2), Vec3::new(0.3, 1.0, 0.2)];
/// assert!(triangles_meet(floor, post));
/// assert!(!triangles_meet(floor, post.map(|p| p + Vec3::X)));
/// // One without area bounds nothing: it is let be, and what is beside it tells of its edges.
/// assert!(!triangles_meet([Vec3::ZERO, Vec3::X * 0.5, Vec3::X], post));
/// ```
pub fn triangles_meet(a: [Vec3; 3], b: [Vec3; 3]) -> bool {
    let of_b = b.map(|p| side(a, p));
    if apart(of_b) || (of_b == [0; 3] && is_a_line(a)) {
        return false;
    }
    let of_a = a.map(|p| side(b, p));
    if apart(of_a) || (of_a == [0; 3] && is_a_line(b)) {
        return false;
    }
    let any_edge = |of: [Vec3; 3], sides: [i8; 3], other: [Vec3; 3]| {
        let ends = [(0, 1), (1, 2), (2, 0)];
        ends.iter().any(|&(p, q)| edge_meets([of[p], of[q]], [sides[p], sides[q]], other))
    };
    any_edge(b, of_b, a) || any_edge(a, of_a, b)
}

/// True of corners on one line, or in one place: seen along any axis they have no area.
fn is_a_line(t: [Vec3; 3]) -> bool {
    (0..3).all(|drop| {
        let (x, y) = ((drop + 1) % 3, (drop + 2) % 3);
        let [a, b, c] = t.map(|p| Coord { x: f64::from(p[x]), y: f64::from(p[y]) });
        orient2d(a, b, c) == 0.0
    })
}

/// All on one side of a plane, none on it.
fn apart(sides: [i8; 3]) -> bool {
    sides == [1; 3] || sides == [-1; 3]
}

/// Whether an edge, of whose ends it is known on which side of the triangle's plane they lie, has a point
/// in common with the triangle.
fn edge_meets([p, q]: [Vec3; 2], sides: [i8; 2], t: [Vec3; 3]) -> bool {
    if sides[0] * sides[1] > 0 {
        return false;
    }
    if sides == [0, 0] {
        return flat_edge_meets([p, q], t);
    }
    let around = [0, 1, 2].map(|k| sign(orient3d(at(p), at(q), at(t[k]), at(t[(k + 1) % 3]))));
    !(around.contains(&1) && around.contains(&-1))
}

/// The same in the plane of the triangle.
fn flat_edge_meets([p, q]: [Vec3; 2], t: [Vec3; 3]) -> bool {
    // Seen along the axis that the triangle faces most, it keeps an area.
    let normal = (t[1].as_dvec3() - t[0].as_dvec3()).cross(t[2].as_dvec3() - t[0].as_dvec3()).abs();
    let drop = (0..3).max_by(|a, b| normal[*a].total_cmp(&normal[*b])).unwrap_or(0);
    let flat = |v: Vec3| {
        let (x, y) = ((drop + 1) % 3, (drop + 2) % 3);
        Coord { x: f64::from(v[x]), y: f64::from(v[y]) }
    };
    let (p, q, t) = (flat(p), flat(q), t.map(flat));
    let turn = |a: Coord<f64>, b: Coord<f64>, c: Coord<f64>| sign(orient2d(a, b, c));
    let around = [0, 1, 2].map(|k| turn(t[k], t[(k + 1) % 3], p));
    if !(around.contains(&1) && around.contains(&-1)) {
        return true;
    }
    (0..3).any(|k| edges_cross([p, q], [t[k], t[(k + 1) % 3]], &turn))
}

fn edges_cross(
    [p, q]: [Coord<f64>; 2],
    [a, b]: [Coord<f64>; 2],
    turn: &impl Fn(Coord<f64>, Coord<f64>, Coord<f64>) -> i8,
) -> bool {
    let (of_a, of_b, of_p, of_q) = (turn(p, q, a), turn(p, q, b), turn(a, b, p), turn(a, b, q));
    if of_a * of_b < 0 && of_p * of_q < 0 {
        return true;
    }
    let within = |from: Coord<f64>, to: Coord<f64>, c: Coord<f64>| {
        let between = |a: f64, b: f64, x: f64| a.min(b) <= x && x <= a.max(b);
        between(from.x, to.x, c.x) && between(from.y, to.y, c.y)
    };
    (of_a == 0 && within(p, q, a))
        || (of_b == 0 && within(p, q, b))
        || (of_p == 0 && within(a, b, p))
        || (of_q == 0 && within(a, b, q))
}

/// The stretch in which two triangles that meet run through each other, as its two ends; one point twice
/// where they only touch, nothing where they lie in one plane. In floating point.
pub fn common_stretch(a: [Vec3; 3], b: [Vec3; 3]) -> Option<[Vec3; 2]> {
    let normal = |t: [Vec3; 3]| {
        let [a, b, c] = t.map(|p| p.as_dvec3());
        (b - a).cross(c - a)
    };
    let along = normal(a).cross(normal(b)).normalize_or_zero();
    if along == DVec3::ZERO {
        return None;
    }
    // Where each runs through the plane of the other, along the line the planes share.
    let span = |t: [Vec3; 3], plane: [Vec3; 3]| {
        let (n, o) = (normal(plane), plane[0].as_dvec3());
        let height = t.map(|p| n.dot(p.as_dvec3() - o));
        let mut ends: Option<[DVec3; 2]> = None;
        let mut reach = |p: DVec3| {
            ends = Some(match ends {
                None => [p, p],
                Some([low, high]) => {
                    let (x, l, h) = (along.dot(p), along.dot(low), along.dot(high));
                    [if x < l { p } else { low }, if x > h { p } else { high }]
                }
            });
        };
        for k in 0..3 {
            let (h, i) = (height[k], height[(k + 1) % 3]);
            let (p, q) = (t[k].as_dvec3(), t[(k + 1) % 3].as_dvec3());
            if h == 0.0 {
                reach(p);
            }
            if h * i < 0.0 {
                reach(p + (q - p) * (h / (h - i)));
            }
        }
        ends
    };
    let ([a0, a1], [b0, b1]) = (span(a, b)?, span(b, a)?);
    let from = if along.dot(a0) > along.dot(b0) { a0 } else { b0 };
    let to = if along.dot(a1) < along.dot(b1) { a1 } else { b1 };
    // Rounded, a touch may come out as a gap.
    let to = if along.dot(to) < along.dot(from) { from } else { to };
    Some([from.as_vec3(), to.as_vec3()])
}
