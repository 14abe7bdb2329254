//! Maps: a figure for each vertex.

use crate::binding::sides::leaning_of;
use crate::dress::room::Room;
use crate::dress::worn::Worn;
use crate::measuring::board::contacts;
use crate::measuring::posed::Posed;
use crate::state::key::Key;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use tin_cloak_core::clearance::{vertex_strains, AtRest, InPose};
use tin_cloak_core::JointId;

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
    /// How far a vertex leans to the left (1) or right (−1) where sides are kept apart.
    Sides,
    /// Clearance to the layer beneath, millimetres; what pokes through is negative.
    Clearance,
    /// How far edges are stretched (above 0) or squashed (below), as a share of their length at rest.
    Strain,
}

impl Room {
    pub(crate) fn weight_maps(&self, joint: JointId) -> Vec<Option<Vec<f32>>> {
        let mut maps = vec![Some(self.dress.body.welded_skin.column(joint))];
        maps.extend(self.dress.pieces.iter().map(|p| p.bound.as_ref().map(|b| b.skin.column(joint))));
        maps
    }

    /// Of all parts as posed.
    pub(crate) fn strain_maps(&self, posed: &Posed) -> Vec<Option<Vec<f32>>> {
        let body = &self.dress.body;
        let mut maps = vec![Some(vertex_strains(&body.topology, &body.rest, &posed.body))];
        let pieces = self.dress.pieces.iter().zip(&posed.pieces);
        maps.extend(pieces.map(|(p, at)| Some(vertex_strains(&p.topology, &p.rest, at))));
        maps
    }

    /// Only of pieces bound by a method that fills in.
    pub(crate) fn matched_maps(&self) -> Vec<Option<Vec<f32>>> {
        let of = |piece: &crate::dress::piece::Piece| {
            let bound = piece.bound.as_ref()?;
            crate::state::recipe::Method::of_word(&bound.method).filter(|m| m.fills())?;
            let mut map = vec![0.0; piece.rest.len()];
            bound.filled.iter().for_each(|&v| map[v as usize] = 1.0);
            Some(map)
        };
        std::iter::once(None).chain(self.dress.pieces.iter().map(of)).collect()
    }

    pub(crate) fn side_maps(&self) -> Vec<Option<Vec<f32>>> {
        let of = |index: usize| {
            let recipe = &self.piece_state(index).recipe;
            let width = recipe.options.apart_mm.unwrap_or(10.0);
            Some(leaning_of(&self.dress.pieces[index], &self.dress.body, recipe, width))
        };
        std::iter::once(None).chain((0..self.dress.pieces.len()).map(of)).collect()
    }

    /// Millimetres on each part: an outer layer's vertices over what lies beneath; on an inner
    /// layer only what pokes through in sight.
    pub(crate) fn clearance_maps(&self, posed: &Posed) -> Vec<Option<Vec<f32>>> {
        let worn = self.worn();
        let (outfit, piece_of) = (&worn.outfit, &worn.piece_of);
        let points = self.points(&worn, posed);
        let mut layers: Vec<Vec<f32>> = outfit.layers.iter().map(|l| vec![f32::NAN; l.rest.len()]).collect();
        let tolerance = self.settings().tolerance;
        for (pair, points) in outfit.pairs.iter().zip(&points.0) {
            for (&v, asked) in pair.coverage.over.iter().zip(&points.outer) {
                let Some(asked) = asked.filter(|a| !a.buried) else { continue };
                let value = &mut layers[pair.outer][v as usize];
                *value = value.min(asked.clearance * 1000.0);
            }
            for (&v, asked) in pair.coverage.covered.iter().zip(&points.inner) {
                let Some(asked) = asked.filter(|a| !a.buried && a.clearance < -tolerance) else { continue };
                let value = &mut layers[pair.inner][v as usize];
                *value = value.min(asked.clearance * 1000.0);
            }
        }
        let contacts = self.contacts_in(&worn, posed);
        let mut maps = vec![None; self.dress.pieces.len() + 1];
        for (layer, mut map) in layers.into_iter().enumerate() {
            // A plate is measured by its inside wall and seen from outside: what is under the
            // outside wall shows on it.
            for &(seen, measured) in self.wall_partners(&worn, layer).iter() {
                map[seen as usize] = map[measured as usize];
            }
            for (_, v, depth) in contacts.iter().filter(|c| c.0 == layer) {
                let value = &mut map[*v as usize];
                *value = value.min(-depth * 1000.0);
            }
            maps[piece_of[layer].map_or(0, |p| p + 1)] = Some(map);
        }
        maps
    }

    /// What is in each other, of layers that rest does not show so, by more than the tolerance: layer, vertex,
    /// and depth in metres.
    fn contacts_in(&self, worn: &Worn, posed: &Posed) -> Vec<(usize, u32, f32)> {
        if posed.is_rest {
            return Vec::new();
        }
        let outfit = &worn.outfit;
        let covered: Vec<(usize, usize)> = outfit.pairs.iter().map(|p| (p.outer, p.inner)).collect();
        let pairs = contacts(outfit.layers.len(), &covered);
        let rest = self.at_rest(worn, &pairs);
        self.with_buffers(outfit, |buffers| {
            buffers.pose(outfit, &posed.pose.matrices, &posed.pose.amounts);
            let in_pose = InPose::new(outfit, buffers);
            let one = |(layers, rest): (&(usize, usize), &Arc<AtRest>)| {
                let meeting = in_pose.meeting(*layers, rest);
                let tolerance = self.tolerance_mm_of(worn, *layers) * 0.001;
                let found = in_pose.contact(*layers, &meeting, rest);
                let told = found.iter().any(|c| c.2 > tolerance);
                found.into_iter().filter(move |_| told).collect::<Vec<_>>()
            };
            pairs.par_iter().zip(&rest).flat_map_iter(one).collect()
        })
    }

    /// Pieces that are not bound yet are told by their gaps at rest, millimetres.
    pub(crate) fn add_rest_gaps(&self, maps: &mut [Option<Vec<f32>>]) {
        for index in (0..self.dress.pieces.len()).filter(|&i| self.dress.pieces[i].bound.is_none()) {
            let gaps = self.rest_gaps(index);
            let mm = |g: &Option<tin_cloak_core::seat::Gap>| g.map_or(f32::NAN, |g| g.clearance * 1000.0);
            maps[index + 1] = Some(gaps.iter().map(mm).collect());
        }
    }

    /// The vertices of a layer that are not measured themselves, with the nearest at rest that is.
    fn wall_partners(&self, worn: &Worn, layer: usize) -> Arc<Vec<(u32, u32)>> {
        let key = Key::begin("wall partners").and_key(worn.facts[layer].shape).end();
        self.derived.get_or(key, || {
            let layer = &worn.outfit.layers[layer];
            if layer.walls.away_from_body.is_none() {
                return Vec::new();
            }
            let all = layer.walls.towards_body.measured_partners(&layer.rest);
            (0u32..).zip(all).filter(|(v, partner)| v != partner).collect()
        })
    }
}
