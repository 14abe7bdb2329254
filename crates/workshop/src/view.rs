//! Looking at a fitting: posed meshes and maps on them.

use crate::binding::leaning_of;
use crate::{Room, WorkshopError};
use glam::{Mat4, Quat, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::{Arc, OnceLock, PoisonError};
use tin_cloak_core::clearance::{ask_pairs, Layer, PairPoints, Settings};
use tin_cloak_core::deform::driven_amounts;
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::regions::{main_joints, region_colours};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::trial::Humanoid;
use tin_cloak_core::JointId;

/// A joint turned by hand, on top of the trial pose: degrees about the character's axes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Turn {
    /// The joint.
    pub joint: u16,
    /// About the axis to the left: forward is positive.
    pub bend: f32,
    /// About the upward axis: to the left is positive.
    pub twist: f32,
    /// About the forward axis: to the right is positive.
    pub lean: f32,
    /// Also its mirror partner, as in a mirror.
    #[serde(default)]
    pub both_sides: bool,
}

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
}

/// A pose and a map to look at.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ViewRequest {
    /// Index of a trial pose; 0 is rest.
    #[serde(default)]
    pub pose: usize,
    /// Joints turned by hand.
    #[serde(default)]
    pub turns: Vec<Turn>,
    /// The map.
    #[serde(default)]
    pub map: MapKind,
    /// The joint of a weight map.
    #[serde(default)]
    pub joint: u16,
}

/// A mesh as posed, vertex by vertex of its file.
#[derive(Clone, Debug)]
pub struct ViewPart {
    /// 0 for the body, else the piece's number.
    pub id: u32,
    /// Metres.
    pub positions: Vec<Vec3>,
    /// Unit.
    pub normals: Vec<Vec3>,
    /// Map values; NaN where there is none.
    pub map: Option<Vec<f32>>,
}

/// Colours that regions are told apart by.
pub const REGION_COLOURS: usize = 8;

/// A pose that was looked at: matrices and welded positions, the measure when asked for.
pub(crate) struct Posed {
    request: (usize, Vec<Turn>),
    pub(crate) matrices: Vec<Mat4>,
    pub(crate) amounts: Vec<f32>,
    pub(crate) body: Vec<Vec3>,
    pub(crate) pieces: Vec<Vec<Vec3>>,
    points: OnceLock<Vec<PairPoints>>,
}

impl Room {
    pub(crate) fn settings(&self) -> Settings {
        Settings { tolerance: self.state.tolerance_mm * 0.001, ..Settings::default() }
    }

    /// The trial pose with the turns made by hand.
    pub(crate) fn pose_of(&self, request: &ViewRequest) -> Result<Pose, WorkshopError> {
        let trial = self.trials.trials.get(request.pose);
        let trial = trial.ok_or(WorkshopError::Missing { what: "pose", id: request.pose as i64 })?;
        let mut pose = trial.pose.clone();
        if request.turns.is_empty() {
            return Ok(pose);
        }
        let skeleton = &self.dress.body.skeleton;
        let person = Humanoid::find(skeleton);
        let rest = skeleton.world(&Pose::rest(skeleton.len()));
        for t in &request.turns {
            let j = usize::from(t.joint);
            let missing = WorkshopError::Missing { what: "joint", id: i64::from(t.joint) };
            let matrix = rest.get(j).ok_or(missing)?;
            let about = |axis: Vec3, degrees: f32| Quat::from_axis_angle(axis, degrees.to_radians());
            let finite = |x: f32| if x.is_finite() { x.clamp(-360.0, 360.0) } else { 0.0 };
            let turn = about(person.forward, finite(t.lean))
                * about(person.up, finite(t.twist))
                * about(person.leftward(), finite(t.bend));
            let own = matrix.to_scale_rotation_translation().1;
            let turn = own.inverse() * turn * own;
            let joint = Some(JointId(t.joint)).filter(|_| t.both_sides);
            let partner = joint.and_then(|j| mirror_partner(skeleton, j));
            pose.rotations[j] = (pose.rotations[j] * turn).normalize();
            if let Some(p) = partner {
                let image = skeleton.mirrored_rotation(JointId(t.joint), turn, p);
                pose.rotations[p.index()] = (pose.rotations[p.index()] * image).normalize();
            }
        }
        Ok(pose)
    }

