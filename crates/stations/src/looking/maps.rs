//! Maps: a figure for each vertex.

use crate::binding::sides::leaning_of;
use crate::seating::ground::{mm_of, GroundOfRoom};
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use tin_cloak_core::clearance::{vertex_strains, AtRest, InPose};
use tin_cloak_core::mesh::{face_normal, Alignment, Topology};
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_core::JointId;
use tin_cloak_measure::measuring::at_rest::AtRestOfRoom;
use tin_cloak_measure::measuring::board::contacts;
use tin_cloak_measure::measuring::cells::{contact_of, PoseCells};
use tin_cloak_measure::measuring::posed::PosedOfRoom;
use tin_cloak_measure::measuring::posed::{Posed, Wrong};
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::worn::Worn;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::names::{PieceId, BODY};

/// What is drawn on the meshes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum MapKind {
    /// Nothing.
    #[default]
    Plain,
    /// The weight of one joint, 0 to 1.
    Weights,
    /// The colour (see [`Room::regions`]) of the joint that moves the vertex most.
    Regions,
    /// Where weights were matched (0) and where they were filled in (1).
    Matched,
    /// What nobody sees and is left out (1), and what is there (0).
    Hidden,
    /// How far a vertex leans to the left (1) or right (−1) where sides are kept apart.
    Sides,
    /// Clearance to the layer beneath, millimetres; what pokes through is negative.
    Clearance,
    /// How far the faces about a vertex have turned from what the piece came in, at rest; 1 at 60°.
    Turned,
    /// How far edges are stretched (above 0) or squashed (below), as a share of their length at rest.
    Strain,
}

/// What is further away from what lies beneath is drawn like this, metres.
const FURTHEST: f32 = 0.02;

/// A face that has turned so far is drawn in full, degrees.
const TURNED_FULL: f32 = 60.0;

/// What a clearance map is drawn from. Metres.
struct ShownLayer {
    /// By layer and vertex, see [`InPose::heights`].
    heights: Vec<Vec<f32>>,
    /// What is through, in sight.
    through: Vec<Wrong>,
    /// What is in what it did not lie over at rest.
    contacts: Vec<Wrong>,
}

impl Weighed for ShownLayer {
    fn bytes(&self) -> usize {
        let heights: usize = self.heights.iter().map(Vec::len).sum();
        heights * 4 + (self.through.len() + self.contacts.len()) * 16
    }
}

/// Asked of a room: maps: a figure for each vertex.
pub trait MapsOfRoom {
    fn weight_maps(&self, joint: JointId) -> Vec<Option<Vec<f32>>>;

    /// Of all parts as posed.
    fn strain_maps(&self, posed: &Posed) -> Vec<Option<Vec<f32>>>;

    /// Of pieces: how far the faces about a vertex have turned at rest from what the piece came in, placed as a whole
    /// as it is now; in shares of 60°.
    fn turned_maps(&self) -> Vec<Option<Vec<f32>>>;

    /// Only of pieces bound by a method that fills in.
    fn matched_maps(&self) -> Vec<Option<Vec<f32>>>;

    /// 1 where all faces of a vertex are left out; of parts of which nothing is, only of the body.
    fn hidden_maps(&self) -> Vec<Option<Vec<f32>>>;

    fn side_maps(&self) -> Vec<Option<Vec<f32>>>;

    /// Millimetres on each part: an outer layer's vertices over what lies beneath; on an inner
    /// layer only what pokes through in sight. `known` is what the board's cells say of the pose, if they do.
    fn clearance_maps(&self, posed: &Posed, known: Option<&PoseCells>) -> Vec<Option<Vec<f32>>>;

    /// What the clearance map says of piece `index` in a pose, its vertices (posed, welded) elsewhere: by welded
    /// vertex.
    fn clearance_moved(&self, posed: &Posed, index: usize, positions: &[Vec3]) -> Vec<f32>;

    /// Pieces that are not bound yet are told by their gaps at rest, millimetres.
    fn add_rest_gaps(&self, maps: &mut [Option<Vec<f32>>]);
}

