//! Nodes that wait while a tree is walked, the nearest first.

use glam::Vec4;

/// Depth first over four-wide nodes: three wait for each level. This is room for a tree over 2³²
/// triangles, a lopsided one too.
pub(super) const DEEPEST: usize = 192;

/// Nodes that wait, each with its distance.
pub(super) struct Stack {
    items: [(f32, u32); DEEPEST],
    len: usize,
}

impl Stack {
    /// With the root.
    #[inline(always)]
    pub fn at_root() -> Self {
        Self { items: [(0.0, 0); DEEPEST], len: 1 }
    }

    /// Puts one on, wherever it is.
    #[inline(always)]
    pub fn put(&mut self, child: u32) {
        self.items[self.len] = (0.0, child);
        self.len += 1;
    }

    /// The one put on last: of the children of a node the nearest.
    #[inline(always)]
    pub fn pop(&mut self) -> Option<(f32, u32)> {
        self.len = self.len.checked_sub(1)?;
        Some(self.items[self.len])
    }

    /// Puts the children nearer than `bound` on, the nearest last, so that it comes first.
    #[inline(always)]
    pub fn push(&mut self, children: &[u32; 4], distances: Vec4, bound: f32) {
        let first = self.len;
        let mut near = distances.cmplt(Vec4::splat(bound)).bitmask();
        let distances = distances.to_array();
        while near != 0 {
            let lane = near.trailing_zeros() as usize & 3;
            near &= near - 1;
            let d = distances[lane];
            // Insertion into what is sorted by falling distance: at most three moves.
            let mut at = self.len;
            self.len += 1;
            while at > first && self.items[at - 1].0 < d {
                self.items[at] = self.items[at - 1];
                at -= 1;
            }
            self.items[at] = (d, children[lane]);
        }
    }
}
