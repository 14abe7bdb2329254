//! Small stretches of a layer that cannot be against each other: all of the faces below two places of its tree lie
//! within one crease along the surface at rest, so that nothing they do to each other is asked.

use super::Layer;
use crate::mesh::{Csr, EdgeWalk};
use crate::query::{Bvh, Subtree};
use glam::Vec3;
use rayon::prelude::*;

/// From the middle of one it is looked so far for the middles of others, metres.
const REACH: f32 = 0.035;
/// What lies below a place of the tree is no small stretch when it has more faces.
const MOST: usize = 32;

/// One of them.
struct CreasePatch {
    /// No corner of it is further from its middle along edges, metres.
    radius: f32,
    /// Middles within reach of its own, and how far.
    near: Box<[(u32, f32)]>,
}

/// By place of the tree over all faces of a layer: the places with which all that lies below is within `crease` metres.
pub(super) fn of_one_crease(layer: &Layer, tree: &Bvh, crease: f32) -> Vec<Vec<u32>> {
    let subtrees = tree.subtrees(MOST);
    let small = |below: &Subtree| SmallStretch::new(layer, crease, &below.triangles);
    let stretches: Vec<Option<SmallStretch>> = subtrees.par_iter().map(small).collect();
    let middles = stretches.iter().zip(0u32..).filter_map(|(s, at)| Some((s.as_ref()?.middle, at)));
    let at_middle = Csr::from_pairs(layer.rest.len(), middles);
    let walk = || EdgeWalk::new(layer.rest.len());
    let patch = |walk: &mut EdgeWalk, stretch: &Option<SmallStretch>| {
        stretch.as_ref().and_then(|s| patch(layer, crease, walk, s, &at_middle))
    };
    let patches: Vec<Option<CreasePatch>> = stretches.par_iter().map_init(walk, patch).collect();
    let one_with = |patch: &Option<CreasePatch>| {
        let mut found: Vec<u32> = Vec::new();
        if let Some(one) = patch {
            for &(v, away) in &one.near {
                let radius = |at: &u32| patches[*at as usize].as_ref().map_or(f32::INFINITY, |p| p.radius);
                let others = at_middle.row(v as usize).iter();
                let others = others.filter(|at| away + one.radius + radius(at) < crease);
                found.extend(others.map(|at| subtrees[*at as usize].place as u32));
            }
        }
        found
    };
    let rows: Vec<Vec<u32>> = patches.par_iter().map(one_with).collect();
    let mut all = vec![Vec::new(); subtrees.iter().map(|s| s.place + 1).max().unwrap_or(0)];
    subtrees.iter().zip(rows).for_each(|(s, row)| all[s.place] = row);
    all
}

/// What lies below a place of the tree, small enough to be of one crease with something.
struct SmallStretch {
    /// Ascending.
    corners: Vec<u32>,
    middle: u32,
}

impl SmallStretch {
    fn new(layer: &Layer, crease: f32, triangles: &[u32]) -> Option<Self> {
        let mut corners: Vec<u32> =
            triangles.iter().flat_map(|t| layer.topology.triangles[*t as usize]).collect();
        corners.sort_unstable();
        corners.dedup();
        let at = |v: u32| layer.rest[v as usize];
        let centre = corners.iter().map(|v| at(*v)).sum::<Vec3>() / corners.len().max(1) as f32;
        let away = |v: &u32| at(*v).distance_squared(centre);
        let middle = corners.iter().copied().min_by(|a, b| away(a).total_cmp(&away(b)))?;
        // The least the radius can be; along edges it is more.
        let apart = corners.iter().map(|v| at(*v).distance(at(middle))).fold(0.0, f32::max);
        (apart * 2.0 <= crease).then_some(Self { corners, middle })
    }
}

/// None of what is no small stretch along edges. Of what is near only the middles of others are kept: on fine cloth all
/// vertices would be hundreds of times as many.
fn patch(
    layer: &Layer,
    crease: f32,
    walk: &mut EdgeWalk,
    SmallStretch { corners, middle }: &SmallStretch,
    at_middle: &Csr,
) -> Option<CreasePatch> {
    let near = walk.within(&layer.rest, &layer.topology.neighbours, &[*middle], REACH);
    let own = || near.iter().filter(|(v, _)| corners.binary_search(v).is_ok());
    let radius = own().map(|(_, far)| *far).fold(0.0, f32::max);
    let middles = near.iter().filter(|(v, _)| !at_middle.row(*v as usize).is_empty()).copied().collect();
    let is_one = own().count() == corners.len() && radius * 2.0 < crease;
    is_one.then_some(CreasePatch { radius, near: middles })
}
