//! The worst snags of an outfit as people read them.

use crate::looking::picture::{draw, PicturePart, View};
use glam::{Quat, Vec3};
use tin_cloak_core::clearance::{ask_pairs, looks, way_out, Buffers, Snag, WayOut};
use tin_cloak_core::deform::blended_matrix;
use tin_cloak_core::mesh::vertex_normals;
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::units::from_mm;
use tin_cloak_measure::measuring::posed::Posed;
use tin_cloak_measure::measuring::posed::PosedOfRoom;
use tin_cloak_measure::measuring::snag_cards::SnagCardsOfRoom;
use tin_cloak_measure::measuring::snag_cards::{worst_three, SnagCard};
use tin_cloak_measure::measuring::snag_tracks::{SnagTrack, SnagTracks};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::worn::Worn;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;

/// A snag over all poses, as people read it.
#[derive(Clone, Debug)]
pub struct WorstSnag {
    /// In the pose in which it is deepest.
    pub card: SnagCard,
    /// The outer and the inner layer.
    pub layers: [String; 2],
    /// The numbers that they go by.
    pub ids: [PieceId; 2],
    /// That pose.
    pub pose: usize,
    /// Its name.
    pub pose_name: String,
    /// How deep it is in each pose, millimetres.
    pub depths_mm: Vec<f32>,
    /// Counted poses that have it.
    pub counted: usize,
    /// Square centimetres at rest.
    pub area_cm2: f32,
    /// True when rest has some of it.
    pub at_rest: bool,
    /// True where the outer piece is too coarse there to follow what lies beneath.
    pub coarse: bool,
}

/// Edges longer than so many of those beneath cannot follow it (common practice, no source).
const COARSE: f32 = 3.0;

/// A picture shows so much round a snag, metres.
const ROUND: f32 = 0.11;

/// What is through is drawn in this, sRGB.
const MARKED: [u8; 3] = [166, 47, 75];

/// Asked of a room: the worst snags of an outfit as people read them.
pub trait WorstSnagsOfRoom {
    /// Cards of the worst of `tied`, at most so many.
    ///
    /// # Errors
    /// When a pose is not there.
    fn worst_cards(&self, tied: &SnagTracks, most: usize) -> Result<Vec<WorstSnag>, WorkshopError>;

    /// A picture of a snag in its worst pose, what lies over it left away, as the bytes of a PNG.
    ///
    /// # Errors
    /// When the pose is not there.
    fn snag_picture(
        &self,
        snag: &SnagTrack,
        colour: impl Fn(usize) -> [u8; 3],
        width: usize,
        height: usize,
    ) -> Result<Vec<u8>, WorkshopError>;

    /// What a joint moves of both layers of a snag, in its worst pose: the outer one to the left, the inner one as
    /// seen from the same side to the right; the bytes of a PNG.
    ///
    /// # Errors
    /// When the pose or the joint is not there.
    fn cause_picture(
        &self,
        snag: &SnagTrack,
        joint: &str,
        width: usize,
        height: usize,
    ) -> Result<Vec<u8>, WorkshopError>;
}

impl WorstSnagsOfRoom for Room {
    fn worst_cards(&self, tied: &SnagTracks, most: usize) -> Result<Vec<WorstSnag>, WorkshopError> {
        tied.0.iter().take(most).map(|snag| worst_card(self, snag)).collect()
    }

