//! Two trees against each other: all pairs of triangles that meet.

use super::bounding_volume_hierarchy::{leaf_of, Node, LEAF};
use super::exclusion_mask::{ExclusionMask, Lanes};
use super::leaf::boxes_touch;
use super::triangle_pair::triangles_meet;
use super::Bvh;
use glam::{Vec3, Vec4};
use rayon::prelude::*;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};

/// A box, four lanes alike.
#[derive(Clone, Copy)]
struct Wide {
    low: [Vec4; 3],
    high: [Vec4; 3],
}

impl Wide {
    fn of_lane(node: &Node, lane: usize) -> Self {
        let one = |v: &[Vec4; 3]| [0, 1, 2].map(|axis| Vec4::splat(v[axis][lane]));
        Self { low: one(&node.low), high: one(&node.high) }
    }

    /// Lanes (as bits) of a node whose boxes it touches.
    fn touches(&self, node: &Node) -> u32 {
        let axis = |i: usize| self.low[i].cmple(node.high[i]) & self.high[i].cmpge(node.low[i]);
        (axis(0) & axis(1) & axis(2)).bitmask()
    }
}

/// What lies below a place of a tree.
#[derive(Clone, Debug)]
pub struct Subtree {
    /// The number of the place: it stays when the tree is refitted.
    pub place: usize,
    /// The triangles there.
    pub triangles: Vec<u32>,
}

/// Two children that wait to be looked into, one of each tree.
type Waiting = (u32, u32);

/// So many times as many pairs of leaves may lie near each other as pairs of triangles may meet.
const NEAR_FOR_MEETING: usize = 8;

/// So many pairs are handed to the threads.
const AT_ONCE: usize = 256;

impl Bvh {
    /// Pairs of a triangle of this tree and one of `other` that meet, sorted.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, query::Bvh, shapes::{moved, sphere}};
    ///
    /// let (one, other) = (sphere(0.1, 16), moved(sphere(0.1, 16), Vec3::X * 0.15));
    /// let (a, b) = (Bvh::build(&one.0, &one.1), Bvh::build(&other.0, &other.1));
    /// assert!(!a.meeting(&b).is_empty());
    /// let far = moved(other, Vec3::X);
    /// assert!(a.meeting(&Bvh::build(&far.0, &far.1)).is_empty());
    /// ```
    pub fn meeting(&self, other: &Self) -> Vec<(u32, u32)> {
        self.meeting_within(other, usize::MAX).unwrap_or_default()
    }

    /// The same, or none where there is more than so much of it: it is not gone on with then.
    pub fn meeting_within(&self, other: &Self, most: usize) -> Option<Vec<(u32, u32)>> {
        let open = |pair, inner: &mut Vec<_>, leaves: &mut Vec<_>| self.open(other, pair, inner, leaves);
        let mut found = self.all_meeting(other, &|_, _| Lanes::MAX, &open, most)?;
        found.par_sort_unstable();
        Some(found)
    }

    /// Pairs of triangles of this tree that meet, but for those that are `let_be`, the lower number first, sorted.
    /// Triangles that share a corner meet there.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, query::{Bvh, ExclusionMask}, shapes::{joined, moved, sphere}};
    ///
    /// let two = joined(sphere(0.1, 16), moved(sphere(0.1, 16), Vec3::X * 0.15));
    /// let tree = Bvh::build(&two.0, &two.1);
    /// let half = two.1.len() as u32 / 2;
    /// let same = |f: u32, found: &mut Vec<u32>| {
    ///     found.extend((0..2 * half).filter(|g| (*g < half) == (f < half)));
    /// };
    /// let found = tree.meeting_itself(&ExclusionMask::new(&tree, &same, Vec::new()));
    /// assert!(!found.is_empty() && found.iter().all(|(f, g)| *f < half && *g >= half));
    /// ```
    pub fn meeting_itself(&self, let_be: &ExclusionMask) -> Vec<(u32, u32)> {
        self.meeting_itself_within(let_be, usize::MAX).unwrap_or_default()
    }

    /// The same, or none where there is more than so much of it: it is not gone on with then.
    pub fn meeting_itself_within(&self, let_be: &ExclusionMask, most: usize) -> Option<Vec<(u32, u32)>> {
        let open = |pair: Waiting, inner: &mut Vec<_>, leaves: &mut Vec<_>| {
            if let_be.all_below(self.place_of(pair.0), self.place_of(pair.1)) {
                return;
            }
            if pair.0 == pair.1 && pair.0 & LEAF == 0 {
                self.open_alone(pair.0, inner, leaves);
            } else {
                self.open(self, pair, inner, leaves);
            }
        };
        let mut found = self.all_meeting(self, &|a, b| !let_be.of_leaves(a, b), &open, most)?;
        found.iter_mut().for_each(|p| *p = (p.0.min(p.1), p.0.max(p.1)));
        found.par_sort_unstable();
        Some(found)
    }

    /// What lies below each place that has at most so many triangles.
    pub fn subtrees(&self, most: usize) -> Vec<Subtree> {
        let mut below: Vec<Subtree> = Vec::new();
        let mut of_node: Vec<Vec<u32>> = vec![Vec::new(); self.nodes.len()];
        let leaf = |child: u32| {
            let (leaf, count) = leaf_of(child);
            self.order[leaf * 4..leaf * 4 + count].to_vec()
        };
        // Children come after their parents.
        for n in (0..self.nodes.len()).rev() {
            for child in self.nodes[n].child.into_iter().filter(|c| *c != LEAF) {
                let triangles = match child & LEAF == 0 {
                    true => of_node[child as usize].clone(),
                    false => leaf(child),
                };
                of_node[n].extend_from_slice(&triangles);
                if triangles.len() <= most {
                    below.push(Subtree { place: self.place_of(child), triangles });
                }
            }
        }
        below
    }

