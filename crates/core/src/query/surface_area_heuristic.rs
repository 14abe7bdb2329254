//! Where to split: the surface area heuristic, binned.
//!
//! Wald, “On fast construction of SAH-based bounding volume hierarchies”, 2007: triangles are thrown
//! into a few slices along each axis by the middle of their box, and the plane between two slices is
//! taken at which area times count, on both sides, is least. Small parts have fewer slices: that is
//! where most of the work is.

use super::leaf::LEAF_SIZE;
use glam::{Vec3, Vec3A};
use rayon::prelude::*;

/// Among so few triangles the middle one is as good as any plane.
const FEW: usize = 16;
/// Below this many triangles another thread costs more than it brings.
const ALONE: usize = 1024;
/// From so many on even a single pass over them is shared.
const SHARED: usize = 8192;

/// A node of the binary tree that is built first. Nodes of a subtree over `n` triangles take
/// the `2 n − 1` places from its root on, so that both halves can be built at once.
#[derive(Clone, Copy, Debug)]
pub(super) struct Binary {
    /// First triangle in leaf order and how many.
    pub first: u32,
    pub count: u32,
    /// Where the right child is, counted from this node; the left one comes next. 0 in a leaf.
    pub right: u32,
    /// Half the area of its box.
    pub area: f32,
}

impl Binary {
    const LEAF: Self = Self { first: 0, count: 0, right: 0, area: 0.0 };
}

/// The binary tree over `triangles` (vertices at `positions`, metres), and their numbers in the
/// order of its leaves.
pub(super) fn split_all(positions: &[Vec3], triangles: &[[u32; 3]]) -> (Vec<Binary>, Vec<u32>) {
    let item = |(n, t): (usize, &[u32; 3])| Item::new(positions, t, n as u32);
    let mut items: Vec<Item> = triangles.par_iter().enumerate().with_min_len(ALONE).map(item).collect();
    let mut binary = vec![Binary::LEAF; 2 * items.len()];
    if !items.is_empty() {
        let round = Round::all(&items);
        split(&mut items, round, 0, &mut binary);
    }
    (binary, items.iter().map(|item| item.triangle).collect())
}

/// A box in vector registers.
#[derive(Clone, Copy)]
struct Bounds {
    low: Vec3A,
    high: Vec3A,
}

impl Bounds {
    const EMPTY: Self = Self { low: Vec3A::INFINITY, high: Vec3A::NEG_INFINITY };

