//! Triangles of one tree that are not asked against each other, settled once for every pose.

use super::bounding_volume_hierarchy::{Bvh, LEAF};
use super::leaf::LEAF_SIZE;
use rayon::prelude::*;

/// Of two leaves: bit `4 i + k` for triangle `i` of the one and `k` of the other.
pub(super) type Lanes = u16;

/// Triangles of one tree that are not asked against each other.
#[derive(Clone, Debug, Default)]
pub struct ExclusionMask {
    /// By place of the tree (see [`Bvh::subtrees`]): places below which none needs to be asked against any below this
    /// one, ascending.
    places: Vec<Box<[u32]>>,
    /// By leaf: leaves of which some are not asked, ascending, and which.
    leaves: Vec<Box<[(u32, Lanes)]>>,
}

impl ExclusionMask {
    /// For a tree: `next` puts the triangles that one is not asked against on a list, in any order and as often as it
    /// likes; `places`, by place of the tree (as many as there are known of; in any order within a row, both ways),
    /// those below which none needs to be: they are passed over where both come up together, so that something of them
    /// may be found all the same.
    ///
    /// ```
    /// use tin_cloak_core::{query::{Bvh, ExclusionMask}, shapes::sphere};
    ///
    /// // Neighbours meet in the corner that they share, unless they are let be.
    /// let ball = sphere(0.1, 16);
    /// let tree = Bvh::build(&ball.0, &ball.1);
    /// assert!(!tree.meeting_itself(&ExclusionMask::default()).is_empty());
    /// let joined = |f: u32, g: u32| ball.1[f as usize].iter().any(|v| ball.1[g as usize].contains(v));
    /// let next = |f: u32, found: &mut Vec<u32>| found.extend((0..ball.1.len() as u32).filter(|g| joined(f, *g)));
    /// assert!(tree.meeting_itself(&ExclusionMask::new(&tree, &next, Vec::new())).is_empty());
    /// ```
    pub fn new(tree: &Bvh, next: &(impl Fn(u32, &mut Vec<u32>) + Sync), places: Vec<Vec<u32>>) -> Self {
        let (nodes, leaves) = (tree.nodes.len() as u32, tree.leaves.len());
        let of_leaf = |(of, others): &mut (Vec<Lanes>, Vec<u32>), leaf: usize| {
            let mut found: Vec<u32> = Vec::new();
            let mut add = |other: u32, lanes: Lanes| {
                if of[other as usize] == 0 {
                    found.push(other);
                }
                of[other as usize] |= lanes;
            };
            for (lane, triangle) in tree.order[leaf * LEAF_SIZE..][..LEAF_SIZE].iter().enumerate() {
                others.clear();
                if *triangle != u32::MAX {
                    next(*triangle, others);
                }
                for other in others.iter() {
                    let at = tree.place[*other as usize] as usize;
                    add((at / LEAF_SIZE) as u32, 1 << (LEAF_SIZE * lane + at % LEAF_SIZE));
                }
            }
            let whole = places.get(nodes as usize + leaf).into_iter().flatten();
            whole.filter(|p| **p >= nodes).for_each(|p| add(*p - nodes, Lanes::MAX));
            found.sort_unstable();
            found.into_iter().map(|other| (other, std::mem::take(&mut of[other as usize]))).collect()
        };
        let sorted = |mut row: Vec<u32>| {
            row.sort_unstable();
            row.into()
        };
        let room = || (vec![0; leaves], Vec::new());
        let by_leaf = (0..leaves).into_par_iter().map_init(room, of_leaf).collect();
        Self { places: places.into_iter().map(sorted).collect(), leaves: by_leaf }
    }

    /// True when nothing below two places of the tree is asked against each other.
    pub(super) fn all_below(&self, a: usize, b: usize) -> bool {
        self.places.get(a).is_some_and(|row| row.binary_search(&(b as u32)).is_ok())
    }

    /// Which triangles of two leaves are not.
    pub(super) fn of_leaves(&self, a: usize, b: usize) -> Lanes {
        let row = self.leaves.get(a).map_or(&[][..], |row| row);
        row.binary_search_by_key(&(b as u32), |other| other.0).map_or(0, |at| row[at].1)
    }

    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        let places: usize = self.places.iter().map(|row| 16 + row.len() * 4).sum();
        places + self.leaves.iter().map(|row| 16 + row.len() * 8).sum::<usize>()
    }
}

impl Bvh {
    /// The number of a child among all places of the tree.
    pub(super) fn place_of(&self, child: u32) -> usize {
        match child & LEAF == 0 {
            true => child as usize,
            false => self.nodes.len() + super::bounding_volume_hierarchy::leaf_of(child).0,
        }
    }
}
