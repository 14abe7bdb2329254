//! Nodes that wait while a tree is walked, the nearest first.

use arrayvec::ArrayVec;
use glam::Vec4;

/// Depth first over four-wide nodes: three wait for each level. This is room for a tree over 2³²
/// triangles, a lopsided one too.
pub(super) const DEEPEST: usize = 192;

/// Nodes that wait, each with its distance. A search takes well under a microsecond: room that is not used is not
/// cleared for it.
pub(super) struct Stack(ArrayVec<(f32, u32), DEEPEST>);

impl Stack {
    /// With the root.
    #[inline(always)]
    pub fn at_root() -> Self {
        let mut items = ArrayVec::new();
        items.push((0.0, 0));
        Self(items)
    }

    /// Puts one on, wherever it is.
    #[inline(always)]
    pub fn put(&mut self, child: u32) {
        self.0.push((0.0, child));
    }

    /// The one put on last: of the children of a node the nearest.
    #[inline(always)]
    pub fn pop(&mut self) -> Option<(f32, u32)> {
        self.0.pop()
    }

    /// Puts the children nearer than `bound` on, the nearest last, so that it comes first.
    #[inline(always)]
    pub fn push(&mut self, children: &[u32; 4], distances: Vec4, bound: f32) {
        let first = self.0.len();
        let mut near = distances.cmplt(Vec4::splat(bound)).bitmask();
        let distances = distances.to_array();
        while near != 0 {
            let lane = near.trailing_zeros() as usize & 3;
            near &= near - 1;
            let item = (distances[lane], children[lane]);
            // Insertion into what is sorted by falling distance: at most three moves.
            let mut at = self.0.len();
            self.0.push(item);
            while at > first && self.0[at - 1].0 < item.0 {
                self.0[at] = self.0[at - 1];
                at -= 1;
            }
            self.0[at] = item;
        }
    }
}