    fn join(self, other: Self) -> Self {
        Self { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    fn half_area(self) -> f32 {
        let d = (self.high - self.low).max(Vec3A::ZERO);
        d.x * d.y + d.y * d.z + d.z * d.x
    }
}

/// A triangle as the builder sees it.
#[derive(Clone, Copy)]
struct Item {
    place: Bounds,
    triangle: u32,
}

impl Item {
    fn new(positions: &[Vec3], corners: &[u32; 3], triangle: u32) -> Self {
        let [a, b, c] = corners.map(|v| Vec3A::from(positions[v as usize]));
        Self { place: Bounds { low: a.min(b).min(c), high: a.max(b).max(c) }, triangle }
    }

    /// Twice the middle of its box.
    fn centre(&self) -> Vec3A {
        self.place.low + self.place.high
    }
}

/// Boxes round some triangles, and round the (doubled) middles of theirs.
#[derive(Clone, Copy)]
struct Round {
    all: Bounds,
    centres: Bounds,
}

impl Round {
    const NOTHING: Self = Self { all: Bounds::EMPTY, centres: Bounds::EMPTY };

    fn all(items: &[Item]) -> Self {
        if items.len() >= SHARED {
            let (left, right) = items.split_at(items.len() / 2);
            let (a, b) = rayon::join(|| Self::all(left), || Self::all(right));
            return Self { all: a.all.join(b.all), centres: a.centres.join(b.centres) };
        }
        let with = |r: Self, item: &Item| Self { all: r.all.join(item.place), ..r.with_centre(item) };
        items.iter().fold(Self::NOTHING, with)
    }

    #[inline(always)]
    fn with_centre(self, item: &Item) -> Self {
        let centre = item.centre();
        Self { centres: self.centres.join(Bounds { low: centre, high: centre }), ..self }
    }
}

fn split(items: &mut [Item], round: Round, first: usize, nodes: &mut [Binary]) {
    let count = items.len();
    nodes[0] = Binary { first: first as u32, count: count as u32, right: 0, area: round.all.half_area() };
    if count <= LEAF_SIZE {
        return;
    }
    let (middle, [round_left, round_right]) = partition(items, round);
    nodes[0].right = 2 * middle as u32;
    let (left, right) = items.split_at_mut(middle);
    let (left_nodes, right_nodes) = nodes[1..].split_at_mut(2 * middle - 1);
    let mut build_left = || split(left, round_left, first, left_nodes);
    let mut build_right = || split(right, round_right, first + middle, right_nodes);
    if count < ALONE {
        build_left();
        build_right();
    } else {
        rayon::join(build_left, build_right);
    }
}

/// Reorders the items about a plane and answers where the second part begins, and the boxes round
/// both parts.
fn partition(items: &mut [Item], round: Round) -> (usize, [Round; 2]) {
    match items.len() {
        0..=FEW => halve(items, round),
        n if n <= 256 => partition_binned::<8>(items, round),
        _ => partition_binned::<16>(items, round),
    }
}

/// About the middle one along the longest axis: among so few no plane is much better.
fn halve(items: &mut [Item], round: Round) -> (usize, [Round; 2]) {
    let extent = round.centres.high - round.centres.low;
    let axis = (0..3).max_by(|a, b| extent[*a].total_cmp(&extent[*b])).unwrap_or(0);
    let middle = items.len() / 2;
    let key = |item: &Item| item.place.low[axis] + item.place.high[axis];
    let order = |a: &Item, b: &Item| key(a).total_cmp(&key(b)).then(a.triangle.cmp(&b.triangle));
    items.select_nth_unstable_by(middle, order);
    (middle, [Round::all(&items[..middle]), Round::all(&items[middle..])])
}

/// About the cheapest of the planes between `N` slices, or in halves when all centres coincide.
fn partition_binned<const N: usize>(items: &mut [Item], round: Round) -> (usize, [Round; 2]) {
    let slices = Slices::<N>::whole(round.centres);
    let mut bins = Bins::<N>::EMPTY;
    slices.fill(items, &mut bins);
    let cheapest = (0..3).filter_map(|axis| bins.cheapest_plane(axis)).min_by(|a, b| a.0.total_cmp(&b.0));
    let Some((_, axis, plane)) = cheapest else { return halve(items, round) };
    let before = |item: &Item| slices.of_item(item)[axis] < plane;
    let boxes = |range: std::ops::Range<usize>| {
        let all = bins.boxes[axis][range].iter().fold(Bounds::EMPTY, |a, b| a.join(*b));
        Round { all, ..Round::NOTHING }
    };
    let (mut left, mut right) = (boxes(0..plane), boxes(plane..N));
    let (mut middle, mut end) = (0, items.len());
    while middle < end {
        if before(&items[middle]) {
            left = left.with_centre(&items[middle]);
            middle += 1;
        } else {
            end -= 1;
            items.swap(middle, end);
            right = right.with_centre(&items[end]);
        }
    }
    (middle, [left, right])
}

/// `N` slices along each axis, equal but for the outer ones, which are half as wide.
#[derive(Clone, Copy)]
struct Slices<const N: usize> {
    low: Vec3A,
    /// Slices a metre; 0 along an axis without extent.
    scale: Vec3A,
}

/// Added to a small number, the sum has it rounded in its last bits: faster than a conversion.
const ROUNDS: f32 = 8_388_608.0;

impl<const N: usize> Slices<N> {
    fn whole(centres: Bounds) -> Self {
        let extent = centres.high - centres.low;
        let scale = Vec3A::select(extent.cmpgt(Vec3A::ZERO), (N - 1) as f32 / extent, Vec3A::ZERO);
        Self { low: centres.low, scale }
    }

    /// The slice of a triangle along each axis.
    #[inline(always)]
    fn of_item(&self, item: &Item) -> [usize; 3] {
        let rounded = (item.centre() - self.low) * self.scale + ROUNDS;
        rounded.to_array().map(|x| x.to_bits() as usize % N)
    }

    fn fill(&self, items: &[Item], bins: &mut Bins<N>) {
        if items.len() >= SHARED {
            let (left, right) = items.split_at(items.len() / 2);
            let mut other = Bins::EMPTY;
            rayon::join(|| self.fill(left, bins), || self.fill(right, &mut other));
            bins.join(&other);
            return;
        }
        for item in items {
            let at = self.of_item(item);
            for (axis, slice) in at.into_iter().enumerate() {
                let slot = &mut bins.boxes[axis][slice];
                *slot = slot.join(item.place);
                bins.counts[axis][slice] += 1;
            }
        }
    }
}

/// Boxes and counts of the triangles in each slice.
struct Bins<const N: usize> {
    boxes: [[Bounds; N]; 3],
    counts: [[u32; N]; 3],
}

impl<const N: usize> Bins<N> {
    const EMPTY: Self = Self { boxes: [[Bounds::EMPTY; N]; 3], counts: [[0; N]; 3] };

    fn join(&mut self, other: &Self) {
        for axis in 0..3 {
            for slice in 0..N {
                let own = &mut self.boxes[axis][slice];
                *own = own.join(other.boxes[axis][slice]);
                self.counts[axis][slice] += other.counts[axis][slice];
            }
        }
    }

    /// Cost (area times count on both sides), axis and plane of the cheapest split before a slice.
    fn cheapest_plane(&self, axis: usize) -> Option<(f32, usize, usize)> {
        let (boxes, counts) = (&self.boxes[axis], &self.counts[axis]);
        let mut right = [0.0f32; N];
        let (mut b, mut n) = (Bounds::EMPTY, 0);
        for i in (1..N).rev() {
            (b, n) = (b.join(boxes[i]), n + counts[i]);
            right[i] = if n > 0 { b.half_area() * n as f32 } else { f32::INFINITY };
        }
        let mut best: Option<(f32, usize, usize)> = None;
        let (mut b, mut n) = (Bounds::EMPTY, 0);
        for plane in 1..N {
            (b, n) = (b.join(boxes[plane - 1]), n + counts[plane - 1]);
            let cost = b.half_area() * n as f32 + right[plane];
            if n > 0 && cost < best.map_or(f32::INFINITY, |b| b.0) {
                best = Some((cost, axis, plane));
            }
        }
        best
    }
}