impl MapsOfRoom for Room {
    fn weight_maps(&self, joint: JointId) -> Vec<Option<Vec<f32>>> {
        let mut maps = vec![Some(self.dress.body.welded_skin.column(joint))];
        maps.extend(self.dress.pieces.iter().map(|p| p.bound.as_ref().map(|b| b.skin.column(joint))));
        maps
    }

    fn strain_maps(&self, posed: &Posed) -> Vec<Option<Vec<f32>>> {
        let body = &self.dress.body;
        let mut maps = vec![Some(vertex_strains(&body.topology, &body.rest, &posed.body))];
        let pieces = self.dress.pieces.iter().zip(&posed.pieces);
        maps.extend(pieces.map(|(p, at)| Some(vertex_strains(&p.topology, &p.rest, at))));
        maps
    }

    fn turned_maps(&self) -> Vec<Option<Vec<f32>>> {
        let pieces = self.dress.pieces.par_iter().map(|piece| Some(turned_map(piece)));
        std::iter::once(None).chain(pieces.collect::<Vec<_>>()).collect()
    }

    fn matched_maps(&self) -> Vec<Option<Vec<f32>>> {
        let of = |piece: &Piece| {
            let bound = piece.bound.as_ref()?;
            tin_cloak_model::state::recipe::Method::of_word(&bound.method).filter(|m| m.fills())?;
            let mut map = vec![0.0; piece.rest.len()];
            bound.filled.iter().for_each(|&v| map[v as usize] = 1.0);
            Some(map)
        };
        std::iter::once(None).chain(self.dress.pieces.iter().map(of)).collect()
    }

    fn hidden_maps(&self) -> Vec<Option<Vec<f32>>> {
        let of = |part: PieceId, topology: &Topology| {
            let mut left_out = vec![false; topology.triangles.len()];
            self.dress.masked.faces_of(part).iter().for_each(|f| left_out[*f as usize] = true);
            let gone = |v: usize| topology.incident.row(v).iter().all(|f| left_out[*f as usize]);
            (0..topology.vertices()).map(|v| f32::from(gone(v))).collect()
        };
        let of_piece = |p: &Piece| {
            let any = !self.dress.masked.faces_of(p.id).is_empty();
            any.then(|| of(p.id, &p.topology))
        };
        let body = Some(of(BODY, &self.dress.body.topology));
        std::iter::once(body).chain(self.dress.pieces.iter().map(of_piece)).collect()
    }

    fn side_maps(&self) -> Vec<Option<Vec<f32>>> {
        let of = |index: usize| {
            let recipe = &self.piece_state(index).recipe;
            let width = recipe.options.apart_mm.unwrap_or(10.0);
            Some(leaning_of(&self.dress.pieces[index], &self.dress.body, recipe, width))
        };
        std::iter::once(None).chain((0..self.dress.pieces.len()).map(of)).collect()
    }

    fn clearance_maps(&self, posed: &Posed, known: Option<&PoseCells>) -> Vec<Option<Vec<f32>>> {
        let worn = self.worn();
        let shown = shown(self, &worn, posed, known);
        let mut maps = vec![None; self.dress.pieces.len() + 1];
        for layer in 0..worn.outfit.layers.len() {
            maps[worn.piece_of[layer].map_or(0, |p| p + 1)] = Some(map_of(self, &worn, &shown, layer));
        }
        maps
    }

    fn clearance_moved(&self, posed: &Posed, index: usize, positions: &[Vec3]) -> Vec<f32> {
        let worn = self.worn();
        let Some(layer) = worn.piece_of.iter().position(|p| *p == Some(index)) else {
            return vec![f32::NAN; positions.len()];
        };
        if posed.pieces[index] == positions {
            return map_of(self, &worn, &shown(self, &worn, posed, None), layer);
        }
        let moved = self.with_buffers(&worn.outfit, |buffers| {
            buffers.pose(&worn.outfit, &posed.pose.matrices, &posed.pose.amounts);
            buffers.put(&worn.outfit, layer, positions);
            let in_pose = InPose::new(&worn.outfit, buffers);
            shown_of(self, &worn, &in_pose, posed.is_rest, layer)
        });
        map_of(self, &worn, &moved, layer)
    }

