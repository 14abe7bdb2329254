//! What of a layer no look reaches in any pose: it can be left out where the pieces over it are worn.

use super::rigid_groups::{RigidGroups, With, BENDS};
use super::{Buffers, Outfit};
use crate::deform::blended_matrix;
use crate::deform::TrialPose;
use crate::mesh::{face_normal, Topology};
use crate::query::walk_to_hit;
use glam::{Mat3, Quat, Vec3};
use rayon::prelude::*;
use std::cell::Cell;

/// Directions looked in, evenly spread; those above the surface are used.
const DIRECTIONS: usize = 256;
/// So far over the surface it is looked, metres.
const PROBE: f32 = 0.0001;
/// Where what is through is looked at from beneath, what is no further through than this is, too, metres: a board does
/// not tell of it.
const AS_GOOD_AS_BENEATH: f32 = 0.0006;
/// What is further through than this is not looked for beneath, metres.
const DEEPEST: f32 = 0.06;
/// A look along the surface itself sees nothing.
const GRAZING: f32 = 0.05;
/// What lies in a look's way is looked for so many faces from where it was expected, before all is searched.
const STEPS: usize = 6;

/// What lay in the way of a look last: a layer and a face of its outside.
type InTheWay = (u16, u32);
const NOTHING: InTheWay = (u16::MAX, 0);

/// A place of a layer: the middle of three of its vertices; of a vertex itself, that one three times.
pub type LookedAt = [u32; 3];

/// What hid a place from all looks in all poses. Others may hide it as well.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum HiddenBy {
    /// Nothing but its own layer.
    Itself,
    /// One more layer.
    One(usize),
    /// Several layers, each from some sides or in some poses.
    Several,
}

impl HiddenBy {
    fn and(self, layer: usize) -> Self {
        match self {
            Self::Itself => Self::One(layer),
            Self::One(one) if one == layer => self,
            _ => Self::Several,
        }
    }
}

/// A place that was not seen so far, with what lay in each look's way.
struct Unseen {
    place: LookedAt,
    /// Of the look from straight above, and of the others.
    above: InTheWay,
    looks: Vec<InTheWay>,
    /// The same in the first pose, when the place was looked at from above itself there.
    first: Vec<InTheWay>,
    by: HiddenBy,
}

impl Unseen {
    fn new(place: LookedAt) -> Self {
        Self { place, above: NOTHING, looks: Vec::new(), first: Vec::new(), by: HiddenBy::Itself }
    }
}

/// What is looked at, and past what.
#[derive(Clone, Copy)]
pub struct LookingAt<'a> {
    /// The layer.
    pub of: usize,
    /// Its faces, or its vertices, each three times.
    pub places: &'a [LookedAt],
    /// The layers that may lie in the way, besides itself.
    pub by: &'a [usize],
    /// By pose the vertices of the layer that are through another layer, with that one; ascending. Such a vertex is
    /// looked at from where it would lie beneath. Empty when what is through is seen like the rest.
    pub through: &'a [Vec<(u32, usize)>],
}

