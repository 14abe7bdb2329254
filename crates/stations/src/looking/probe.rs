//! What lies under the pointer: the vertex, who moves it, and its clearance.

use crate::looking::view::ViewOfRoom;
use crate::looking::view::ViewRequest;
use glam::Vec3;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeMap;
use tin_cloak_core::clearance::{Asked, InPose};
use tin_cloak_core::query::ray_triangle;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_measure::measuring::posed::Posed;
use tin_cloak_measure::measuring::posed::PosedOfRoom;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::worn::Worn;
use tin_cloak_model::error::WorkshopError;

/// What lies under the pointer.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct Probe {
    pub part: u32,
    pub name: String,
    pub vertex: u32,
    /// The ends of the edge of the face that is nearest, the longest one left out: it may be a diagonal.
    pub edge: [u32; 2],
    pub point: [f32; 3],
    /// Millimetres to the layer beneath, where measured.
    pub clearance_mm: Option<f32>,
    /// Joint, its weight here, and on the layer beneath.
    pub weights: Vec<(String, f32, f32)>,
    pub bound: bool,
}

/// A spot is looked at from so far away; nearer to it than this nothing hides it. Metres.
const FAR: f32 = 1.25;
const SHORT: f32 = 0.004;

/// Asked of a room: what lies under the pointer: the vertex, who moves it, and its clearance.
pub trait ProbeOfRoom {
    /// The first vertex met by a ray (model space, metres) in a pose; `hidden` parts are passed
    /// through.
    ///
    /// # Errors
    /// When the pose is not there.
    fn probe(
        &self,
        request: &ViewRequest,
        origin: Vec3,
        direction: Vec3,
        hidden: &[u32],
    ) -> Result<Option<Probe>, WorkshopError>;

    /// Numbers of the parts that lie between a spot of a pose and who looks at it (its place, and the
    /// direction it is seen from), but for those of its own pair.
    ///
    /// # Errors
    /// When the pose is not there.
    fn in_the_way(
        &self,
        pose: usize,
        at: [f32; 3],
        look: [f32; 3],
        pair: [u32; 2],
    ) -> Result<Vec<u32>, WorkshopError>;

    fn part_mesh<'a>(&'a self, posed: &'a Posed, part: usize) -> (&'a [Vec3], &'a [[u32; 3]]);
}

impl ProbeOfRoom for Room {
    fn probe(
        &self,
        request: &ViewRequest,
        origin: Vec3,
        direction: Vec3,
        hidden: &[u32],
    ) -> Result<Option<Probe>, WorkshopError> {
        let posed = self.posed_by_hand(request)?;
        let mut best: Option<(f32, usize, u32, [u32; 2])> = None;
        for part in 0..=self.dress.pieces.len() {
            let id = part.checked_sub(1).map_or(0, |p| self.piece_state(p).id);
            if hidden.contains(&id) {
                continue;
            }
            let (positions, triangles) = self.part_mesh(&posed, part);
            let hit = triangles
                .par_iter()
                .filter_map(|t| {
                    let hit = ray_triangle(origin, direction, t.map(|v| positions[v as usize]))?;
                    (hit.0 > 0.0).then_some((hit, t))
                })
                .min_by(|a, b| a.0 .0.total_cmp(&b.0 .0));
            if let Some(((away, share), t)) = hit.filter(|h| best.is_none_or(|b| h.0 .0 < b.0)) {
                best = Some((away, part, t[heaviest(share)], nearest_edge(*t, share, positions)));
            }
        }
        Ok(best.map(|(_, part, vertex, edge)| Probe { edge, ..describe(self, &posed, part, vertex) }))
    }

    fn in_the_way(
        &self,
        pose: usize,
        at: [f32; 3],
        look: [f32; 3],
        pair: [u32; 2],
    ) -> Result<Vec<u32>, WorkshopError> {
        let posed = self.posed(pose, &[])?;
        let (from, look) = (Vec3::from(at), Vec3::from(look).normalize_or(Vec3::Z));
        let hides = |part: &usize| {
            let (positions, triangles) = self.part_mesh(&posed, *part);
            triangles.par_iter().any(|t| {
                let hit = ray_triangle(from, look, t.map(|v| positions[v as usize]));
                hit.is_some_and(|h| (SHORT..FAR).contains(&h.0))
            })
        };
        let id = |part: usize| part.checked_sub(1).map_or(0, |p| self.piece_state(p).id);
        let others = (0..=self.dress.pieces.len()).filter(|part| !pair.contains(&id(*part)));
        Ok(others.filter(hides).map(id).collect())
    }

