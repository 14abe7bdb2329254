//! The index itself: a four-wide tree of boxes over triangles.
//!
//! Built once by binned surface-area splitting (Wald, “On fast construction of SAH-based
//! bounding volume hierarchies”, 2007), collapsed to four children a node so that one
//! vector instruction tests four boxes (Dammertz, Hanika & Keller, “Shallow bounding volume
//! hierarchies”, 2008), and refitted bottom-up when vertices move: the same boxes round the
//! same triangles, a tenth of the price of building.

use glam::{Vec3, Vec4};

pub(super) const LEAF: u32 = 1 << 31;
const LEAF_SIZE: usize = 4;
const BINS: usize = 16;

/// Four child boxes side by side. A child is an inner node's index, or `LEAF | first << 3 |
/// count` for `count` triangles from `first`; an empty place is a leaf of none in a box
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
    /// Corners of the triangles in leaf order: what queries read.
    pub(super) corners: Vec<[Vec3; 3]>,
    /// Unit normals in leaf order (zero without area): a normal is judged before a distance is
    /// computed.
    pub(super) normals: Vec<Vec3>,
    /// Number of the triangle at each place of the leaf order.
    pub(super) order: Vec<u32>,
    /// Vertex indices in leaf order: what refitting reads.
    vertices: Vec<[u32; 3]>,
}

#[derive(Clone, Copy)]
struct Aabb {
    low: Vec3,
    high: Vec3,
}

impl Aabb {
    const EMPTY: Self = Self { low: Vec3::INFINITY, high: Vec3::NEG_INFINITY };

    fn of(corners: &[Vec3; 3]) -> Self {
        let [a, b, c] = *corners;
        Self { low: a.min(b).min(c), high: a.max(b).max(c) }
    }