    pub(crate) fn posed(&self, request: &ViewRequest) -> Result<Arc<Posed>, WorkshopError> {
        let key = (request.pose, request.turns.clone());
        let kept = self.last.lock().unwrap_or_else(PoisonError::into_inner).clone();
        if let Some(posed) = kept.filter(|p| p.request == key) {
            return Ok(posed);
        }
        let pose = self.pose_of(request)?;
        let matrices = self.dress.body.skeleton.skin_matrices(&pose);
        let amounts = driven_amounts(&self.dress.body.morphs, &pose);
        let body = self.dress.body.posed(&matrices, &amounts);
        let pieces = self.dress.pieces.iter().map(|p| p.posed(&matrices)).collect();
        let points = OnceLock::new();
        let posed = Arc::new(Posed { request: key, matrices, amounts, body, pieces, points });
        *self.last.lock().unwrap_or_else(PoisonError::into_inner) = Some(Arc::clone(&posed));
        Ok(posed)
    }

    pub(crate) fn points<'a>(&self, posed: &'a Posed) -> &'a [PairPoints] {
        posed.points.get_or_init(|| {
            let outfit = &self.outfit().0;
            let all: Vec<usize> = (0..outfit.pairs.len()).collect();
            self.with_buffers(|buffers| {
                buffers.pose(outfit, &posed.matrices, &posed.amounts);
                ask_pairs(outfit, buffers, self.settings(), &all)
            })
        })
    }

    /// Body and pieces in a pose, with a map.
    ///
    /// # Errors
    /// When the pose or joint is not there.
    pub fn view(&self, request: &ViewRequest) -> Result<Vec<ViewPart>, WorkshopError> {
        if usize::from(request.joint) >= self.dress.body.skeleton.len() {
            return Err(WorkshopError::Missing { what: "joint", id: i64::from(request.joint) });
        }
        let posed = self.posed(request)?;
        let maps = match request.map {
            MapKind::Plain => vec![None; self.dress.pieces.len() + 1],
            MapKind::Weights => self.weight_maps(JointId(request.joint)),
            MapKind::Regions => self.region_maps(),
            MapKind::Matched => self.matched_maps(),
            MapKind::Sides => self.side_maps(),
            MapKind::Clearance => {
                let mut maps = self.clearance_maps(self.points(&posed));
                if request.pose == 0 && request.turns.is_empty() {
                    self.add_rest_gaps(&mut maps);
                }
                maps
            }
        };
        Ok(maps
            .into_par_iter()
            .enumerate()
            .map(|(i, map)| {
                let (id, weld, welded, shading) = match i.checked_sub(1) {
                    None => (0, &self.dress.body.topology.weld, &posed.body, &self.dress.body.shading),
                    Some(p) => {
                        let piece = &self.dress.pieces[p];
                        (self.piece_state(p).id, &piece.topology.weld, &posed.pieces[p], &*piece.shading)
                    }
                };
                let positions = weld.scatter(welded);
                let normals = shading.normals(&positions);
                ViewPart { id, positions, normals, map: map.map(|m: Vec<f32>| weld.scatter(&m)) }
            })
            .collect())
    }

    /// Main joints of the body and of each bound piece.
    fn main_joints(&self) -> Vec<Option<Vec<JointId>>> {
        let mut all = vec![Some(main_joints(&self.dress.body.welded_skin))];
        all.extend(self.dress.pieces.iter().map(|p| p.bound.as_ref().map(|b| main_joints(&b.skin))));
        all
    }

    /// A colour for each joint, and whether it moves any vertex most: neighbours differ.
    pub fn regions(&self) -> &[(u8, bool)] {
        self.regions.get_or_init(|| {
            let main = self.main_joints();
            let topologies = std::iter::once(&self.dress.body.topology)
                .chain(self.dress.pieces.iter().map(|p| &p.topology));
            let meshes: Vec<(&[[u32; 2]], &[JointId])> = topologies
                .zip(&main)
                .filter_map(|(t, m)| Some((t.edges.as_slice(), m.as_deref()?)))
                .collect();
            let joints = self.dress.body.skeleton.len();
            let mut shown = vec![false; joints];
            main.iter().flatten().flatten().for_each(|j| shown[j.index()] = true);
            region_colours(joints, &meshes, REGION_COLOURS).into_iter().zip(shown).collect()
        })
    }

    fn region_maps(&self) -> Vec<Option<Vec<f32>>> {
        let colours = self.regions();
        let colour = |j: &JointId| f32::from(colours[j.index()].0);
        let of = |main: Option<Vec<JointId>>| Some(main?.iter().map(colour).collect());
        self.main_joints().into_iter().map(of).collect()
    }

    /// Only of pieces bound by a method that fills in.
    fn matched_maps(&self) -> Vec<Option<Vec<f32>>> {
        let of = |piece: &crate::Piece| {
            let bound = piece.bound.as_ref()?;
            crate::Method::of_word(&bound.method).filter(|m| m.fills())?;
            let mut map = vec![0.0; piece.rest.len()];
            bound.filled.iter().for_each(|&v| map[v as usize] = 1.0);
            Some(map)
        };
        std::iter::once(None).chain(self.dress.pieces.iter().map(of)).collect()
    }

    fn side_maps(&self) -> Vec<Option<Vec<f32>>> {
        let of = |index: usize| {
            let recipe = &self.piece_state(index).recipe;
            let width = recipe.options.apart_mm.unwrap_or(10.0);
            Some(leaning_of(&self.dress.pieces[index], &self.dress.body, recipe, width))
        };
        std::iter::once(None).chain((0..self.dress.pieces.len()).map(of)).collect()
    }

    fn weight_maps(&self, joint: JointId) -> Vec<Option<Vec<f32>>> {
        let mut maps = vec![Some(self.dress.body.welded_skin.column(joint))];
        maps.extend(self.dress.pieces.iter().map(|p| p.bound.as_ref().map(|b| b.skin.column(joint))));
        maps
    }

    /// Millimetres on each part: an outer layer's vertices over what lies beneath; on an inner
    /// layer only what pokes through in sight.
    fn clearance_maps(&self, points: &[PairPoints]) -> Vec<Option<Vec<f32>>> {
        let (outfit, piece_of) = self.outfit();
        let mut layers: Vec<Vec<f32>> = outfit.layers.iter().map(|l| vec![f32::NAN; l.rest.len()]).collect();
        let tolerance = self.settings().tolerance;
        for (pair, points) in outfit.pairs.iter().zip(points) {
            for (&v, asked) in pair.over.iter().zip(&points.outer) {
                let Some(asked) = asked.filter(|a| !a.buried) else { continue };
                let value = &mut layers[pair.outer][v as usize];
                *value = value.min(asked.clearance * 1000.0);
            }
            for (&v, asked) in pair.covered.iter().zip(&points.inner) {
                let Some(asked) = asked.filter(|a| !a.buried && a.clearance < -tolerance) else { continue };
                let value = &mut layers[pair.inner][v as usize];
                *value = value.min(asked.clearance * 1000.0);
            }
        }
        let mut maps = vec![None; self.dress.pieces.len() + 1];
        for (layer, mut map) in layers.into_iter().enumerate() {
            // A plate is measured by its inside wall and seen from outside: what is under the
            // outside wall shows on it.
            for &(seen, measured) in &self.wall_partners()[layer] {
                map[seen as usize] = map[measured as usize];
            }
            maps[piece_of[layer].map_or(0, |p| p + 1)] = Some(map);
        }
        maps
    }

    /// Pieces that are not bound yet are told by their gaps at rest, millimetres.
    fn add_rest_gaps(&self, maps: &mut [Option<Vec<f32>>]) {
        for index in (0..self.dress.pieces.len()).filter(|&i| self.dress.pieces[i].bound.is_none()) {
            let gaps = self.rest_gaps(index);
            let mm = |g: &Option<tin_cloak_core::seat::Gap>| g.map_or(f32::NAN, |g| g.clearance * 1000.0);
            maps[index + 1] = Some(gaps.iter().map(mm).collect());
        }
    }

    /// For each layer the vertices that are not measured themselves, with the nearest at rest
    /// that is.
    fn wall_partners(&self) -> &[Vec<(u32, u32)>] {
        self.partners.get_or_init(|| {
            let partners = |layer: &Layer| -> Vec<(u32, u32)> {
                if layer.walls.away_from_body.is_none() {
                    return Vec::new();
                }
                let all = layer.walls.towards_body.measured_partners(&layer.rest);
                (0u32..).zip(all).filter(|(v, partner)| v != partner).collect()
            };
            self.outfit().0.layers.iter().map(partners).collect()
        })
    }
}