    fn snag_picture(
        &self,
        snag: &SnagTrack,
        colour: impl Fn(usize) -> [u8; 3],
        width: usize,
        height: usize,
    ) -> Result<Vec<u8>, WorkshopError> {
        let card = worst_card(self, snag)?.card;
        let (worn, posed) = (self.worn(), self.posed(snag.pose, &[])?);
        let (outer, inner) = snag.layers;
        let place = |layer: usize| worn.outfit.layers[layer].layer;
        let highest = place(outer).max(place(inner));
        let shown = |layer: &usize| place(*layer) <= highest;
        let normals = |layer: usize| {
            let positions = worn.piece_of[layer].map_or(&posed.body, |p| &posed.pieces[p]);
            (positions, vertex_normals(positions, &worn.outfit.layers[layer].topology.triangles))
        };
        let layers: Vec<usize> = (0..worn.outfit.layers.len()).filter(shown).collect();
        let posed: Vec<_> = layers.iter().map(|&layer| normals(layer)).collect();
        let marked = if snag.on_outer { outer } else { inner };
        let mut drawn = Vec::new();
        for (&layer, (positions, normals)) in layers.iter().zip(&posed) {
            drawn.push(PicturePart {
                positions,
                normals,
                triangles: &worn.outfit.layers[layer].topology.triangles,
                colour: colour(worn.piece_of[layer].map_or(0, |p| p + 1)),
                marks: (if layer == marked { &snag.vertices } else { &[] }, MARKED),
                shares: &[],
            });
        }
        let view = View::along(Vec3::from(card.look), Some((Vec3::from(card.point), ROUND)));
        Ok(draw(&drawn, view, width, height))
    }

    fn cause_picture(
        &self,
        snag: &SnagTrack,
        joint: &str,
        width: usize,
        height: usize,
    ) -> Result<Vec<u8>, WorkshopError> {
        let unknown = || WorkshopError::NoSuchJoint { joint: joint.to_owned() };
        let joint = self.dress.body.skeleton.find(joint).ok_or_else(unknown)?;
        let card = worst_card(self, snag)?.card;
        let (worn, posed) = (self.worn(), self.posed(snag.pose, &[])?);
        let (at, view) = (Vec3::from(card.point), View::along(Vec3::from(card.look), None));
        let right = view.right();
        let half = |(side, layer): (usize, usize)| {
            let topology = &worn.outfit.layers[layer].topology;
            let positions = worn.piece_of[layer].map_or(&posed.body, |p| &posed.pieces[p]);
            let near = |v: &u32| (positions[*v as usize] - at).dot(right).abs() < ROUND;
            let triangles: Vec<[u32; 3]> =
                topology.triangles.iter().filter(|t| t.iter().all(near)).copied().collect();
            let normals = vertex_normals(positions, &topology.triangles);
            let moved: Vec<Vec3> =
                positions.iter().map(|p| *p + right * (2.0 * ROUND * side as f32)).collect();
            (moved, normals, triangles, worn.outfit.layers[layer].skin.column(joint))
        };
        let halves: Vec<_> = [snag.layers.0, snag.layers.1].into_iter().enumerate().map(half).collect();
        let mut drawn = Vec::new();
        for (positions, normals, triangles, shares) in &halves {
            let (colour, marks) = (MARKED, (&[][..], MARKED));
            drawn.push(PicturePart { positions, normals, triangles, colour, marks, shares });
        }
        let view = View { frame: Some((at + right * ROUND, ROUND)), ..view };
        Ok(draw(&drawn, view, width, height))
    }
}

/// Compares the edges of both layers where the snag is, at rest.
fn is_coarse(worn: &Worn, snag: &SnagTrack) -> bool {
    let (outer, inner) = snag.layers;
    let at = worn.outfit.layers[if snag.on_outer { outer } else { inner }].rest[snag.vertex as usize];
    let edge = |layer: usize| {
        let layer = &worn.outfit.layers[layer];
        let near = |(v, p): (usize, &Vec3)| (p.distance_squared(at), v);
        let nearest = layer.rest.iter().enumerate().map(near).min_by(|a, b| a.0.total_cmp(&b.0));
        let v = nearest.map_or(0, |n| n.1);
        let around = layer.topology.neighbours.row(v);
        let sum: f32 = around.iter().map(|n| layer.rest[v].distance(layer.rest[*n as usize])).sum();
        sum / around.len().max(1) as f32
    };
    outer != inner && edge(outer) > COARSE * edge(inner)
}