    fn add_rest_gaps(&self, maps: &mut [Option<Vec<f32>>]) {
        for index in (0..self.dress.pieces.len()).filter(|&i| self.dress.pieces[i].bound.is_none()) {
            maps[index + 1] = Some(mm_of(&self.rest_gaps(index)));
        }
    }
}

/// How far the faces about each vertex have turned from what the piece came in, in shares of 60°.
fn turned_map(piece: &Piece) -> Vec<f32> {
    let came = piece.topology.weld.gather(&piece.mesh.positions);
    if came == *piece.unshaped {
        return vec![0.0; came.len()];
    }
    let whole = Alignment::between(&came, &piece.unshaped);
    let came: Vec<Vec3> = came.iter().map(|p| whole.rigid(*p)).collect();
    let turn = |t: &[u32; 3]| {
        let [a, b] = [&came[..], &piece.unshaped[..]].map(|p| face_normal(p, *t));
        if a == Vec3::ZERO || b == Vec3::ZERO {
            return 0.0;
        }
        a.dot(b).clamp(-1.0, 1.0).acos().to_degrees() / TURNED_FULL
    };
    let faces: Vec<f32> = piece.topology.triangles.iter().map(turn).collect();
    let most =
        |v: usize| piece.topology.incident.row(v).iter().map(|f| faces[*f as usize]).fold(0.0, f32::max);
    (0..came.len()).map(most).collect()
}

/// The clearance map of a layer, millimetres.
fn map_of(room: &Room, worn: &Worn, shown: &ShownLayer, layer: usize) -> Vec<f32> {
    let mut map: Vec<f32> = shown.heights[layer].iter().map(|h| to_mm(*h)).collect();
    let deepen = |map: &mut [f32], list: &[Wrong]| {
        for (_, v, clearance) in list.iter().filter(|w| w.0 == layer) {
            map[*v as usize] = map[*v as usize].min(to_mm(*clearance));
        }
    };
    deepen(&mut map, &shown.through);
    // A plate is measured by its inside wall and seen from outside: what is under the
    // outside wall shows on it.
    for &(seen, measured) in wall_partners(room, worn, layer).iter() {
        map[seen as usize] = map[measured as usize];
    }
    deepen(&mut map, &shown.contacts);
    map
}

/// What a clearance map shows of a pose.
fn shown(room: &Room, worn: &Worn, posed: &Posed, known: Option<&PoseCells>) -> Arc<ShownLayer> {
    let key = room.asked_key("shown", worn, posed);
    room.derived.get_or(key, || {
        let points = known.is_none().then(|| room.points(worn, posed));
        room.with_buffers(&worn.outfit, |buffers| {
            buffers.pose(&worn.outfit, &posed.pose.matrices, &posed.pose.amounts);
            let in_pose = InPose::new(&worn.outfit, buffers);
            let (through, contacts) = match known {
                Some(known) => (known.through.clone(), known.contacts.clone()),
                None => (
                    points.map_or_else(Vec::new, |p| p.in_sight(&worn.outfit)),
                    beyond_rest(room, worn, &in_pose, posed.is_rest, None),
                ),
            };
            ShownLayer { heights: heights_in(room, worn, &in_pose, None), through, contacts }
        })
    })
}

/// The same of one layer alone, of layers that are posed.
fn shown_of(room: &Room, worn: &Worn, in_pose: &InPose, is_rest: bool, layer: usize) -> ShownLayer {
    let only = Some(layer);
    let points = room.points_in(worn, in_pose, is_rest, |(outer, inner)| is_of(outer, inner, only));
    ShownLayer {
        heights: heights_in(room, worn, in_pose, only),
        through: points.in_sight(&worn.outfit),
        contacts: beyond_rest(room, worn, in_pose, is_rest, only),
    }
}

