//! Closest point on a mesh.

use super::bounding_volume_hierarchy::{leaf_of, Bvh, Node, LEAF};
use super::leaf::{splat, Leaf, LEAF_SIZE};
use super::traversal::Stack;
use glam::{Vec3, Vec4};

/// Which part of a triangle a point lies on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Feature {
    /// Inside.
    Face,
    /// On the edge from this corner to the next.
    Edge(u8),
    /// On this corner.
    Corner(u8),
}

/// An answer: the closest point found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Closest {
    /// Number of the triangle in the list the tree was built over.
    pub triangle: u32,
    /// The point, metres.
    pub point: Vec3,
    /// Barycentric coordinates of the point in the triangle.
    pub barycentric: [f32; 3],
    /// Where on the triangle it lies.
    pub feature: Feature,
    /// Squared distance from the query, square metres.
    pub distance_squared: f32,
}

/// Closest point of a triangle to `p` with its barycentric coordinates and feature
/// (Ericson, “Real-Time Collision Detection”, 2005, §5.1.5). Safe for triangles without area.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, query::{closest_on_triangle, Feature}};
///
/// let corners = [Vec3::ZERO, Vec3::X, Vec3::Y];
/// let (point, _, feature) = closest_on_triangle(Vec3::new(0.25, 0.25, 5.0), corners);
/// assert_eq!((point, feature), (Vec3::new(0.25, 0.25, 0.0), Feature::Face));
/// ```
#[inline(always)]
pub fn closest_on_triangle(p: Vec3, [a, b, c]: [Vec3; 3]) -> (Vec3, [f32; 3], Feature) {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return (a, [1.0, 0.0, 0.0], Feature::Corner(0));
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return (b, [0.0, 1.0, 0.0], Feature::Corner(1));
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        let t = d1 / (d1 - d3).max(f32::MIN_POSITIVE);
        return (a + ab * t, [1.0 - t, t, 0.0], Feature::Edge(0));
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return (c, [0.0, 0.0, 1.0], Feature::Corner(2));
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        let t = d2 / (d2 - d6).max(f32::MIN_POSITIVE);
        return (a + ac * t, [1.0 - t, 0.0, t], Feature::Edge(2));
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        let t = (d4 - d3) / ((d4 - d3) + (d5 - d6)).max(f32::MIN_POSITIVE);
        return (b + (c - b) * t, [0.0, 1.0 - t, t], Feature::Edge(1));
    }
    let sum = 1.0 / (va + vb + vc);
    let (v, w) = (vb * sum, vc * sum);
    (a + ab * v + ac * w, [1.0 - v - w, v, w], Feature::Face)
}

/// Which triangles count, judged for whole nodes and single ones.
trait ClosestWish {
    /// Pushes away (to infinity) the distances of children that hold none.
    fn prune(&self, node: &Node, distances: Vec4) -> Vec4;
    /// The triangles of a leaf that count, as bits.
    fn takes(&self, leaf: &Leaf) -> u32;
}

struct All;

impl ClosestWish for All {
    fn prune(&self, _: &Node, distances: Vec4) -> Vec4 {
        distances
    }

    fn takes(&self, _: &Leaf) -> u32 {
        u32::MAX
    }
}

struct Facing {
    direction: Vec3,
    min_cosine: f32,
}

impl ClosestWish for Facing {
    #[inline(always)]
    fn prune(&self, node: &Node, distances: Vec4) -> Vec4 {
        // The largest cosine any normal in the box can reach.
        let mut most = Vec4::ZERO;
        for axis in 0..3 {
            let along = Vec4::splat(self.direction[axis]);
            most += (node.normal_low[axis] * along).max(node.normal_high[axis] * along);
        }
        Vec4::select(most.cmpgt(Vec4::splat(self.min_cosine)), distances, Vec4::INFINITY)
    }

    #[inline(always)]
    fn takes(&self, leaf: &Leaf) -> u32 {
        leaf.facing(self.direction, self.min_cosine)
    }
}