fn worst_card(room: &Room, snag: &SnagTrack) -> Result<WorstSnag, WorkshopError> {
    let (worn, posed) = (room.worn(), room.posed(snag.pose, &[])?);
    let card = room.with_buffers(&worn.outfit, |buffers| {
        buffers.pose(&worn.outfit, &posed.pose.matrices, &posed.pose.amounts);
        card_in(room, &worn, &posed, buffers, snag)
    });
    Ok(WorstSnag {
        coarse: is_coarse(&worn, snag),
        layers: [snag.layers.0, snag.layers.1].map(|l| room.dress.layer_name(worn.piece_of[l]).to_owned()),
        ids: [snag.layers.0, snag.layers.1].map(|l| worn.facts[l].piece),
        card,
        pose: snag.pose,
        pose_name: room.trials.trials.get(snag.pose).map_or_else(String::new, |t| t.label()),
        depths_mm: snag.depths_mm.clone(),
        counted: snag.counted,
        area_cm2: snag.area_cm2,
        at_rest: snag.at_rest,
    })
}

fn card_in(room: &Room, worn: &Worn, posed: &Posed, buffers: &Buffers, snag: &SnagTrack) -> SnagCard {
    let outfit = &worn.outfit;
    let (outer, inner) = snag.layers;
    let (own, other) = if snag.on_outer { (outer, inner) } else { (inner, outer) };
    let at = room.posed_at(worn, posed, own, snag.vertex);
    let pair = outfit.pairs.iter().position(|p| (p.outer, p.inner) == snag.layers);
    let (point, look) = match (snag.spot, pair) {
        (Some(spot), _) => (spot.position, spot.look),
        (None, Some(pair)) => {
            let asked = ask_pairs(outfit, buffers, &[(pair, room.settings_of(worn, pair))]);
            let (on_outer, vertices) = (snag.on_outer, vec![snag.vertex]);
            let one = Snag { pair, on_outer, vertices, deepest: from_mm(snag.deepest_mm) };
            let (place, normal) = one.place(outfit, buffers, &asked[0]);
            (place, looks(outfit, buffers, &[(place, normal, outer)])[0])
        }
        (None, None) => (at, Vec3::Z),
    };
    let out = way_out(outfit, buffers, own, other, snag.vertex);
    let causes = match (snag.spot, out) {
        (Some(_), Some(out)) => brought_together(room, worn, snag.pose, own, snag.vertex, other, out),
        (_, out) => {
            let beneath =
                out.map_or_else(Vec::new, |out| outfit.layers[other].skin.at(out.corners, out.shares));
            room.causes(worn, posed, own, snag.vertex, &beneath)
        }
    };
    SnagCard {
        through: room.through(worn, snag.layers.0, snag.layers.1),
        place: room.place_name(posed, at),
        deepest_mm: snag.deepest_mm,
        vertices: snag.vertices.len(),
        point: point.to_array(),
        look: look.to_array(),
        causes,
    }
}

/// The three joints that bring a vertex and a place of a layer together most: how far the one is taken
/// from the other, in millimetres, when that joint alone goes back to rest.
fn brought_together(
    room: &Room,
    worn: &Worn,
    pose: usize,
    own: usize,
    v: u32,
    other: usize,
    WayOut { corners, shares }: WayOut,
) -> Vec<(String, f32)> {
    let Some(trial) = room.trials.trials.get(pose) else { return Vec::new() };
    let skeleton = &room.dress.body.skeleton;
    let apart = |pose: &Pose| {
        let matrices = skeleton.skin_matrices(pose);
        let at = |layer: usize, v: u32| {
            let layer = &worn.outfit.layers[layer];
            let blend = blended_matrix(&layer.skin, v as usize, &matrices);
            blend.transform_point3(layer.rest[v as usize])
        };
        let place: Vec3 = (0..3).map(|k| at(other, corners[k]) * shares[k]).sum();
        at(own, v) - place
    };
    let now = apart(&trial.pose);
    let one = |j: usize| {
        let mut without = trial.pose.clone();
        (without.rotations[j], without.translations[j]) = (Quat::IDENTITY, Vec3::ZERO);
        without.scales.iter_mut().skip(j).take(1).for_each(|size| *size = Vec3::ONE);
        (skeleton.names[j].clone(), apart(&without).distance(now))
    };
    worst_three((0..skeleton.len()).map(one).filter(|c| c.1 > 1e-3))
}