    fn all_meeting(
        &self,
        other: &Self,
        wanted: &(impl Fn(usize, usize) -> Lanes + Sync),
        open: &(impl Fn(Waiting, &mut Vec<Waiting>, &mut Vec<Waiting>) + Sync),
        most: usize,
    ) -> Option<Vec<(u32, u32)>> {
        if self.is_empty() || other.is_empty() {
            return Some(Vec::new());
        }
        // Leaves lie near each other in many more pairs than triangles meet.
        let most_near = most.saturating_mul(NEAR_FOR_MEETING);
        let (near, met) = (AtomicUsize::new(0), AtomicUsize::new(0));
        // Breadth first until there is work for all, then each by itself.
        let mut front: Vec<Waiting> = vec![(0, 0)];
        let mut leaves = Vec::new();
        while !front.is_empty() && front.len() < AT_ONCE {
            let next = std::mem::take(&mut front);
            next.into_iter().for_each(|pair| open(pair, &mut front, &mut leaves));
        }
        let deep = front.into_par_iter().flat_map_iter(|pair| {
            let (mut stack, mut found) = (vec![pair], Vec::new());
            while let Some(pair) = stack.pop() {
                let before = found.len();
                open(pair, &mut stack, &mut found);
                let more = found.len() - before;
                if near.fetch_add(more, Relaxed) + more > most_near {
                    break;
                }
            }
            found
        });
        leaves.par_extend(deep);
        let test = |pairs: &[Waiting]| {
            let mut found = Vec::new();
            if met.load(Relaxed) <= most {
                pairs.iter().for_each(|pair| self.leaves_meet(other, *pair, wanted, &mut found));
                met.fetch_add(found.len(), Relaxed);
            }
            found
        };
        if leaves.len().max(near.into_inner()) > most_near {
            return None;
        }
        let found: Vec<(u32, u32)> = leaves.par_chunks(AT_ONCE).flat_map_iter(test).collect();
        (found.len() <= most).then_some(found)
    }

    /// The same of a node against itself: each two children once.
    fn open_alone(&self, a: u32, inner: &mut Vec<Waiting>, leaves: &mut Vec<Waiting>) {
        let n = &self.nodes[a as usize];
        for i in (0..4).filter(|i| n.child[*i] != LEAF) {
            let touched = Wide::of_lane(n, i).touches(n);
            for k in (i..4).filter(|k| touched >> k & 1 == 1) {
                let both = n.child[i] & LEAF != 0 && n.child[k] & LEAF != 0;
                if both { &mut *leaves } else { &mut *inner }.push((n.child[i], n.child[k]));
            }
        }
    }

    /// Puts the children of a pair that touch on `inner`, or on `leaves` when both are leaves.
    fn open(&self, other: &Self, (a, b): Waiting, inner: &mut Vec<Waiting>, leaves: &mut Vec<Waiting>) {
        let mut put = |a: u32, b: u32| {
            let both = a & LEAF != 0 && b & LEAF != 0;
            if both {
                leaves.push((a, b));
            } else {
                inner.push((a, b));
            }
        };
        let lanes = |bits: u32| (0..4).filter(move |lane| bits >> lane & 1 == 1);
        match (a & LEAF == 0, b & LEAF == 0) {
            (true, true) => {
                let (n, m) = (&self.nodes[a as usize], &other.nodes[b as usize]);
                for i in (0..4).filter(|i| n.child[*i] != LEAF) {
                    lanes(Wide::of_lane(n, i).touches(m)).for_each(|k| put(n.child[i], m.child[k]));
                }
            }
            (true, false) => {
                let (n, own) = (&self.nodes[a as usize], other.leaf_box(b));
                lanes(own.touches(n)).for_each(|i| put(n.child[i], b));
            }
            (false, true) => {
                let (own, m) = (self.leaf_box(a), &other.nodes[b as usize]);
                lanes(own.touches(m)).for_each(|k| put(a, m.child[k]));
            }
            (false, false) => leaves.push((a, b)),
        }
    }

    fn leaf_box(&self, child: u32) -> Wide {
        let place = self.leaves[leaf_of(child).0].bounds().0;
        let wide = |v: Vec3| [Vec4::splat(v.x), Vec4::splat(v.y), Vec4::splat(v.z)];
        Wide { low: wide(place.low), high: wide(place.high) }
    }

    fn leaves_meet(
        &self,
        other: &Self,
        (a, b): Waiting,
        wanted: &impl Fn(usize, usize) -> Lanes,
        found: &mut Vec<(u32, u32)>,
    ) {
        let ((la, na), (lb, nb)) = (leaf_of(a), leaf_of(b));
        let wanted = wanted(la, lb);
        if wanted == 0 {
            return;
        }
        let (own_boxes, boxes) = (self.leaves[la].boxes(), other.leaves[lb].boxes());
        for i in 0..na {
            let mut near =
                boxes_touch(&boxes, &own_boxes, i) & ((1 << nb) - 1) & u32::from(wanted >> (4 * i));
            if std::ptr::eq(self, other) && a == b {
                // Of a leaf against itself each two once.
                near &= !((2 << i) - 1);
            }
            if near == 0 {
                continue;
            }
            let (t, own) = (self.order[la * 4 + i], self.leaves[la].corners(i));
            let mut lanes = other.leaves[lb].may_meet(own, near);
            while lanes != 0 {
                let k = lanes.trailing_zeros() as usize;
                lanes &= lanes - 1;
                let u = other.order[lb * 4 + k];
                if triangles_meet(own, other.leaves[lb].corners(k)) {
                    found.push((t, u));
                }
            }
        }
    }
}
