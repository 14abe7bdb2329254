//! Small stretches of a layer that cannot be against each other: all of the faces below two places of its tree lie
//! within one crease along the surface at rest, so that nothing they do to each other is asked.

use super::Layer;
use crate::mesh::EdgeWalk;
use crate::query::{Bvh, Subtree};
use glam::Vec3;
use rayon::prelude::*;

/// From the middle of one it is looked so far for the middles of others, metres.
const REACH: f32 = 0.035;
/// What lies below a place of the tree is no small stretch when it has more faces.
const MOST: usize = 32;

/// One of them.
#[derive(Clone, Debug)]
struct Patch {
    middle: u32,
    /// No corner of it is further from the middle along edges, metres.
    radius: f32,
    /// Vertices within reach of the middle, ascending, and how far.
    near: Box<[(u32, f32)]>,
}

/// Those of a layer's tree.
#[derive(Clone, Debug, Default)]
pub(super) struct Patches {
    /// By place of the tree.
    all: Vec<Option<Patch>>,
}

impl Patches {
    /// Of a layer, whose tree over all faces it is, with faces within `crease` metres of each other let be.
    pub fn of(layer: &Layer, tree: &Bvh, crease: f32) -> Self {
        let patch = |walk: &mut EdgeWalk, below: &Subtree| {
            let mut corners: Vec<u32> =
                below.triangles.iter().flat_map(|t| layer.topology.triangles[*t as usize]).collect();
            corners.sort_unstable();
            corners.dedup();
            let at = |v: u32| layer.rest[v as usize];
            let centre = corners.iter().map(|v| at(*v)).sum::<Vec3>() / corners.len().max(1) as f32;
            let away = |v: &u32| at(*v).distance_squared(centre);
            let middle = corners.iter().copied().min_by(|a, b| away(a).total_cmp(&away(b)))?;
            // The least the radius can be; along edges it is more.
            let apart = corners.iter().map(|v| at(*v).distance(at(middle))).fold(0.0, f32::max);
            if apart * 2.0 > crease {
                return None;
            }
            let mut near = walk.within((&layer.rest, &layer.topology.neighbours), &[middle], REACH);
            near.sort_unstable_by_key(|n| n.0);
            let far = |v: &u32| near.binary_search_by_key(v, |n| n.0).map_or(f32::INFINITY, |i| near[i].1);
            let radius = corners.iter().map(far).fold(0.0, f32::max);
            (radius * 2.0 < crease).then(|| Patch { middle, radius, near: near.into() })
        };
        let subtrees = tree.subtrees(MOST);
        let mut all = vec![None; subtrees.iter().map(|s| s.place + 1).max().unwrap_or(0)];
        let walk = || EdgeWalk::new(layer.rest.len());
        let found: Vec<(usize, Option<Patch>)> =
            subtrees.par_iter().map_init(walk, |walk, below| (below.place, patch(walk, below))).collect();
        found.into_iter().for_each(|(place, patch)| all[place] = patch);
        Self { all }
    }

    /// True when all faces below two places of the tree lie within `crease` metres of each other.
    pub fn are_one(&self, a: usize, b: usize, crease: f32) -> bool {
        let of = |place: usize| self.all.get(place).and_then(Option::as_ref);
        let Some((one, other)) = of(a).zip(of(b)) else { return false };
        let most = crease - one.radius - other.radius;
        if a == b {
            return most > 0.0;
        }
        let at = one.near.binary_search_by_key(&other.middle, |n| n.0);
        at.is_ok_and(|i| one.near[i].1 < most)
    }

    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        self.all.iter().flatten().map(|p| 40 + p.near.len() * 8).sum()
    }
}
