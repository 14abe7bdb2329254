//! The index itself: a four-wide bounding volume hierarchy over triangles.
//!
//! Built once by the surface area heuristic ([`super::surface_area_heuristic`]), collapsed to four
//! children a node so that one vector instruction tests four boxes (Dammertz, Hanika & Keller,
//! “Shallow bounding volume hierarchies”, 2008), and refitted bottom-up when vertices move: the same
//! boxes round the same triangles, a tenth of the price of building.

use super::aabb::Aabb;
use super::leaf::{Leaf, LEAF_SIZE};
use super::surface_area_heuristic::{split_all, Binary};
use glam::{Vec3, Vec4};
use rayon::prelude::*;

pub(super) const LEAF: u32 = 1 << 31;

/// Four child boxes side by side. A child is an inner node's index, or `LEAF | leaf << 3 |
/// count` for the `count` triangles of that leaf; an empty place is a leaf of none in a box
/// nothing touches.
#[derive(Clone, Debug)]
pub(super) struct Node {
    pub low: [Vec4; 3],
    pub high: [Vec4; 3],
    /// Box round the unit normals of the child's triangles: a child that faces away as a whole
    /// is passed over.
    pub normal_low: [Vec4; 3],
    pub normal_high: [Vec4; 3],
    pub child: [u32; 4],
}

impl Node {
    const EMPTY: Self = Self {
        low: [Vec4::INFINITY; 3],
        high: [Vec4::NEG_INFINITY; 3],
        normal_low: [Vec4::INFINITY; 3],
        normal_high: [Vec4::NEG_INFINITY; 3],
        child: [LEAF; 4],
    };

    fn set(&mut self, lane: usize, place: Aabb, normal: Aabb) {
        for axis in 0..3 {
            self.low[axis][lane] = place.low[axis];
            self.high[axis][lane] = place.high[axis];
            self.normal_low[axis][lane] = normal.low[axis];
            self.normal_high[axis][lane] = normal.high[axis];
        }
    }

    fn normal_bounds(&self) -> Aabb {
        Aabb {
            low: Vec3::from_array(self.normal_low.map(Vec4::min_element)),
            high: Vec3::from_array(self.normal_high.map(Vec4::max_element)),
        }
    }

    fn bounds(&self) -> Aabb {
        Aabb {
            low: Vec3::from_array(self.low.map(Vec4::min_element)),
            high: Vec3::from_array(self.high.map(Vec4::max_element)),
        }
    }
}

/// An index over some triangles of a mesh. Triangle numbers in answers are positions in the
/// list it was built over.
///
/// ```
/// use glam::Vec3;
/// use tin_cloak_core::query::Bvh;
///
/// // A unit square in the plane z = 0, as two triangles.
/// let corners = [Vec3::ZERO, Vec3::X, Vec3::X + Vec3::Y, Vec3::Y];
/// let mut bvh = Bvh::build(&corners, &[[0, 1, 2], [0, 2, 3]]);
/// let near = bvh.closest(Vec3::new(0.5, 0.25, 2.0), f32::INFINITY).unwrap();
/// assert_eq!((near.triangle, near.point), (0, Vec3::new(0.5, 0.25, 0.0)));
///
/// // Its vertices move a metre up: the same tree follows.
/// let moved = corners.map(|p| p + Vec3::Z);
/// bvh.refit(&moved);
/// assert!(bvh.ray(Vec3::ZERO, Vec3::new(0.2, 0.2, 1.0), 0.0, 9.0, |_, _| true).unwrap().distance == 1.0);
/// ```
#[derive(Clone, Debug)]
pub struct Bvh {
    pub(super) nodes: Vec<Node>,
    /// The triangles, four a leaf.
    pub(super) leaves: Vec<Leaf>,
    /// Number of the triangle at each place: lane `i` of leaf `l` is place `4 l + i`.
    pub(super) order: Vec<u32>,
    /// The place of each triangle.
    pub(super) place: Vec<u32>,
    /// Vertex indices by place: what refitting reads.
    vertices: Vec<[u32; 3]>,
}

/// Leaf and count of a child that is one.
pub(super) fn leaf_of(child: u32) -> (usize, usize) {
    (((child & !LEAF) >> 3) as usize, (child & 7) as usize)
}

/// Fewer leaves than this are set on one thread.
const ALONE: usize = 1024;

impl Bvh {
    /// Builds the index over `triangles` with vertices at `positions` (metres). Triangles
    /// without area are fine (a triangle of one repeated vertex is a point).
    pub fn build(positions: &[Vec3], triangles: &[[u32; 3]]) -> Self {
        let (binary, numbers) = split_all(positions, triangles);
        let (nodes, spans) = collapse(&binary);
        let places = spans.len() * LEAF_SIZE;
        let (mut order, mut vertices) = (vec![u32::MAX; places], vec![[0; 3]; places]);
        let mut place = vec![0; numbers.len()];
        for (leaf, span) in spans.iter().enumerate() {
            let first = triangles[numbers[span.start] as usize];
            vertices[leaf * LEAF_SIZE..][..LEAF_SIZE].fill(first);
            for (&number, at) in numbers[span.clone()].iter().zip(leaf * LEAF_SIZE..) {
                order[at] = number;
                vertices[at] = triangles[number as usize];
                place[number as usize] = at as u32;
            }
        }
        let mut leaves = vec![Leaf::EMPTY; spans.len()];
        let set = leaves.par_iter_mut().zip(vertices.par_chunks_exact(LEAF_SIZE)).with_min_len(ALONE);
        set.for_each(|(leaf, vertices)| leaf.set_all(vertices, positions));
        let mut tree = Self { nodes, leaves, order, place, vertices };
        tree.refit_nodes(|_| true);
        tree
    }