    fn join(self, other: Self) -> Self {
        Self { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    fn half_area(self) -> f32 {
        let d = (self.high - self.low).max(Vec3::ZERO);
        d.x * d.y + d.y * d.z + d.z * d.x
    }
}

pub(super) fn leaf_range(child: u32) -> std::ops::Range<usize> {
    let first = ((child & !LEAF) >> 3) as usize;
    first..first + (child & 7) as usize
}

impl Tree {
    /// Builds the index over `triangles` with vertices at `positions` (metres). Triangles
    /// without area are fine (a triangle of one repeated vertex is a point).
    pub fn build(positions: &[Vec3], triangles: &[[u32; 3]]) -> Self {
        let corners_of = |t: &[u32; 3]| t.map(|v| positions[v as usize]);
        let boxes: Vec<Aabb> = triangles.iter().map(|t| Aabb::of(&corners_of(t))).collect();
        let mut builder = Builder { boxes, order: (0..triangles.len() as u32).collect(), binary: Vec::new() };
        if !triangles.is_empty() {
            builder.split(0, triangles.len());
        }
        let mut nodes = Vec::new();
        builder.collapse(&mut nodes);
        let vertices: Vec<[u32; 3]> = builder.order.iter().map(|&t| triangles[t as usize]).collect();
        let mut tree =
            Self { nodes, corners: Vec::new(), normals: Vec::new(), order: builder.order, vertices };
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
        self.corners.clear();
        self.corners.extend(self.vertices.iter().map(|t| t.map(|v| positions[v as usize])));
        self.normals.clear();
        self.normals
            .extend(self.corners.iter().map(|[a, b, c]| (*b - *a).cross(*c - *a).normalize_or_zero()));
        // Children always come after their parent, so backwards is bottom-up.
        for n in (0..self.nodes.len()).rev() {
            for lane in 0..4 {
                let child = self.nodes[n].child[lane];
                let (place, normal) = if child & LEAF == 0 {
                    let node = &self.nodes[child as usize];
                    (node.bounds(), node.normal_bounds())
                } else {
                    leaf_range(child).fold((Aabb::EMPTY, Aabb::EMPTY), |(place, normal), i| {
                        let n = self.normals[i];
                        (place.join(Aabb::of(&self.corners[i])), normal.join(Aabb { low: n, high: n }))
                    })
                };
                self.nodes[n].set(lane, place, normal);
            }
        }
    }

    /// Number of triangles.
    pub fn len(&self) -> usize {
        self.order.len()
    }

    /// No triangles: every query answers nothing.
    pub fn is_empty(&self) -> bool {
        self.order.is_empty()
    }
}

enum Binary {
    Leaf { first: usize, count: usize },
    Inner { left: usize, right: usize, area: f32 },
}

struct Builder {
    boxes: Vec<Aabb>,
    order: Vec<u32>,
    binary: Vec<Binary>,
}

impl Builder {
    fn split(&mut self, first: usize, count: usize) -> usize {
        let range = first..first + count;
        let mut all = Aabb::EMPTY;
        let mut centres = Aabb::EMPTY;
        for &t in &self.order[range.clone()] {
            let b = self.boxes[t as usize];
            let c = (b.low + b.high) * 0.5;
            all = all.join(b);
            centres = centres.join(Aabb { low: c, high: c });
        }
        if count <= LEAF_SIZE {
            self.binary.push(Binary::Leaf { first, count });
            return self.binary.len() - 1;
        }
        let middle = self.partition(range, centres);
        let left = self.split(first, middle - first);
        let right = self.split(middle, first + count - middle);
        self.binary.push(Binary::Inner { left, right, area: all.half_area() });
        self.binary.len() - 1
    }

    /// Reorders the range about the cheapest of the binned planes; the middle when all
    /// centres coincide.
    fn partition(&mut self, range: std::ops::Range<usize>, centres: Aabb) -> usize {
        let extent = centres.high - centres.low;
        let mut best = (f32::INFINITY, 0, 0);
        for axis in 0..3 {
            if extent[axis] <= 0.0 {
                continue;
            }
            let (boxes, counts) = self.fill_bins(range.clone(), axis, centres);
            for (plane, cost) in plane_costs(&boxes, &counts) {
                if cost < best.0 {
                    best = (cost, axis, plane);
                }
            }
        }
        let half = (range.start + range.end) / 2;
        if best.0 == f32::INFINITY {
            return half;
        }
        let (_, axis, plane) = best;
        let boxes = &self.boxes;
        let slice = &mut self.order[range.clone()];
        let mut left: Vec<u32> = Vec::with_capacity(slice.len());
        let mut right: Vec<u32> = Vec::new();
        for &t in slice.iter() {
            let side = bin_of(&boxes[t as usize], axis, centres) < plane;
            if side { &mut left } else { &mut right }.push(t);
        }
        let middle = left.len();
        slice[..middle].copy_from_slice(&left);
        slice[middle..].copy_from_slice(&right);
        if middle == 0 || middle == slice.len() {
            half
        } else {
            range.start + middle
        }
    }

    fn fill_bins(
        &self,
        range: std::ops::Range<usize>,
        axis: usize,
        centres: Aabb,
    ) -> ([Aabb; BINS], [usize; BINS]) {
        let mut boxes = [Aabb::EMPTY; BINS];
        let mut counts = [0; BINS];
        for &t in &self.order[range] {
            let b = self.boxes[t as usize];
            let bin = bin_of(&b, axis, centres);
            boxes[bin] = boxes[bin].join(b);
            counts[bin] += 1;
        }
        (boxes, counts)
    }

    /// Emits four-wide nodes, parents first.
    fn collapse(&self, nodes: &mut Vec<Node>) {
        let Some(root) = self.binary.len().checked_sub(1) else { return };
        nodes.push(Node::EMPTY);
        let mut pending = vec![(root, 0usize)];
        while let Some((binary, node)) = pending.pop() {
            let mut lanes = vec![binary];
            // Open the largest inner child until four are found.
            while lanes.len() < 4 {
                let largest = lanes
                    .iter()
                    .enumerate()
                    .filter_map(|(i, &b)| match self.binary[b] {
                        Binary::Inner { area, .. } => Some((i, area)),
                        Binary::Leaf { .. } => None,
                    })
                    .max_by(|x, y| x.1.total_cmp(&y.1));
                let Some((i, _)) = largest else { break };
                if let Binary::Inner { left, right, .. } = self.binary[lanes[i]] {
                    lanes[i] = left;
                    lanes.insert(i + 1, right);
                }
            }
            for (lane, b) in lanes.into_iter().enumerate() {
                nodes[node].child[lane] = match self.binary[b] {
                    Binary::Leaf { first, count } => LEAF | (first as u32) << 3 | count as u32,
                    Binary::Inner { .. } => {
                        nodes.push(Node::EMPTY);
                        pending.push((b, nodes.len() - 1));
                        nodes.len() as u32 - 1
                    }
                };
            }
        }
    }
}

fn bin_of(b: &Aabb, axis: usize, centres: Aabb) -> usize {
    let c = (b.low[axis] + b.high[axis]) * 0.5;
    let t = (c - centres.low[axis]) / (centres.high[axis] - centres.low[axis]);
    ((t * BINS as f32) as usize).min(BINS - 1)
}

/// Cost of splitting before each bin: area times count on both sides.
fn plane_costs(boxes: &[Aabb; BINS], counts: &[usize; BINS]) -> Vec<(usize, f32)> {
    let mut right = [0.0f32; BINS];
    let (mut b, mut n) = (Aabb::EMPTY, 0);
    for i in (1..BINS).rev() {
        b = b.join(boxes[i]);
        n += counts[i];
        right[i] = if n > 0 { b.half_area() * n as f32 } else { f32::INFINITY };
    }
    let (mut b, mut n) = (Aabb::EMPTY, 0);
    let mut costs = Vec::with_capacity(BINS - 1);
    for plane in 1..BINS {
        b = b.join(boxes[plane - 1]);
        n += counts[plane - 1];
        if n > 0 && right[plane].is_finite() {
            costs.push((plane, b.half_area() * n as f32 + right[plane]));
        }
    }
    costs
}
