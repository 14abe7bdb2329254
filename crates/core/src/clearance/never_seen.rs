//! What of a layer no look reaches in any pose: it can be left out where the pieces over it are worn.

use super::{Buffers, Outfit};
use crate::deform::blended_matrix;
use crate::mend::TrialPose;
use crate::mesh::{face_normal, Topology};
use crate::query::ray_triangle;
use glam::{Mat3, Quat, Vec3};
use rayon::prelude::*;
use std::cell::Cell;

/// Directions looked in, evenly spread; those above the surface are used.
const DIRECTIONS: usize = 256;
/// So far over the surface it is looked, metres.
const PROBE: f32 = 0.001;
/// A look along the surface itself sees nothing.
const GRAZING: f32 = 0.05;

/// What lay in the way of a look last: a layer and a face of its outside.
type InTheWay = (u16, u32);
const NOTHING: InTheWay = (u16::MAX, 0);

/// A place of a layer: the middle of three of its vertices; of a vertex itself, that one three times.
pub type LookedAt = [u32; 3];

/// A place that was not seen so far, with what lay in each look's way.
struct Unseen {
    place: LookedAt,
    looks: Vec<InTheWay>,
}

/// Those of `places` (of the layer `of`: its faces, or its vertices, each three times) that no straight look reaches in
/// any of `poses`, of 256 directions spread evenly over the sphere, when it and the layers `by` are all there is; in
/// their order. `go_on` is told the share that is done; when it answers false nothing comes back.
///
/// The directions turn with the place, so that what lay in a look's way in the pose before is asked first.
///
/// ```
/// use tin_cloak_core::{clearance::never_seen, mend::TrialPose, shapes::{outfit, sphere}};
/// use glam::Mat4;
///
/// // A ball in a closed shell is never seen; without the shell all of it is.
/// let outfit = outfit(&sphere(0.1, 16), &[sphere(0.12, 16)]);
/// let rest = [TrialPose { matrices: vec![Mat4::IDENTITY], amounts: Vec::new() }];
/// let faces = &outfit.layers[0].topology.triangles;
/// assert_eq!(never_seen(&outfit, (0, faces, &[1]), &rest, &|_| true).as_ref(), Some(faces));
/// assert!(never_seen(&outfit, (0, faces, &[]), &rest, &|_| true).unwrap().is_empty());
/// ```
pub fn never_seen(
    outfit: &Outfit,
    (of, places, by): (usize, &[LookedAt], &[usize]),
    poses: &[TrialPose],
    go_on: &(dyn Fn(f32) -> bool + Sync),
) -> Option<Vec<LookedAt>> {
    let mut hiding = by.to_vec();
    hiding.push(of);
    let directions: Vec<Vec3> = super::hidden::spiral(DIRECTIONS).collect();
    let mut buffers = outfit.buffers();
    let mut left: Vec<Unseen> = places.iter().map(|&place| Unseen { place, looks: Vec::new() }).collect();
    for (n, pose) in poses.iter().enumerate() {
        if !go_on(n as f32 / poses.len() as f32) {
            return None;
        }
        buffers.pose_some(outfit, |layer| hiding.contains(&layer), (&pose.matrices, &pose.amounts));
        let look = Look { outfit, buffers: &buffers, of, hiding: &hiding, directions: &directions };
        left = left.into_par_iter().filter_map(|v| look.misses(v, pose)).collect();
    }
    Some(left.into_iter().map(|v| v.place).collect())
}

struct Look<'a> {
    outfit: &'a Outfit,
    buffers: &'a Buffers,
    of: usize,
    hiding: &'a [usize],
    directions: &'a [Vec3],
}

impl Look<'_> {
    /// The place again, when no look reaches it in the pose.
    fn misses(&self, mut unseen: Unseen, pose: &TrialPose) -> Option<Unseen> {
        let layer = &self.outfit.layers[self.of];
        let first = unseen.place[0] as usize;
        let (p, normal) = self.on_surface(unseen.place);
        let p = p + normal * PROBE;
        let mut last = NOTHING;
        // Most of what is seen at all is seen from straight above.
        if normal == Vec3::ZERO || !self.blocked(p, normal, &mut last) {
            return (normal == Vec3::ZERO).then_some(unseen);
        }
        if unseen.looks.is_empty() {
            unseen.looks = vec![NOTHING; self.directions.len()];
        }
        let turn =
            Quat::from_mat3(&Mat3::from_mat4(blended_matrix(&layer.skin, first, &pose.matrices))).normalize();
        for (direction, look) in self.directions.iter().zip(&mut unseen.looks) {
            let direction = turn * *direction;
            if direction.dot(normal) <= GRAZING {
                continue;
            }
            if *look == NOTHING {
                *look = last;
            }
            if !self.blocked(p, direction, look) {
                return None;
            }
            last = *look;
        }
        Some(unseen)
    }

    /// Where a place is in the pose, and its outward unit normal; zero where there is none.
    fn on_surface(&self, place: LookedAt) -> (Vec3, Vec3) {
        let positions = self.buffers.positions(self.of);
        let [a, b, c] = place.map(|v| positions[v as usize]);
        match place[0] == place[1] {
            true => (a, self.buffers.outside(self.of).normals[place[0] as usize]),
            false => ((a + b + c) / 3.0, face_normal(positions, place)),
        }
    }

    /// True when something lies in a look's way; what did so last is asked first.
    fn blocked(&self, p: Vec3, direction: Vec3, last: &mut InTheWay) -> bool {
        let (known, face) = (usize::from(last.0), last.1 as usize);
        if *last != NOTHING {
            let side = self.outfit.layers[known].walls.outside();
            let corners = side.topology.triangles[face].map(|v| self.buffers.positions(known)[v as usize]);
            if ray_triangle(p, direction, corners).is_some_and(|hit| hit.0 > 0.0) {
                return true;
            }
        }
        let first = self.hiding.iter().copied().filter(|layer| *last != NOTHING && *layer == known);
        let others = self.hiding.iter().copied().filter(|layer| *last == NOTHING || *layer != known);
        for layer in first.chain(others) {
            let met = Cell::new(0);
            let take = |face| {
                met.set(face);
                true
            };
            if self.buffers.outside(layer).tree.is_hit(p, direction, (0.0, f32::INFINITY), take) {
                *last = (layer as u16, met.get());
                return true;
            }
        }
        false
    }
}

/// Faces (ascending) all of whose corners are among `vertices` (ascending), without the `rings` next to what is not.
///
/// ```
/// use tin_cloak_core::{clearance::faces_within, mesh::Topology, shapes::tube};
///
/// let (positions, faces) = tube(0.1, (0.0, 0.4), 16, 8, 1.0);
/// let topology = Topology::of_welded(positions.len(), &faces);
/// let lower: Vec<u32> = (0..positions.len() as u32).filter(|v| positions[*v as usize].y < 0.22).collect();
/// assert_eq!(faces_within(&topology, &lower, 0).len(), 4 * 32);
/// assert_eq!(faces_within(&topology, &lower, 1).len(), 3 * 32);
/// ```
pub fn faces_within(topology: &Topology, vertices: &[u32], rings: usize) -> Vec<u32> {
    let mut within = crate::choose::flags(topology.vertices(), vertices);
    within = crate::choose::shrink(topology, &within, rings);
    let inside = |t: &[u32; 3]| t.iter().all(|v| within[*v as usize]);
    (0u32..).zip(&topology.triangles).filter(|(_, t)| inside(t)).map(|(f, _)| f).collect()
}