    fn part_mesh<'a>(&'a self, posed: &'a Posed, part: usize) -> (&'a [Vec3], &'a [[u32; 3]]) {
        match part.checked_sub(1) {
            None => (&posed.body, &self.dress.body.topology.triangles),
            Some(p) => (&posed.pieces[p], &self.dress.pieces[p].topology.triangles),
        }
    }
}

/// Of the two shorter edges of a face the one that a place on it is nearer to.
fn nearest_edge(t: [u32; 3], share: [f32; 3], positions: &[Vec3]) -> [u32; 2] {
    let edge = |i: usize| [t[(i + 1) % 3], t[(i + 2) % 3]];
    let length = |i: &usize| edge(*i).map(|v| positions[v as usize]);
    let length = |i: &usize| length(i)[0].distance_squared(length(i)[1]);
    let longest = (0..3).max_by(|a, b| length(a).total_cmp(&length(b))).unwrap_or(0);
    let nearest = (0..3).filter(|i| *i != longest).min_by(|a, b| share[*a].total_cmp(&share[*b]));
    edge(nearest.unwrap_or(0))
}

/// The corner with the largest barycentric coordinate.
fn heaviest(barycentric: [f32; 3]) -> usize {
    (0..3).max_by(|x, y| barycentric[*x].total_cmp(&barycentric[*y])).unwrap_or(0)
}

fn describe(room: &Room, posed: &Posed, part: usize, vertex: u32) -> Probe {
    let names = &room.dress.body.skeleton.names;
    let piece = part.checked_sub(1);
    let (name, skin) = match piece {
        None => (&room.dress.body.name, Some(&room.dress.body.welded_skin)),
        Some(p) => (&room.dress.pieces[p].name, room.dress.pieces[p].bound.as_ref().map(|b| &b.skin)),
    };
    let worn = room.worn();
    let layer = worn.piece_of.iter().position(|l| *l == piece);
    let under = layer.filter(|l| *l > 0).and_then(|l| lies_over(room, &worn, posed, l, vertex));
    let mut weights: BTreeMap<JointId, (f32, f32)> = BTreeMap::new();
    for (j, w) in skin.into_iter().flat_map(|s| s.row(vertex as usize)) {
        weights.entry(j).or_default().0 += w;
    }
    for (j, w) in under.iter().flat_map(|u| &u.1) {
        weights.entry(*j).or_default().1 += w;
    }
    let mut weights: Vec<(String, f32, f32)> =
        weights.into_iter().map(|(j, (a, b))| (names[j.index()].clone(), a, b)).collect();
    weights.sort_by(|a, b| b.1.max(b.2).total_cmp(&a.1.max(a.2)));
    weights.truncate(5);
    let (positions, _) = room.part_mesh(posed, part);
    Probe {
        part: piece.map_or(0, |p| room.piece_state(p).id),
        name: name.clone(),
        vertex,
        edge: [vertex; 2],
        point: positions[vertex as usize].to_array(),
        clearance_mm: under.map(|u| to_mm(u.0)),
        weights,
        bound: skin.is_some(),
    }
}

/// Clearance of an outer layer's vertex over the nearest layer beneath, and the weights there.
fn lies_over(
    room: &Room,
    worn: &Worn,
    posed: &Posed,
    layer: usize,
    vertex: u32,
) -> Option<(f32, Vec<(JointId, f32)>)> {
    let outfit = &worn.outfit;
    let pairs: Vec<usize> = (0..outfit.pairs.len()).filter(|p| outfit.pairs[*p].outer == layer).collect();
    let needed = |at: usize| at == layer || pairs.iter().any(|p| outfit.pairs[*p].inner == at);
    let asked = room.with_buffers(outfit, |buffers| {
        buffers.pose_some(outfit, needed, &posed.pose.matrices, &posed.pose.amounts);
        let in_pose = InPose::new(outfit, buffers);
        let over = |pair: &usize| Some((*pair, in_pose.over(*pair, room.settings_of(worn, *pair), vertex)?));
        pairs.iter().filter_map(over).collect::<Vec<_>>()
    });
    // Of what lies on the wrong side only what is through counts: not what got there round an open edge.
    let is_through = |(pair, asked): &(usize, Asked)| {
        asked.clearance >= -room.settings_of(worn, *pair).tolerance
            || room.points(worn, posed).0[*pair].has_outer(&outfit.pairs[*pair].coverage, vertex)
    };
    let counted = asked.into_iter().filter(is_through);
    let (pair, asked) = counted.min_by(|a, b| a.1.clearance.total_cmp(&b.1.clearance))?;
    let inner = &outfit.layers[outfit.pairs[pair].inner];
    let corners = inner.walls.outside().topology.triangles[asked.triangle as usize];
    Some((asked.clearance, inner.skin.at(corners, asked.barycentric)))
}
