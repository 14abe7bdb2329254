//! Rays against a mesh.

use super::bounding_volume_hierarchy::{leaf_of, Bvh, Node, LEAF};
use super::leaf::{splat, EDGE, LEAF_SIZE};
use super::traversal::{Stack, DEEPEST};
use crate::mesh::{Topology, NO_TRIANGLE};
use arrayvec::ArrayVec;
use glam::{Vec3, Vec4};

/// Where a ray meets a triangle.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RayHit {
    /// Number of the triangle in the list the tree was built over.
    pub triangle: u32,
    /// Distance along the ray, in lengths of its direction.
    pub distance: f32,
    /// Barycentric coordinates of the hit.
    pub barycentric: [f32; 3],
}

/// Distance along the ray (in lengths of `direction`, negative behind the origin) and barycentric
/// coordinates where it meets a triangle.
///
/// Möller & Trumbore, “Fast, minimum storage ray/triangle intersection”, 1997, both sides,
/// with a hair of tolerance at the edges so that no ray slips between two triangles.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, query::ray_triangle};
///
/// let corners = [Vec3::ZERO, Vec3::X, Vec3::Y];
/// let (distance, _) = ray_triangle(Vec3::new(0.2, 0.2, -3.0), Vec3::Z, corners).unwrap();
/// assert!((distance - 3.0).abs() < 1e-5);
/// assert_eq!(ray_triangle(Vec3::new(2.0, 2.0, -3.0), Vec3::Z, corners), None);
/// ```
pub fn ray_triangle(origin: Vec3, direction: Vec3, corners: [Vec3; 3]) -> Option<(f32, [f32; 3])> {
    let met = ray_plane(origin, direction, corners)?;
    met.1.iter().all(|weight| *weight >= -EDGE).then_some(met)
}

/// The same where the ray's line meets the plane of a triangle, within it or not: what is outside has a negative weight
/// at the corner that lies across the edge it is beyond.
fn ray_plane(origin: Vec3, direction: Vec3, [a, b, c]: [Vec3; 3]) -> Option<(f32, [f32; 3])> {
    let (ab, ac) = (b - a, c - a);
    let across = direction.cross(ac);
    let determinant = ab.dot(across);
    if determinant == 0.0 {
        return None;
    }
    let inverse = 1.0 / determinant;
    let from = origin - a;
    let u = from.dot(across) * inverse;
    let q = from.cross(ab);
    let v = direction.dot(q) * inverse;
    let t = ac.dot(q) * inverse;
    t.is_finite().then_some((t, [1.0 - u - v, u, v]))
}

/// The face that a ray meets in front of its origin, found by walking from `face` over edges towards where the ray's
/// line pierces each face's plane; none when the walk leaves the mesh, ends behind the origin or is longer than
/// `steps`.
/// What lay in the way of a look is mostly still there, or next to it, when the look or the cloth turns a little.
///
/// Devillers, Pion & Teillaud, “Walking in a triangulation”, 2002 (the visibility walk), on a curved surface.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mesh::Topology, query::walk_to_hit, shapes::tube};
///
/// let (positions, faces) = tube(0.1, 0.0, 0.4, 16, 8, 1.0);
/// let topology = Topology::of_welded(positions.len(), &faces);
/// let middle = |f: usize| faces[f].iter().map(|v| positions[*v as usize]).sum::<Vec3>() / 3.0;
/// let (from, to) = (Vec3::Y * 0.2, 40);
/// let hit = |way: Vec3, first: u32| walk_to_hit(&topology, &positions, from, way, first, 8);
/// assert_eq!(hit(middle(to) - from, 43), Some(to as u32));
/// assert_eq!(hit(Vec3::Y, to as u32), None);
/// ```
pub fn walk_to_hit(
    topology: &Topology,
    positions: &[Vec3],
    origin: Vec3,
    direction: Vec3,
    mut face: u32,
    steps: usize,
) -> Option<u32> {
    for _ in 0..=steps {
        let corners = topology.triangles[face as usize].map(|v| positions[v as usize]);
        let (distance, weights) = ray_plane(origin, direction, corners)?;
        let least = (1..3).fold(0, |k, i| if weights[i] < weights[k] { i } else { k });
        if weights[least] >= -EDGE {
            return (distance > 0.0).then_some(face);
        }
        // The edge across from a corner begins at the next one.
        face = topology.across[face as usize][(least + 1) % 3];
        if face == NO_TRIANGLE {
            return None;
        }
    }
    None
}

/// A ray with what every box needs of it.
struct Ray {
    start: [Vec4; 3],
    inverse: [Vec4; 3],
    from: f32,
}