fn is_of(outer: usize, inner: usize, only: Option<usize>) -> bool {
    only.is_none_or(|layer| layer == outer || layer == inner)
}

fn heights_in(room: &Room, worn: &Worn, in_pose: &InPose, only: Option<usize>) -> Vec<Vec<f32>> {
    let heights = |layer: usize| match only.is_none_or(|only| only == layer) {
        true => in_pose.heights(layer, room.settings(), FURTHEST),
        false => Vec::new(),
    };
    (0..worn.outfit.layers.len()).into_par_iter().map(heights).collect()
}

/// What is in each other, of layers that rest does not show so, and what came out.
fn beyond_rest(room: &Room, worn: &Worn, in_pose: &InPose, is_rest: bool, only: Option<usize>) -> Vec<Wrong> {
    let mut all = contacts_in(room, worn, in_pose, is_rest, only);
    all.extend(came_out_in(room, worn, in_pose, is_rest, only));
    all
}

/// What is in each other, of layers that rest does not show so, by more than the tolerance.
fn contacts_in(room: &Room, worn: &Worn, in_pose: &InPose, is_rest: bool, only: Option<usize>) -> Vec<Wrong> {
    if is_rest {
        return Vec::new();
    }
    let covered: Vec<(usize, usize)> = worn.outfit.pairs.iter().map(|p| (p.outer, p.inner)).collect();
    let mut pairs = contacts(worn.outfit.layers.len(), &covered);
    pairs.retain(|&(outer, inner)| is_of(outer, inner, only));
    let rest = room.at_rest(worn, &pairs);
    let one = |(&(outer, inner), rest): (&(usize, usize), &Arc<AtRest>)| {
        let crossing = in_pose.crossing(outer, inner, &in_pose.meeting(outer, inner, rest), rest, true);
        let tolerance = from_mm(room.tolerance_mm_of(worn, outer, inner));
        contact_of(outer, inner, &crossing, tolerance).collect::<Vec<_>>()
    };
    pairs.par_iter().zip(&rest).flat_map_iter(one).collect()
}

/// What came out where nothing that was asked at rest did, in sight, by more than the tolerance.
fn came_out_in(room: &Room, worn: &Worn, in_pose: &InPose, is_rest: bool, only: Option<usize>) -> Vec<Wrong> {
    let layers: Vec<(usize, usize)> = worn.outfit.pairs.iter().map(|p| (p.outer, p.inner)).collect();
    let rest = room.at_rest(worn, &layers);
    let one = |pair: usize| {
        let (outer, inner) = layers[pair];
        if !is_of(outer, inner, only) {
            return Vec::new();
        }
        let meeting = in_pose.meeting(outer, inner, &rest[pair]);
        let beyond = (!is_rest).then_some(&*rest[pair]);
        let settings = room.settings_of(worn, pair);
        if meeting.is_empty() || !in_pose.through(pair, settings, &meeting, beyond).is_empty() {
            return Vec::new();
        }
        let crossing = in_pose.crossing(outer, inner, &meeting, &rest[pair], false);
        let told = in_pose.with_what_came_out(pair, &meeting, beyond, crossing);
        match in_pose.sees_any(pair, &told.inside) {
            true => contact_of(outer, inner, &told, settings.tolerance).collect(),
            false => Vec::new(),
        }
    };
    (0..layers.len()).into_par_iter().flat_map_iter(one).collect()
}

/// The vertices of a layer that are not measured themselves, with the nearest at rest that is.
fn wall_partners(room: &Room, worn: &Worn, layer: usize) -> Arc<Vec<(u32, u32)>> {
    let key = Key::begin("wall partners").and_key(worn.facts[layer].shape).end();
    room.derived.get_or(key, || {
        let layer = &worn.outfit.layers[layer];
        if layer.walls.away_from_body.is_none() {
            return Vec::new();
        }
        let all = layer.walls.towards_body.measured_partners(&layer.rest);
        (0u32..).zip(all).filter(|(v, partner)| v != partner).collect()
    })
}