impl Bvh {
    /// The closest point to `p` nearer than `within` metres, or nothing.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, query::Bvh, shapes::sphere};
    ///
    /// let (positions, triangles) = sphere(1.0, 32);
    /// let tree = Bvh::build(&positions, &triangles);
    /// let hit = tree.closest(Vec3::X * 3.0, f32::INFINITY).unwrap();
    /// assert!(hit.point.abs_diff_eq(Vec3::X, 1e-3));
    /// assert_eq!(tree.closest(Vec3::X * 3.0, 1.0), None, "nothing within a metre");
    /// ```
    pub fn closest(&self, p: Vec3, within: f32) -> Option<Closest> {
        self.search(p, within, &All, None)
    }

    /// As [`Bvh::closest`], over triangles whose normal agrees with `facing`: the cosine
    /// between them is above `min_cosine`. `facing` is a unit vector.
    pub fn closest_facing(&self, p: Vec3, within: f32, facing: Vec3, min_cosine: f32) -> Option<Closest> {
        self.search(p, within, &Facing { direction: facing, min_cosine }, None)
    }

    /// As [`Bvh::closest_facing`], beginning at triangle `seed`: one that was near before the
    /// vertices moved bounds the search from the start. A `seed` past the last is none.
    pub fn closest_facing_from(
        &self,
        p: Vec3,
        within: f32,
        facing: Vec3,
        min_cosine: f32,
        seed: u32,
    ) -> Option<Closest> {
        let place = self.place.get(seed as usize).map(|&i| i as usize);
        self.search(p, within, &Facing { direction: facing, min_cosine }, place)
    }

    fn search(
        &self,
        p: Vec3,
        within: f32,
        wanted: &impl ClosestWish,
        seed: Option<usize>,
    ) -> Option<Closest> {
        if self.nodes.is_empty() || p.is_nan() {
            return None;
        }
        let mut nearest = Nearest { p, bound: within * within, best: None };
        let seed = seed.map(|at| (at / LEAF_SIZE, at % LEAF_SIZE));
        if let Some((leaf, lane)) =
            seed.filter(|(leaf, lane)| wanted.takes(&self.leaves[*leaf]) & 1 << lane != 0)
        {
            nearest.offer(self.order[leaf * LEAF_SIZE + lane], self.leaves[leaf].corners(lane));
        }
        let place = splat(p);
        let [px, py, pz] = place;
        let mut stack = Stack::at_root();
        while let Some((distance, child)) = stack.pop() {
            if distance >= nearest.bound {
                continue;
            }
            if child & LEAF == 0 {
                let node = &self.nodes[child as usize];
                let dx = (node.low[0] - px).max(px - node.high[0]).max(Vec4::ZERO);
                let dy = (node.low[1] - py).max(py - node.high[1]).max(Vec4::ZERO);
                let dz = (node.low[2] - pz).max(pz - node.high[2]).max(Vec4::ZERO);
                let distances = wanted.prune(node, dx * dx + dy * dy + dz * dz);
                stack.push(&node.child, distances, nearest.bound);
                continue;
            }
            let (at, count) = leaf_of(child);
            let leaf = &self.leaves[at];
            let mut lanes = wanted.takes(leaf) & leaf.within(place, nearest.bound) & ((1 << count) - 1);
            while lanes != 0 {
                let lane = lanes.trailing_zeros() as usize;
                lanes &= lanes - 1;
                nearest.offer(self.order[at * LEAF_SIZE + lane], leaf.corners(lane));
            }
        }
        nearest.best
    }
}

/// The nearest found so far.
struct Nearest {
    p: Vec3,
    /// Its squared distance, or that within which something is looked for.
    bound: f32,
    best: Option<Closest>,
}

impl Nearest {
    #[inline(always)]
    fn offer(&mut self, triangle: u32, corners: [Vec3; 3]) {
        let (point, barycentric, feature) = closest_on_triangle(self.p, corners);
        let distance_squared = self.p.distance_squared(point);
        // On equal distance the lower number wins, whatever the tree's shape.
        let tie = |b: Closest| distance_squared == self.bound && triangle < b.triangle;
        if distance_squared < self.bound || self.best.is_some_and(tie) {
            self.bound = distance_squared;
            self.best = Some(Closest { triangle, point, barycentric, feature, distance_squared });
        }
    }
}