/// Of each list those of the places looked at that no straight look reaches in any of `poses`, of 256 directions spread
/// evenly over the sphere, when their layer and the layers in the way are all there is; in their order, each with what
/// hid it. `go_on` is told the share that is done; when it answers false nothing comes back.
///
/// Each pose is taken once for all lists. The directions turn with the place, so that what lay in a look's way in the
/// pose before is asked first, and what has moved as one with the place since the first pose is in its way still.
///
/// ```
/// use tin_cloak_core::clearance::{never_seen, HiddenBy, LookingAt};
/// use tin_cloak_core::{mend::TrialPose, shapes::{moved, outfit, sphere}};
/// use glam::{Mat4, Vec3};
///
/// // A ball stands out of its shell by 10 mm; without the shell all of it is seen.
/// let shell = moved(sphere(0.12, 16), Vec3::X * 0.03);
/// let outfit = outfit(&sphere(0.1, 16), &[shell]);
/// let rest = [TrialPose { matrices: vec![Mat4::IDENTITY], amounts: Vec::new() }];
/// let places = &outfit.layers[0].topology.triangles;
/// let at = LookingAt { of: 0, places, by: &[1], through: &[] };
/// let bare = LookingAt { by: &[], ..at };
/// // Most of it is never seen in the shell, which alone hides it; were the rest drawn in, nothing would be.
/// let out = |v: &u32| outfit.layers[0].rest[*v as usize].distance(Vec3::X * 0.03) > 0.118;
/// let through = [(0..outfit.layers[0].rest.len() as u32).filter(out).map(|v| (v, 1)).collect()];
/// let drawn_in = LookingAt { through: &through, ..at };
/// let unseen = never_seen(&outfit, &[bare, at, drawn_in], &rest, &|_| true).unwrap();
/// assert!(unseen[0].is_empty());
/// assert!(unseen[1].len() > places.len() / 2 && unseen[1].len() < places.len());
/// assert!(unseen[1].iter().all(|(_, by)| *by == HiddenBy::One(1)));
/// assert_eq!(unseen[2].len(), places.len());
/// ```
pub fn never_seen(
    outfit: &Outfit,
    lists: &[LookingAt],
    poses: &[TrialPose],
    go_on: &(dyn Fn(f32) -> bool + Sync),
) -> Option<Vec<Vec<(LookedAt, HiddenBy)>>> {
    let directions: Vec<Vec3> = super::visibility::spiral(DIRECTIONS).collect();
    let beside = nearest_before(&directions);
    let mut buffers = outfit.buffers();
    let begin = |at: &LookingAt| -> (Vec<usize>, Vec<Unseen>) {
        let hiding = at.by.iter().copied().chain([at.of]).collect();
        (hiding, at.places.iter().map(|place| Unseen::new(*place)).collect())
    };
    let (hiding, mut left): (Vec<_>, Vec<_>) = lists.iter().map(begin).unzip();
    for (n, pose) in poses.iter().enumerate() {
        if left.iter().all(Vec::is_empty) {
            break;
        }
        if !go_on(n as f32 / poses.len() as f32) {
            return None;
        }
        let looked_for = |l: &(&Vec<usize>, &Vec<Unseen>)| !l.1.is_empty();
        let mut needed = vec![false; outfit.layers.len()];
        hiding.iter().zip(&left).filter(looked_for).flat_map(|l| l.0).for_each(|layer| needed[*layer] = true);
        buffers.pose_some(outfit, |layer| needed[layer], &pose.matrices, &pose.amounts);
        let as_one = (n > 0).then(|| RigidGroups::between(outfit, &needed, &poses[0], pose));
        let as_one = as_one.as_ref();
        for ((at, hiding), left) in lists.iter().zip(&hiding).zip(&mut left) {
            let (buffers, directions, of) = (&buffers, (directions.as_slice(), beside.as_slice()), at.of);
            let through = at.through.get(n).map(Vec::as_slice);
            let look = Viewpoint { outfit, buffers, of, hiding, directions, through, as_one };
            *left = std::mem::take(left).into_par_iter().filter_map(|v| look.misses(v, pose)).collect();
        }
    }
    Some(left.into_iter().map(|list| list.into_iter().map(|v| (v.place, v.by)).collect()).collect())
}

/// For each direction the number of that before it which is nearest to it; the first's is its own.
fn nearest_before(directions: &[Vec3]) -> Vec<usize> {
    let nearest = |i: usize| {
        (0..i).max_by(|a, b| directions[*a].dot(directions[i]).total_cmp(&directions[*b].dot(directions[i])))
    };
    (0..directions.len()).map(|i| nearest(i).unwrap_or(i)).collect()
}

struct Viewpoint<'a> {
    outfit: &'a Outfit,
    buffers: &'a Buffers,
    of: usize,
    hiding: &'a [usize],
    /// Each with the number of one before it next to it.
    directions: (&'a [Vec3], &'a [usize]),
    through: Option<&'a [(u32, usize)]>,
    /// What has moved as one since the first pose; none in that itself.
    as_one: Option<&'a RigidGroups>,
}

/// Where a place is looked at in a pose: a hair over its surface, with the outward unit normal there.
struct Eye {
    p: Vec3,
    normal: Vec3,
    /// The layer that it is put beneath, as it is through that.
    beneath: Option<usize>,
}

