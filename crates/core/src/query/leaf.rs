//! Four triangles side by side: the leaves of the tree.

use super::aabb::Aabb;
use glam::{Vec3, Vec4};

/// Most triangles of a leaf.
pub(super) const LEAF_SIZE: usize = 4;

/// Up to four triangles, a lane each; lanes without one of their own repeat another.
#[derive(Clone, Debug)]
pub(super) struct Leaf {
    /// By corner, then axis, metres.
    corner: [[Vec4; 3]; 3],
    /// Unit normals by axis; zero without area.
    normal: [Vec4; 3],
}

/// One vector a lane, by axis.
pub(super) type Lanes = [Vec4; 3];

/// Lanes (as bits) whose boxes touch the box of one lane of others.
#[inline(always)]
pub(super) fn boxes_touch(boxes: &[Lanes; 2], of: &[Lanes; 2], lane: usize) -> u32 {
    let axis = |i: usize| {
        boxes[0][i].cmple(Vec4::splat(of[1][i][lane])) & boxes[1][i].cmpge(Vec4::splat(of[0][i][lane]))
    };
    (axis(0) & axis(1) & axis(2)).bitmask()
}

fn sub(a: Lanes, b: Lanes) -> Lanes {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

fn dot(a: Lanes, b: Lanes) -> Vec4 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn cross(a: Lanes, b: Lanes) -> Lanes {
    [a[1] * b[2] - b[1] * a[2], a[2] * b[0] - b[2] * a[0], a[0] * b[1] - b[0] * a[1]]
}

fn length(v: Lanes) -> Vec4 {
    Vec4::from_array(dot(v, v).to_array().map(f32::sqrt))
}

/// What a sum over three corners may be off by rounding, as a share of the lengths multiplied: some thirty
/// times the step of a float.
const SLACK: f32 = 4e-6;

/// A hair of tolerance at the edges, so that no ray slips between two triangles.
pub(super) const EDGE: f32 = 1e-6;

/// The same vector in every lane.
pub(super) fn splat(v: Vec3) -> Lanes {
    [Vec4::splat(v.x), Vec4::splat(v.y), Vec4::splat(v.z)]
}

fn lane_of(lanes: &Lanes, lane: usize) -> Vec3 {
    Vec3::new(lanes[0][lane], lanes[1][lane], lanes[2][lane])
}

impl Leaf {
    pub const EMPTY: Self = Self { corner: [[Vec4::ZERO; 3]; 3], normal: [Vec4::ZERO; 3] };

    /// The triangles of all lanes, by the numbers of their corners.
    #[inline]
    pub fn set_all(&mut self, vertices: &[[u32; 3]], positions: &[Vec3]) {
        let lanes_of = |k: usize| -> Lanes {
            let [p, q, r, s] = [0, 1, 2, 3].map(|lane: usize| positions[vertices[lane][k] as usize]);
            [Vec4::new(p.x, q.x, r.x, s.x), Vec4::new(p.y, q.y, r.y, s.y), Vec4::new(p.z, q.z, r.z, s.z)]
        };
        let [a, b, c] = [lanes_of(0), lanes_of(1), lanes_of(2)];
        let across = cross(sub(b, a), sub(c, a));
        let inverse = Vec4::ONE / length(across);
        let has_area = inverse.is_finite_mask() & inverse.cmpgt(Vec4::ZERO);
        self.corner = [a, b, c];
        self.normal = across.map(|axis| Vec4::select(has_area, axis * inverse, Vec4::ZERO));
    }

    pub fn corners(&self, lane: usize) -> [Vec3; 3] {
        [0, 1, 2].map(|k| lane_of(&self.corner[k], lane))
    }

    /// Lowest and highest corner of each lane, by axis.
    #[inline(always)]
    pub fn boxes(&self) -> [Lanes; 2] {
        let [a, b, c] = &self.corner;
        [[0, 1, 2].map(|i| a[i].min(b[i]).min(c[i])), [0, 1, 2].map(|i| a[i].max(b[i]).max(c[i]))]
    }

    /// Lanes (as bits) of those in `near` that may meet a triangle: all that do, and some that do not. Neither lies
    /// wholly on one side of the other's plane by more than a rounding error.
    #[inline(always)]
    pub fn may_meet(&self, [p, q, r]: [Vec3; 3], near: u32) -> u32 {
        let (e, f) = (q - p, r - p);
        let from = splat(p);
        let away = self.corner.map(|corner| sub(corner, from));
        let far = away.map(|d| dot(d, d)).into_iter().reduce(Vec4::max).unwrap_or(Vec4::ZERO);
        // Squared lengths on both sides: no root is needed.
        let slack = far * (e.length_squared() * f.length_squared()) * (SLACK * SLACK);
        let normal = splat(e.cross(f));
        let [x, y, z] = away.map(|d| dot(d, normal));
        let (least, most) = (x.min(y).min(z), x.max(y).max(z));
        let above = least.cmpgt(Vec4::ZERO) & (least * least).cmpgt(slack);
        let below = most.cmplt(Vec4::ZERO) & (most * most).cmpgt(slack);
        near & !(above | below).bitmask()
    }

    /// Boxes round the corners and round the normals of all lanes.
    pub fn bounds(&self) -> (Aabb, Aabb) {
        let [low, high] = self.boxes();
        let (low, high) = (low.map(Vec4::min_element), high.map(Vec4::max_element));
        let (normal_low, normal_high) =
            (self.normal.map(Vec4::min_element), self.normal.map(Vec4::max_element));
        let aabb = |low, high| Aabb { low: Vec3::from_array(low), high: Vec3::from_array(high) };
        (aabb(low, high), aabb(normal_low, normal_high))
    }

    /// Lanes (as bits) whose normal has a larger cosine than `min_cosine` with `direction`.
    #[inline(always)]
    pub fn facing(&self, direction: Vec3, min_cosine: f32) -> u32 {
        dot(self.normal, splat(direction)).cmpgt(Vec4::splat(min_cosine)).bitmask()
    }

    /// Where a ray meets the plane of each lane's triangle: distance in lengths of `direction`,
    /// barycentric coordinates of the second and third corner, and the lanes (as bits) that it meets.
    /// The sums are those of [`super::ray_triangle`], four at once.
    #[inline(always)]
    pub fn met_by(&self, origin: Lanes, direction: Lanes) -> (Vec4, Vec4, Vec4, u32) {
        let [a, b, c] = self.corner;
        let (ab, ac) = (sub(b, a), sub(c, a));
        let across = cross(direction, ac);
        let determinant = dot(ab, across);
        let inverse = Vec4::ONE / determinant;
        let from = sub(origin, a);
        let u = dot(from, across) * inverse;
        let q = cross(from, ab);
        let v = dot(direction, q) * inverse;
        let t = dot(ac, q) * inverse;
        let edge = Vec4::splat(-EDGE);
        let inside = u.cmpge(edge) & v.cmpge(edge) & (u + v).cmple(Vec4::splat(1.0 + EDGE));
        // A triangle seen edge on has no determinant, and a distance that is no number.
        let finite = t.abs().cmplt(Vec4::INFINITY) & determinant.cmpne(Vec4::ZERO);
        (t, u, v, (inside & finite).bitmask())
    }

    /// The solid angle of its first `count` triangles at `p`: of each twice the angle of a complex
    /// number (van Oosterom & Strackee, “The solid angle of a plane triangle”, 1983). Where all are
    /// below 45°, as nearly everywhere, the angle of their product is the sum of the four.
    #[inline(always)]
    pub fn solid_angle(&self, count: usize, p: Lanes) -> f32 {
        let [a, b, c] = self.corner.map(|corner| sub(corner, p));
        let (la, lb, lc) = (length(a), length(b), length(c));
        let up = dot(a, cross(b, c));
        let along = la * lb * lc + dot(a, b) * lc + dot(b, c) * la + dot(c, a) * lb;
        let there = Vec4::new(0.0, 1.0, 2.0, 3.0).cmplt(Vec4::splat(count as f32));
        let (up, along) = (Vec4::select(there, up, Vec4::ZERO), Vec4::select(there, along, Vec4::ONE));
        if up.abs().cmplt(along).all() {
            let t = up / along;
            let both = |t: f32, u: f32| (1.0 - t * u, t + u);
            let ((x, y), (z, w)) = (both(t.x, t.y), both(t.z, t.w));
            return 2.0 * (x * w + y * z).atan2(x * z - y * w);
        }
        let angle = |lane: usize| up[lane].atan2(along[lane]);
        2.0 * ((angle(0) + angle(1)) + (angle(2) + angle(3)))
    }

    /// Lanes (as bits) that may be nearer to `p` than the square root of `bound`: all that are,
    /// and some that are not by a rounding error.
    ///
    /// The distance is that to the plane over the face, and the least of those to the edges
    /// beside it, with the signs of Ericson, “Real-Time Collision Detection”, 2005, §5.1.5.
    #[inline(always)]
    pub fn within(&self, p: Lanes, bound: f32) -> u32 {
        let [a, b, c] = self.corner;
        let (ab, ac, ap) = (sub(b, a), sub(c, a), sub(p, a));
        let (bb, cc, bc) = (dot(ab, ab), dot(ac, ac), dot(ab, ac));
        let (d1, d2, pp) = (dot(ab, ap), dot(ac, ap), dot(ap, ap));
        let (d3, d4, d5, d6) = (d1 - bb, d2 - bc, d1 - bc, d2 - cc);
        let edge = |start: Vec4, along: Vec4, length: Vec4| {
            let t = (along / length.max(Vec4::splat(f32::MIN_POSITIVE))).clamp(Vec4::ZERO, Vec4::ONE);
            start - t * (along + along - t * length)
        };
        let edges =
            edge(pp, d1, bb).min(edge(pp, d2, cc)).min(edge(pp - d1 - d1 + bb, d4 - d3, bb + cc - bc - bc));
        let least = (d1 * d4 - d3 * d2).min(d5 * d2 - d1 * d6).min(d3 * d6 - d5 * d4);
        let plane = dot(self.normal, ap);
        let squared = Vec4::select(least.cmpge(Vec4::ZERO), plane * plane, edges);
        let slack = (pp + bb + cc) * 2e-6;
        // Not “greater”: what is no number at all is looked at.
        !squared.cmpgt(Vec4::splat(bound) + slack).bitmask()
    }
}
