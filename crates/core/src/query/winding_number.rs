//! Generalised winding numbers: how often a surface, open or closed, wraps round a point.

use super::bounding_volume_hierarchy::{leaf_of, Bvh, LEAF};
use glam::Vec3;

/// Far boxes are taken as one dipole beyond this many radii.
const FAR: f32 = 2.0;

/// Dipole sums over the boxes of a [`Bvh`], for one state of its vertices.
///
/// Barill, Dickson, Schmidt, Levin & Jacobson, “Fast winding numbers for soups and clouds”,
/// SIGGRAPH 2018, first order; near triangles exactly, by van Oosterom & Strackee, “The
/// solid angle of a plane triangle”, 1983.
#[derive(Clone, Debug)]
pub struct WindingField<'a> {
    tree: &'a Bvh,
    boxes: Vec<[Dipole; 4]>,
}

#[derive(Clone, Copy, Debug, Default)]
struct Dipole {
    centre: Vec3,
    /// Sum of area vectors (half the edge cross product), square metres.
    area: Vec3,
    weight: f32,
    radius: f32,
}

/// The triangles of a child that is a leaf.
fn triangles(tree: &Bvh, child: u32) -> impl Iterator<Item = [Vec3; 3]> + Clone + '_ {
    let (leaf, count) = leaf_of(child);
    (0..count).map(move |lane| tree.leaves[leaf].corners(lane))
}

impl<'a> WindingField<'a> {
    /// Sums up the boxes of `tree` as it is now.
    pub fn new(tree: &'a Bvh) -> Self {
        let mut boxes = vec![[Dipole::default(); 4]; tree.nodes.len()];
        for n in (0..tree.nodes.len()).rev() {
            let node = &tree.nodes[n];
            for lane in 0..4 {
                let child = node.child[lane];
                let mut sum = if child & LEAF == 0 {
                    Dipole::sum(boxes[child as usize].iter().copied())
                } else {
                    Dipole::sum(triangles(tree, child).map(|t| Dipole::of_triangle(&t)))
                };
                let low = Vec3::new(node.low[0][lane], node.low[1][lane], node.low[2][lane]);
                let high = Vec3::new(node.high[0][lane], node.high[1][lane], node.high[2][lane]);
                sum.radius = (sum.centre - low).abs().max((high - sum.centre).abs()).length();
                boxes[n][lane] = sum;
            }
        }
        Self { tree, boxes }
    }

    /// Winding number at `p`: 1 inside a closed surface, 0 outside, between for open ones.
    pub fn at(&self, p: Vec3) -> f32 {
        if self.tree.is_empty() {
            return 0.0;
        }
        let mut solid_angle = 0.0;
        // Depth first over four-wide nodes: three wait for each level.
        let mut stack = [0u32; 192];
        let mut waiting = 1;
        while waiting > 0 {
            waiting -= 1;
            let n = stack[waiting];
            let node = &self.tree.nodes[n as usize];
            for lane in 0..4 {
                let (child, dipole) = (node.child[lane], &self.boxes[n as usize][lane]);
                let away = dipole.centre - p;
                let distance = away.length();
                if distance > FAR * dipole.radius && dipole.weight > 0.0 {
                    solid_angle += dipole.area.dot(away) / (distance * distance * distance);
                } else if child & LEAF == 0 {
                    stack[waiting] = child;
                    waiting += 1;
                } else {
                    solid_angle += triangles(self.tree, child).map(|t| solid_angle_of(p, &t)).sum::<f32>();
                }
            }
        }
        solid_angle / (4.0 * std::f32::consts::PI)
    }
}

impl Dipole {
    fn of_triangle(&[a, b, c]: &[Vec3; 3]) -> Self {
        let area = (b - a).cross(c - a) * 0.5;
        Self { centre: (a + b + c) / 3.0, area, weight: area.length(), radius: 0.0 }
    }

    fn sum(parts: impl Iterator<Item = Self> + Clone) -> Self {
        let (mut weighted, mut area, mut weight) = (Vec3::ZERO, Vec3::ZERO, 0.0);
        for d in parts.clone() {
            weighted += d.centre * d.weight;
            area += d.area;
            weight += d.weight;
        }
        let first = parts.clone().next().map_or(Vec3::ZERO, |d| d.centre);
        let centre = if weight > 0.0 { weighted / weight } else { first };
        Self { centre, area, weight, radius: 0.0 }
    }
}

fn solid_angle_of(p: Vec3, corners: &[Vec3; 3]) -> f32 {
    let [a, b, c] = corners.map(|v| v - p);
    let (la, lb, lc) = (a.length(), b.length(), c.length());
    let numerator = a.dot(b.cross(c));
    let denominator = la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb;
    2.0 * numerator.atan2(denominator)
}