impl Viewpoint<'_> {
    /// The place again, when no look reaches it in the pose.
    fn misses(&self, mut unseen: Unseen, pose: &TrialPose) -> Option<Unseen> {
        let (at, normal) = self.on_surface(unseen.place);
        if normal == Vec3::ZERO {
            return Some(unseen);
        }
        let eye = self.under_straight_look(&mut unseen, at, normal)?;
        unseen.by = eye.beneath.map_or(unseen.by, |layer| unseen.by.and(layer));
        unseen.by = self.and(unseen.by, unseen.above);
        self.is_hidden_round(&mut unseen, &eye, pose).then_some(unseen)
    }

    /// Where a place is looked at, when the look from straight above does not reach it; most of what is seen at all is
    /// seen from there.
    fn under_straight_look(&self, unseen: &mut Unseen, at: Vec3, normal: Vec3) -> Option<Eye> {
        let above = Eye { p: at + normal * PROBE, normal, beneath: None };
        let eye = self.beneath_what_it_is_through(unseen.place, at).unwrap_or(above);
        if self.blocked(eye.p, eye.normal, &mut unseen.above) {
            return Some(eye);
        }
        let hardly = self.as_good_as_beneath(at)?;
        self.blocked(hardly.p, hardly.normal, &mut unseen.above).then_some(hardly)
    }

    /// True when something lies in the way of all looks from above the surface.
    fn is_hidden_round(&self, unseen: &mut Unseen, eye: &Eye, pose: &TrialPose) -> bool {
        if unseen.looks.is_empty() {
            unseen.looks = vec![NOTHING; self.directions.0.len()];
        }
        let (skin, first) = (&self.outfit.layers[self.of].skin, unseen.place[0] as usize);
        let blended = Mat3::from_mat4(blended_matrix(skin, first, &pose.matrices));
        let turn = Mat3::from_quat(Quat::from_mat3(&blended).normalize());
        let with = self.moves_with(unseen, eye.beneath);
        let mut last = unseen.above;
        for (i, direction) in self.directions.0.iter().enumerate() {
            if self.is_still_blocked(with, unseen.first.get(i)) {
                continue;
            }
            let direction = turn * *direction;
            if direction.dot(eye.normal) <= GRAZING {
                continue;
            }
            let guesses = [unseen.looks[i], unseen.looks[self.directions.1[i]], last];
            last = guesses.into_iter().find(|guess| *guess != NOTHING).unwrap_or(NOTHING);
            if !self.blocked(eye.p, direction, &mut last) {
                return false;
            }
            unseen.looks[i] = last;
            unseen.by = self.and(unseen.by, last);
        }
        if self.as_one.is_none() && eye.beneath.is_none() {
            unseen.first.clone_from(&unseen.looks);
        }
        true
    }

    /// What hides a place, with what lay in the way of one more look.
    fn and(&self, by: HiddenBy, way: InTheWay) -> HiddenBy {
        match usize::from(way.0) {
            own if own == self.of => by,
            layer => by.and(layer),
        }
    }

    /// With what a place has moved since the first pose, when it is looked at from above itself.
    fn moves_with(&self, unseen: &Unseen, beneath: Option<usize>) -> With {
        let side = &self.outfit.layers[self.of].walls.outside().topology;
        let as_one = self.as_one.filter(|_| beneath.is_none() && !unseen.first.is_empty());
        as_one.map_or(BENDS, |as_one| as_one.place(self.of, side, unseen.place))
    }

    /// True when what lay in a look's way in the first pose has moved as one with the place.
    fn is_still_blocked(&self, with: With, first: Option<&InTheWay>) -> bool {
        let known = self.as_one.zip(first.filter(|first| with != BENDS && **first != NOTHING));
        known.is_some_and(|(as_one, first)| as_one.face(usize::from(first.0), first.1) == with)
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

    /// Where a place that is through another layer would lie beneath that.
    fn beneath_what_it_is_through(&self, place: LookedAt, p: Vec3) -> Option<Eye> {
        let through = self.through?;
        let known = |v: &u32| through.binary_search_by_key(v, |t| t.0).ok();
        let outer = through[place.iter().find_map(known)?].1;
        self.hiding.contains(&outer).then(|| self.beneath(outer, p, DEEPEST))?
    }

    /// The same for what is hardly through a layer over it.
    fn as_good_as_beneath(&self, p: Vec3) -> Option<Eye> {
        self.through?;
        let place = |layer: usize| self.outfit.layers[layer].layer;
        let over = self.hiding.iter().filter(|layer| place(**layer) > place(self.of));
        { over }.find_map(|layer| self.beneath(*layer, p, AS_GOOD_AS_BENEATH))
    }

    /// Below what of a layer lies nearest, no further away than `reach`. What is nearest to an open edge stands out
    /// past it: it is seen though it be through.
    fn beneath(&self, layer: usize, p: Vec3, reach: f32) -> Option<Eye> {
        let hit = self.buffers.towards_body(layer).tree.closest(p, reach)?;
        let side = &self.outfit.layers[layer].walls.towards_body;
        if side.on_open_edge(&hit) {
            return None;
        }
        let corners = side.topology.triangles[hit.triangle as usize];
        let normal = face_normal(self.buffers.positions(layer), corners);
        Some(Eye { p: hit.point - normal * PROBE, normal, beneath: Some(layer) })
    }

    /// True when something lies in a look's way; where it did so last is asked first.
    fn blocked(&self, p: Vec3, direction: Vec3, last: &mut InTheWay) -> bool {
        let known = usize::from(last.0);
        if *last != NOTHING {
            let side = &self.outfit.layers[known].walls.outside().topology;
            let positions = self.buffers.positions(known);
            if let Some(face) = walk_to_hit(side, positions, p, direction, last.1, STEPS) {
                last.1 = face;
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
            if self.buffers.outside(layer).tree.is_hit(p, direction, 0.0, f32::INFINITY, take) {
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
/// let (positions, faces) = tube(0.1, 0.0, 0.4, 16, 8, 1.0);
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