impl Ray {
    fn new(origin: Vec3, direction: Vec3, from: f32) -> Self {
        // A zero component would give 0 × ∞ on a box face; a tiny one misses by nothing.
        let guard = |x: f32| if x.abs() < 1e-20 { 1e-20f32.copysign(x) } else { x };
        let inverse = [0, 1, 2].map(|i| Vec4::splat(1.0 / guard(direction[i])));
        Self { start: [0, 1, 2].map(|i| Vec4::splat(origin[i])), inverse, from }
    }

    /// Where it enters each child of a node within `limit`; infinite where it does not.
    #[inline(always)]
    fn enters(&self, node: &Node, limit: f32) -> Vec4 {
        let (mut near, mut far) = (Vec4::splat(self.from), Vec4::splat(limit));
        for axis in 0..3 {
            let t0 = (node.low[axis] - self.start[axis]) * self.inverse[axis];
            let t1 = (node.high[axis] - self.start[axis]) * self.inverse[axis];
            near = near.max(t0.min(t1));
            far = far.min(t0.max(t1));
        }
        // A hair wider than exact: boxes of flat triangles have no thickness.
        let far = far * 1.000_001 + 1e-7;
        Vec4::select(near.cmple(far), near, Vec4::INFINITY)
    }
}

impl Bvh {
    /// The first triangle (number, corners) that `accept` takes on the ray from `origin`,
    /// between `from` and `to` lengths of `direction`.
    pub fn ray(
        &self,
        origin: Vec3,
        direction: Vec3,
        from: f32,
        to: f32,
        accept: impl Fn(u32, &[Vec3; 3]) -> bool,
    ) -> Option<RayHit> {
        if self.nodes.is_empty() || origin.is_nan() || direction.is_nan() {
            return None;
        }
        let ray = Ray::new(origin, direction, from);
        let (start, along) = (splat(origin), splat(direction));
        let mut best: Option<RayHit> = None;
        let mut limit = to;
        let mut stack = Stack::at_root();
        while let Some((near, child)) = stack.pop() {
            if near > limit * 1.000_001 + 1e-7 {
                continue;
            }
            if child & LEAF == 0 {
                let node = &self.nodes[child as usize];
                stack.push(&node.child, ray.enters(node, limit), f32::INFINITY);
                continue;
            }
            let (leaf, count) = leaf_of(child);
            let (distance, u, v, met) = self.leaves[leaf].met_by(start, along);
            let mut lanes = met & ((1 << count) - 1);
            while lanes != 0 {
                let lane = lanes.trailing_zeros() as usize & 3;
                lanes &= lanes - 1;
                let (t, u, v) = (distance[lane], u[lane], v[lane]);
                let triangle = self.order[leaf * LEAF_SIZE + lane];
                let nearer = t < limit || best.is_none_or(|b| t == limit && triangle < b.triangle);
                let within = t >= from && t <= limit && nearer;
                if within && accept(triangle, &self.leaves[leaf].corners(lane)) {
                    limit = t;
                    best = Some(RayHit { triangle, distance: t, barycentric: [1.0 - u - v, u, v] });
                }
            }
        }
        best
    }

    /// True when the ray from `origin` meets any triangle that `accept` takes (by its number) between
    /// `from` and `to` lengths of `direction`: it stops at the first one found.
    pub fn is_hit(
        &self,
        origin: Vec3,
        direction: Vec3,
        from: f32,
        to: f32,
        accept: impl Fn(u32) -> bool,
    ) -> bool {
        if self.nodes.is_empty() || origin.is_nan() || direction.is_nan() {
            return false;
        }
        let ray = Ray::new(origin, direction, from);
        let (start, along) = (splat(origin), splat(direction));
        let range = (Vec4::splat(from), Vec4::splat(to));
        // Any hit will do: nothing is sorted.
        let mut waiting: ArrayVec<u32, DEEPEST> = ArrayVec::new();
        waiting.push(0);
        while let Some(child) = waiting.pop() {
            if child & LEAF == 0 {
                let node = &self.nodes[child as usize];
                let mut near = ray.enters(node, to).cmplt(Vec4::INFINITY).bitmask();
                while near != 0 {
                    waiting.push(node.child[near.trailing_zeros() as usize & 3]);
                    near &= near - 1;
                }
                continue;
            }
            let (leaf, size) = leaf_of(child);
            let (distance, _, _, met) = self.leaves[leaf].met_by(start, along);
            let within = distance.cmpge(range.0) & distance.cmple(range.1);
            let lanes = met & within.bitmask() & ((1 << size) - 1);
            if (0..size).any(|lane| lanes & 1 << lane != 0 && accept(self.order[leaf * LEAF_SIZE + lane])) {
                return true;
            }
        }
        false
    }
}