    /// An index over points: answers are nearest points.
    pub fn over_points(points: &[Vec3]) -> Self {
        let triangles: Vec<[u32; 3]> = (0..points.len() as u32).map(|v| [v; 3]).collect();
        Self::build(points, &triangles)
    }

    /// Follows moved vertices: new boxes round the same triangles.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, query::Bvh, shapes::{moved, sphere}};
    ///
    /// let ball = sphere(1.0, 16);
    /// let mut tree = Bvh::build(&ball.0, &ball.1);
    /// tree.refit(&moved(ball, Vec3::X * 5.0).0);
    /// assert!(tree.closest(Vec3::ZERO, f32::INFINITY).unwrap().point.x > 3.9);
    /// ```
    pub fn refit(&mut self, positions: &[Vec3]) {
        let leaves = self.leaves.iter_mut().zip(self.vertices.chunks_exact(LEAF_SIZE));
        leaves.for_each(|(leaf, vertices)| leaf.set_all(vertices, positions));
        self.refit_nodes(|_| true);
    }

    /// The same to the bit where only some triangles have moved, by their numbers: what holds none of them is not
    /// looked at.
    pub fn refit_some(&mut self, positions: &[Vec3], triangles: &[u32]) {
        let mut is_moved = vec![false; self.leaves.len()];
        for triangle in triangles {
            let leaf = self.place[*triangle as usize] as usize / LEAF_SIZE;
            if !std::mem::replace(&mut is_moved[leaf], true) {
                self.leaves[leaf].set_all(&self.vertices[leaf * LEAF_SIZE..][..LEAF_SIZE], positions);
            }
        }
        self.refit_nodes(|leaf| is_moved[leaf]);
    }

    /// New boxes round the leaves that have moved, as they are.
    fn refit_nodes(&mut self, is_moved: impl Fn(usize) -> bool) {
        let mut is_new = vec![false; self.nodes.len()];
        // Children always come after their parent, so backwards is bottom-up.
        for n in (0..self.nodes.len()).rev() {
            for lane in 0..4 {
                let child = self.nodes[n].child[lane];
                let (place, normal) = if child & LEAF == 0 {
                    if !is_new[child as usize] {
                        continue;
                    }
                    let node = &self.nodes[child as usize];
                    (node.bounds(), node.normal_bounds())
                } else {
                    let (leaf, count) = leaf_of(child);
                    if count == 0 || !is_moved(leaf) {
                        continue;
                    }
                    self.leaves[leaf].bounds()
                };
                self.nodes[n].set(lane, place, normal);
                is_new[n] = true;
            }
        }
    }

    /// Bytes it takes up.
    pub fn bytes(&self) -> usize {
        let sizes = (std::mem::size_of::<Node>(), std::mem::size_of::<Leaf>());
        self.nodes.len() * sizes.0 + self.leaves.len() * sizes.1 + self.vertices.len() * 20
    }

    /// Number of triangles.
    pub fn len(&self) -> usize {
        self.place.len()
    }

    /// No triangles: every query answers nothing.
    pub fn is_empty(&self) -> bool {
        self.place.is_empty()
    }
}

/// Four-wide nodes, parents first, and the items of each leaf.
fn collapse(binary: &[Binary]) -> (Vec<Node>, Vec<std::ops::Range<usize>>) {
    let (mut nodes, mut leaves) = (Vec::new(), Vec::new());
    if binary.is_empty() {
        return (nodes, leaves);
    }
    nodes.push(Node::EMPTY);
    let mut pending = vec![(0usize, 0usize)];
    while let Some((root, node)) = pending.pop() {
        let (mut lanes, mut filled) = ([root; 4], 1);
        // Open the largest inner child until four are found.
        while filled < 4 {
            let inner = (0..filled).filter(|&lane| binary[lanes[lane]].right > 0);
            let largest = inner.max_by(|x, y| binary[lanes[*x]].area.total_cmp(&binary[lanes[*y]].area));
            let Some(lane) = largest else { break };
            let b = lanes[lane];
            lanes.copy_within(lane + 1..filled, lane + 2);
            (lanes[lane], lanes[lane + 1]) = (b + 1, b + binary[b].right as usize);
            filled += 1;
        }
        for (lane, b) in lanes.into_iter().take(filled).enumerate() {
            let Binary { first, count, right, .. } = binary[b];
            nodes[node].child[lane] = if right == 0 {
                leaves.push(first as usize..(first + count) as usize);
                LEAF | (leaves.len() as u32 - 1) << 3 | count
            } else {
                nodes.push(Node::EMPTY);
                pending.push((b, nodes.len() - 1));
                nodes.len() as u32 - 1
            };
        }
    }
    (nodes, leaves)
}
