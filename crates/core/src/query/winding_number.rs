//! Generalised winding numbers: how often a surface, open or closed, wraps round a point.

use super::bounding_volume_hierarchy::{leaf_of, Bvh, LEAF};
use super::leaf::splat;
use super::traversal::Stack;
use glam::{Vec3, Vec4};

/// Far boxes are taken as one dipole beyond this many radii.
const FAR: f32 = 2.0;

/// Dipole sums over the boxes of a [`Bvh`], for one state of its vertices.
///
/// Barill, Dickson, Schmidt, Levin & Jacobson, “Fast winding numbers for soups and clouds”,
/// SIGGRAPH 2018, first order; near triangles exactly, by van Oosterom & Strackee, “The
/// solid angle of a plane triangle”, 1983.
///
/// ```
/// use glam::Vec3;
/// use tin_cloak_core::query::{Bvh, WindingField};
///
/// // A tetrahedron round the origin.
/// let p = [[1.0, 1.0, 1.0], [1.0, -1.0, -1.0], [-1.0, 1.0, -1.0], [-1.0, -1.0, 1.0]].map(Vec3::from_array);
/// let bvh = Bvh::build(&p, &[[0, 1, 2], [0, 3, 1], [0, 2, 3], [1, 3, 2]]);
/// let field = WindingField::new(&bvh);
/// assert!((field.at(Vec3::ZERO) - 1.0).abs() < 1e-4);
/// assert!(field.at(Vec3::new(0.0, 5.0, 0.0)).abs() < 0.01);
/// ```
#[derive(Clone, Debug)]
pub struct WindingField<'a> {
    tree: &'a Bvh,
    dipoles: Dipoles,
}

/// The sums of a [`WindingField`] by themselves, to be kept beside the tree that they are of.
#[derive(Clone, Debug)]
pub struct Dipoles(Vec<FourDipoles>);

/// The sum of some triangles, as seen from afar.
#[derive(Clone, Copy, Debug, Default)]
struct Dipole {
    centre: Vec3,
    /// Sum of area vectors (half the edge cross product), square metres.
    area: Vec3,
    weight: f32,
}

/// Those of the four children of a node, side by side.
#[derive(Clone, Copy, Debug, Default)]
struct FourDipoles {
    centre: [Vec4; 3],
    area: [Vec4; 3],
    weight: Vec4,
    /// Squared distance beyond which it is taken as one.
    far: Vec4,
}

/// The triangles of a child that is a leaf.
fn triangles(tree: &Bvh, child: u32) -> impl Iterator<Item = [Vec3; 3]> + Clone + '_ {
    let (leaf, count) = leaf_of(child);
    (0..count).map(move |lane| tree.leaves[leaf].corners(lane))
}

impl FourDipoles {
    fn set(&mut self, lane: usize, dipole: Dipole, radius: f32) {
        for axis in 0..3 {
            self.centre[axis][lane] = dipole.centre[axis];
            self.area[axis][lane] = dipole.area[axis];
        }
        self.weight[lane] = dipole.weight;
        // What has no area adds nothing, however near.
        self.far[lane] = if dipole.weight > 0.0 { (FAR * radius).powi(2) } else { f32::INFINITY };
    }

    fn get(&self, lane: usize) -> Dipole {
        let of = |v: &[Vec4; 3]| Vec3::new(v[0][lane], v[1][lane], v[2][lane]);
        Dipole { centre: of(&self.centre), area: of(&self.area), weight: self.weight[lane] }
    }

    /// The solid angle of what is far of `p`, and which lanes are not (as bits).
    #[inline(always)]
    fn seen_from(&self, p: [Vec4; 3]) -> (f32, u32) {
        let away = [0, 1, 2].map(|i| self.centre[i] - p[i]);
        let squared = away[0] * away[0] + away[1] * away[1] + away[2] * away[2];
        let far = squared.cmpgt(self.far);
        let flux = self.area[0] * away[0] + self.area[1] * away[1] + self.area[2] * away[2];
        let cubed = squared * Vec4::from_array(squared.to_array().map(f32::sqrt));
        let angle = Vec4::select(far, flux / cubed, Vec4::ZERO);
        ((angle.x + angle.y) + (angle.z + angle.w), !far.bitmask() & 15)
    }
}

impl Dipoles {
    /// Sums up the boxes of `tree` as it is now; on this thread alone, since it is called for from
    /// within parallel loops.
    pub fn gathered(tree: &Bvh) -> Self {
        let mut boxes = vec![FourDipoles::default(); tree.nodes.len()];
        for n in (0..tree.nodes.len()).rev() {
            let node = &tree.nodes[n];
            for lane in 0..4 {
                let child = node.child[lane];
                let sum = if child & LEAF == 0 {
                    let of = boxes[child as usize];
                    Dipole::sum((0..4).map(move |lane| of.get(lane)))
                } else {
                    Dipole::sum(triangles(tree, child).map(|t| Dipole::of_triangle(&t)))
                };
                let low = Vec3::new(node.low[0][lane], node.low[1][lane], node.low[2][lane]);
                let high = Vec3::new(node.high[0][lane], node.high[1][lane], node.high[2][lane]);
                let radius = (sum.centre - low).abs().max((high - sum.centre).abs()).length();
                boxes[n].set(lane, sum, radius);
            }
        }
        Self(boxes)
    }

    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        self.0.len() * size_of::<FourDipoles>()
    }

    /// Winding number at `p`; `tree` is the one that they are of, as it was then.
    pub fn winding(&self, tree: &Bvh, p: Vec3) -> f32 {
        if tree.is_empty() {
            return 0.0;
        }
        let (mut solid_angle, place) = (0.0, splat(p));
        let mut stack = Stack::at_root();
        while let Some((_, n)) = stack.pop() {
            let node = &tree.nodes[n as usize];
            let (far, mut near) = self.0[n as usize].seen_from(place);
            solid_angle += far;
            while near != 0 {
                let child = node.child[near.trailing_zeros() as usize & 3];
                near &= near - 1;
                if child & LEAF == 0 {
                    stack.put(child);
                } else {
                    let (leaf, count) = leaf_of(child);
                    solid_angle += tree.leaves[leaf].solid_angle(count, place);
                }
            }
        }
        solid_angle / (4.0 * std::f32::consts::PI)
    }
}

impl<'a> WindingField<'a> {
    /// Of `tree` as it is now.
    pub fn new(tree: &'a Bvh) -> Self {
        Self { tree, dipoles: Dipoles::gathered(tree) }
    }

    /// Winding number at `p`: 1 inside a closed surface, 0 outside, between for open ones.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, query::{Bvh, WindingField}, shapes::sphere};
    ///
    /// let (positions, triangles) = sphere(1.0, 32);
    /// let tree = Bvh::build(&positions, &triangles);
    /// let field = WindingField::new(&tree);
    /// assert!((field.at(Vec3::ZERO) - 1.0).abs() < 0.05);
    /// assert!(field.at(Vec3::X * 3.0).abs() < 0.01);
    /// ```
    pub fn at(&self, p: Vec3) -> f32 {
        self.dipoles.winding(self.tree, p)
    }
}

impl Dipole {
    fn of_triangle(&[a, b, c]: &[Vec3; 3]) -> Self {
        let area = (b - a).cross(c - a) * 0.5;
        Self { centre: (a + b + c) / 3.0, area, weight: area.length() }
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
        Self { centre, area, weight }
    }
}
