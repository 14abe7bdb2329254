//! The index itself: a four-wide tree of boxes over triangles.
//!
//! Built once by binned surface-area splitting (Wald, “On fast construction of SAH-based
//! bounding volume hierarchies”, 2007), collapsed to four children a node so that one
//! vector instruction tests four boxes (Dammertz, Hanika & Keller, “Shallow bounding volume
//! hierarchies”, 2008), and refitted bottom-up when vertices move: the same boxes round the
//! same triangles, a tenth of the price of building.

use super::leaf::{Leaf, LEAF_SIZE};
use glam::{Vec3, Vec4};

pub(super) const LEAF: u32 = 1 << 31;
const BINS: usize = 16;

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
#[derive(Clone, Debug)]
pub struct Tree {
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

#[derive(Clone, Copy)]
pub(super) struct Aabb {
    pub low: Vec3,
    pub high: Vec3,
}

impl Aabb {
    pub const EMPTY: Self = Self { low: Vec3::INFINITY, high: Vec3::NEG_INFINITY };

    pub fn of(corners: &[Vec3; 3]) -> Self {
        let [a, b, c] = *corners;
        Self { low: a.min(b).min(c), high: a.max(b).max(c) }
    }

    pub fn join(self, other: Self) -> Self {
        Self { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    fn half_area(self) -> f32 {
        let d = (self.high - self.low).max(Vec3::ZERO);
        d.x * d.y + d.y * d.z + d.z * d.x
    }
}

/// Leaf and count of a child that is one.
pub(super) fn leaf_of(child: u32) -> (usize, usize) {
    (((child & !LEAF) >> 3) as usize, (child & 7) as usize)
}

impl Tree {
    /// Builds the index over `triangles` with vertices at `positions` (metres). Triangles
    /// without area are fine (a triangle of one repeated vertex is a point).
    pub fn build(positions: &[Vec3], triangles: &[[u32; 3]]) -> Self {
        let corners_of = |t: &[u32; 3]| t.map(|v| positions[v as usize]);
        let boxes: Vec<Aabb> = triangles.iter().map(|t| Aabb::of(&corners_of(t))).collect();
        let mut items: Vec<Item> = boxes.iter().zip(0..).map(|(b, t)| Item::new(b, t)).collect();
        let mut binary = vec![Binary::LEAF; 2 * items.len()];
        if !items.is_empty() {
            split(&mut items, 0, &mut binary);
        }
        let (nodes, spans) = collapse(&binary);
        let places = spans.len() * LEAF_SIZE;
        let (mut order, mut vertices) = (vec![u32::MAX; places], vec![[0; 3]; places]);
        let mut place = vec![0; items.len()];
        for (leaf, span) in spans.iter().enumerate() {
            let first = triangles[items[span.start].triangle as usize];
            vertices[leaf * LEAF_SIZE..][..LEAF_SIZE].fill(first);
            for (item, at) in items[span.clone()].iter().zip(leaf * LEAF_SIZE..) {
                order[at] = item.triangle;
                vertices[at] = triangles[item.triangle as usize];
                place[item.triangle as usize] = at as u32;
            }
        }
        let leaves = vec![Leaf::EMPTY; spans.len()];
        let mut tree = Self { nodes, leaves, order, place, vertices };
        tree.refit(positions);
        tree
    }

    /// An index over points: answers are nearest points.
    pub fn over_points(points: &[Vec3]) -> Self {
        let triangles: Vec<[u32; 3]> = (0..points.len() as u32).map(|v| [v; 3]).collect();
        Self::build(points, &triangles)
    }

    /// Follows moved vertices: new boxes round the same triangles.
    pub fn refit(&mut self, positions: &[Vec3]) {
        for (leaf, vertices) in self.leaves.iter_mut().zip(self.vertices.chunks_exact(LEAF_SIZE)) {
            for (lane, t) in vertices.iter().enumerate() {
                leaf.set(lane, t.map(|v| positions[v as usize]));
            }
        }
        // Children always come after their parent, so backwards is bottom-up.
        for n in (0..self.nodes.len()).rev() {
            for lane in 0..4 {
                let child = self.nodes[n].child[lane];
                let (place, normal) = if child & LEAF == 0 {
                    let node = &self.nodes[child as usize];
                    (node.bounds(), node.normal_bounds())
                } else {
                    let (leaf, count) = leaf_of(child);
                    if count == 0 {
                        continue;
                    }
                    self.leaves[leaf].bounds()
                };
                self.nodes[n].set(lane, place, normal);
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

/// A node of the binary tree that is built first. Nodes of a subtree over `n` triangles take
/// the `2 n − 1` places from its root on, so that both halves can be built at once.
#[derive(Clone, Copy)]
struct Binary {
    /// First triangle in leaf order and how many.
    first: u32,
    count: u32,
    /// Where the right child is, counted from this node; the left one comes next. 0 in a leaf.
    right: u32,
    area: f32,
}

impl Binary {
    const LEAF: Self = Self { first: 0, count: 0, right: 0, area: 0.0 };
}

/// A triangle as the builder sees it.
#[derive(Clone, Copy)]
struct Item {
    place: Aabb,
    /// Twice the middle of its box.
    centre: Vec3,
    triangle: u32,
}

impl Item {
    fn new(place: &Aabb, triangle: u32) -> Self {
        Self { place: *place, centre: place.low + place.high, triangle }
    }
}

/// Below this many triangles another thread costs more than it brings.
const ALONE: usize = 2048;

fn split(items: &mut [Item], first: usize, nodes: &mut [Binary]) {
    let (mut all, mut centres) = (Aabb::EMPTY, Aabb::EMPTY);
    for item in items.iter() {
        all = all.join(item.place);
        centres = centres.join(Aabb { low: item.centre, high: item.centre });
    }
    let count = items.len();
    nodes[0] = Binary { first: first as u32, count: count as u32, right: 0, area: all.half_area() };
    if count <= LEAF_SIZE {
        return;
    }
    let middle = partition(items, centres);
    nodes[0].right = 2 * middle as u32;
    let (left, right) = items.split_at_mut(middle);
    let (left_nodes, right_nodes) = nodes[1..].split_at_mut(2 * middle - 1);
    let mut build_left = || split(left, first, left_nodes);
    let mut build_right = || split(right, first + middle, right_nodes);
    if count < ALONE {
        build_left();
        build_right();
    } else {
        rayon::join(build_left, build_right);
    }
}

/// Reorders the items about the cheapest of the binned planes, or in halves as they are when
/// all centres coincide, and answers where the second part begins.
fn partition(items: &mut [Item], centres: Aabb) -> usize {
    let bins = Bins::fill(items, centres);
    let cheapest = (0..3).filter_map(|axis| bins.cheapest_plane(axis)).min_by(|a, b| a.0.total_cmp(&b.0));
    let Some((_, axis, plane)) = cheapest else { return items.len() / 2 };
    let mut middle = 0;
    for i in 0..items.len() {
        if bins.of(items[i].centre)[axis] < plane {
            items.swap(middle, i);
            middle += 1;
        }
    }
    middle
}

/// Boxes and counts of the triangles in equal slices along each axis.
struct Bins {
    low: Vec3,
    /// Bins a metre; 0 along an axis without extent.
    scale: Vec3,
    boxes: [[Aabb; BINS]; 3],
    counts: [[u32; BINS]; 3],
}

impl Bins {
    fn fill(items: &[Item], centres: Aabb) -> Self {
        let extent = centres.high - centres.low;
        let scale = Vec3::select(extent.cmpgt(Vec3::ZERO), BINS as f32 / extent, Vec3::ZERO);
        let mut bins =
            Self { low: centres.low, scale, boxes: [[Aabb::EMPTY; BINS]; 3], counts: [[0; BINS]; 3] };
        for item in items {
            let at = bins.of(item.centre);
            for axis in 0..3 {
                let slot = &mut bins.boxes[axis][at[axis]];
                *slot = slot.join(item.place);
                bins.counts[axis][at[axis]] += 1;
            }
        }
        bins
    }

    fn of(&self, centre: Vec3) -> [usize; 3] {
        ((centre - self.low) * self.scale).to_array().map(|t| (t as usize).min(BINS - 1))
    }

    /// Cost (area times count on both sides), axis and plane of the cheapest split before a bin.
    fn cheapest_plane(&self, axis: usize) -> Option<(f32, usize, usize)> {
        let (boxes, counts) = (&self.boxes[axis], &self.counts[axis]);
        let mut right = [0.0f32; BINS];
        let (mut b, mut n) = (Aabb::EMPTY, 0);
        for i in (1..BINS).rev() {
            (b, n) = (b.join(boxes[i]), n + counts[i]);
            right[i] = if n > 0 { b.half_area() * n as f32 } else { f32::INFINITY };
        }
        let mut best: Option<(f32, usize, usize)> = None;
        let (mut b, mut n) = (Aabb::EMPTY, 0);
        for plane in 1..BINS {
            (b, n) = (b.join(boxes[plane - 1]), n + counts[plane - 1]);
            let cost = b.half_area() * n as f32 + right[plane];
            if n > 0 && cost < best.map_or(f32::INFINITY, |b| b.0) {
                best = Some((cost, axis, plane));
            }
        }
        best
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
        let mut lanes = vec![root];
        // Open the largest inner child until four are found.
        while lanes.len() < 4 {
            let inner = lanes.iter().enumerate().filter(|(_, &b)| binary[b].right > 0);
            let largest = inner.max_by(|x, y| binary[*x.1].area.total_cmp(&binary[*y.1].area));
            let Some((lane, &b)) = largest else { break };
            lanes[lane] = b + 1;
            lanes.insert(lane + 1, b + binary[b].right as usize);
        }
        for (lane, b) in lanes.into_iter().enumerate() {
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
