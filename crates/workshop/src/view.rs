//! Looking at a fitting: posed meshes, maps on them, what lies under the pointer, snags.

use crate::{Room, WorkshopError};
use glam::{Mat4, Quat, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock, PoisonError};
use tin_cloak_core::clearance::{measure_pose, rank_causes, snags, Layer, PoseMeasure, Settings, Snag};
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::query::Tree;
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::skin::Skin;
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

/// What lies under the pointer.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct Probe {
    pub part: u32,
    pub name: String,
    pub vertex: u32,
    pub point: [f32; 3],
    /// Millimetres to the layer beneath, where measured.
    pub clearance_mm: Option<f32>,
    /// Joint, its weight here, and on the layer beneath.
    pub weights: Vec<(String, f32, f32)>,
    pub bound: bool,
}

/// A snag as people read it.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct SnagCard {
    pub outer: String,
    pub inner: String,
    pub place: String,
    pub deepest_mm: f32,
    pub vertices: usize,
    pub point: [f32; 3],
    pub normal: [f32; 3],
    /// Joint and millimetres, largest first.
    pub causes: Vec<(String, f32)>,
}

/// A pose that was looked at: matrices and welded positions, the measure when asked for.
pub(crate) struct Posed {
    request: (usize, Vec<Turn>),
    matrices: Vec<Mat4>,
    body: Vec<Vec3>,
    pieces: Vec<Vec<Vec3>>,
    measure: OnceLock<PoseMeasure>,
}

impl Room {
    fn settings(&self) -> Settings {
        Settings { tolerance: self.state.tolerance_mm * 0.001, ..Settings::default() }
    }

    /// The trial pose with the turns made by hand.
    fn pose_of(&self, request: &ViewRequest) -> Result<Pose, WorkshopError> {
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
            pose.rotations[j] = (pose.rotations[j] * (own.inverse() * turn * own)).normalize();
        }
        Ok(pose)
    }

    fn posed(&self, request: &ViewRequest) -> Result<Arc<Posed>, WorkshopError> {
        let key = (request.pose, request.turns.clone());
        let kept = self.last.lock().unwrap_or_else(PoisonError::into_inner).clone();
        if let Some(posed) = kept.filter(|p| p.request == key) {
            return Ok(posed);
        }
        let matrices = self.dress.body.skeleton.skin_matrices(&self.pose_of(request)?);
        let blend = |rest: &[Vec3], skin: &Skin| {
            let mut out = vec![Vec3::ZERO; rest.len()];
            linear_blend(rest, skin, &matrices, &mut out);
            out
        };
        let body = blend(&self.dress.body.rest, &self.dress.body.welded_skin);
        let piece = |p: &crate::Piece| match &p.bound {
            Some(bound) => blend(&p.rest, &bound.skin),
            None => p.rest.clone(),
        };
        let pieces = self.dress.pieces.iter().map(piece).collect();
        let posed = Arc::new(Posed { request: key, matrices, body, pieces, measure: OnceLock::new() });
        *self.last.lock().unwrap_or_else(PoisonError::into_inner) = Some(Arc::clone(&posed));
        Ok(posed)
    }

    fn measure<'a>(&self, posed: &'a Posed) -> &'a PoseMeasure {
        posed.measure.get_or_init(|| {
            let outfit = &self.outfit().0;
            self.with_buffers(|buffers| {
                buffers.pose(outfit, &posed.matrices, &[]);
                measure_pose(outfit, buffers, self.settings())
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
            MapKind::Clearance => self.clearance_maps(self.measure(&posed)),
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

    fn weight_maps(&self, joint: JointId) -> Vec<Option<Vec<f32>>> {
        let mut maps = vec![Some(self.dress.body.welded_skin.column(joint))];
        maps.extend(self.dress.pieces.iter().map(|p| p.bound.as_ref().map(|b| b.skin.column(joint))));
        maps
    }

    /// Millimetres on each part: an outer layer's vertices over what lies beneath; on an inner
    /// layer only what pokes through in sight.
    fn clearance_maps(&self, measure: &PoseMeasure) -> Vec<Option<Vec<f32>>> {
        let (outfit, piece_of) = self.outfit();
        let mut layers: Vec<Vec<f32>> = outfit.layers.iter().map(|l| vec![f32::NAN; l.rest.len()]).collect();
        let tolerance = self.settings().tolerance;
        for (pair, points) in outfit.pairs.iter().zip(&measure.points) {
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

    /// For each layer the vertices that are not measured themselves, with the nearest at rest
    /// that is.
    fn wall_partners(&self) -> &[Vec<(u32, u32)>] {
        self.partners.get_or_init(|| {
            let partners = |layer: &Layer| {
                if layer.walls.away_from_body.is_none() {
                    return Vec::new();
                }
                let measured = &layer.walls.towards_body.used;
                let places: Vec<Vec3> = measured.iter().map(|&v| layer.rest[v as usize]).collect();
                let tree = Tree::over_points(&places);
                (0..layer.rest.len() as u32)
                    .filter(|v| measured.binary_search(v).is_err())
                    .filter_map(|v| {
                        let hit = tree.closest(layer.rest[v as usize], f32::INFINITY)?;
                        Some((v, measured[hit.triangle as usize]))
                    })
                    .collect()
            };
            self.outfit().0.layers.iter().map(partners).collect()
        })
    }

    /// The first vertex met by a ray (model space, metres) in a pose; `hidden` parts are passed
    /// through.
    ///
    /// # Errors
    /// When the pose is not there.
    pub fn probe(
        &self,
        request: &ViewRequest,
        (origin, direction): (Vec3, Vec3),
        hidden: &[u32],
    ) -> Result<Option<Probe>, WorkshopError> {
        let posed = self.posed(request)?;
        let mut best: Option<(f32, usize, u32)> = None;
        for part in 0..=self.dress.pieces.len() {
            let id = part.checked_sub(1).map_or(0, |p| self.piece_state(p).id);
            if hidden.contains(&id) {
                continue;
            }
            let (positions, triangles) = self.part_mesh(&posed, part);
            let hit = triangles
                .par_iter()
                .filter_map(|t| {
                    hit_triangle(origin, direction, t.map(|v| positions[v as usize])).map(|h| (h, t))
                })
                .min_by(|a, b| a.0 .0.total_cmp(&b.0 .0));
            if let Some(((t, corner), triangle)) = hit {
                if best.is_none_or(|b| t < b.0) {
                    best = Some((t, part, triangle[corner]));
                }
            }
        }
        Ok(best.map(|(_, part, vertex)| self.describe(&posed, part, vertex)))
    }

    fn part_mesh<'a>(&'a self, posed: &'a Posed, part: usize) -> (&'a [Vec3], &'a [[u32; 3]]) {
        match part.checked_sub(1) {
            None => (&posed.body, &self.dress.body.topology.triangles),
            Some(p) => (&posed.pieces[p], &self.dress.pieces[p].topology.triangles),
        }
    }

    fn describe(&self, posed: &Posed, part: usize, vertex: u32) -> Probe {
        let names = &self.dress.body.skeleton.names;
        let piece = part.checked_sub(1);
        let (name, skin) = match piece {
            None => (&self.dress.body.name, Some(&self.dress.body.welded_skin)),
            Some(p) => (&self.dress.pieces[p].name, self.dress.pieces[p].bound.as_ref().map(|b| &b.skin)),
        };
        let layer = self.outfit().1.iter().position(|l| *l == piece);
        let under = layer.filter(|l| *l > 0).and_then(|l| self.beneath(posed, l, vertex));
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
        let (positions, _) = self.part_mesh(posed, part);
        Probe {
            part: piece.map_or(0, |p| self.piece_state(p).id),
            name: name.clone(),
            vertex,
            point: positions[vertex as usize].to_array(),
            clearance_mm: under.map(|u| u.0 * 1000.0),
            weights,
            bound: skin.is_some(),
        }
    }

    /// Clearance of an outer layer's vertex over the nearest layer beneath, and the weights there.
    fn beneath(&self, posed: &Posed, layer: usize, vertex: u32) -> Option<(f32, Vec<(JointId, f32)>)> {
        let outfit = &self.outfit().0;
        let measure = self.measure(posed);
        let mut best: Option<(f32, Vec<(JointId, f32)>)> = None;
        for (pair, points) in outfit.pairs.iter().zip(&measure.points).filter(|(p, _)| p.outer == layer) {
            let Ok(at) = pair.over.binary_search(&vertex) else { continue };
            let Some(asked) = points.outer[at] else { continue };
            if best.as_ref().is_some_and(|b| b.0 <= asked.clearance) {
                continue;
            }
            let inner = &outfit.layers[pair.inner];
            let corners = inner.walls.outside().topology.triangles[asked.triangle as usize];
            let mut row = Vec::new();
            for (&v, b) in corners.iter().zip(asked.barycentric) {
                row.extend(inner.skin.row(v as usize).map(|(j, w)| (j, w * b)));
            }
            best = Some((asked.clearance, row));
        }
        best
    }

    /// The snags of a pose, deepest first; of one board row when `row` is given.
    ///
    /// # Errors
    /// When the pose is not there.
    pub fn snag_cards(
        &self,
        request: &ViewRequest,
        row: Option<usize>,
        most: usize,
    ) -> Result<Vec<SnagCard>, WorkshopError> {
        let posed = self.posed(request)?;
        let measure = self.measure(&posed);
        let outfit = &self.outfit().0;
        let rows = crate::board::rows(outfit);
        let chosen = |pair: &usize| row.is_none_or(|r| rows.get(r) == Some(pair));
        let mut found: Vec<Snag> = (0..outfit.pairs.len())
            .filter(chosen)
            .flat_map(|pair| snags(outfit, pair, &measure.points[pair], self.settings()))
            .collect();
        found.sort_by(|a, b| b.deepest.total_cmp(&a.deepest));
        found.truncate(most);
        Ok(found.iter().map(|s| self.snag_card(&posed, measure, s)).collect())
    }

    fn snag_card(&self, posed: &Posed, measure: &PoseMeasure, snag: &Snag) -> SnagCard {
        let (outfit, piece_of) = self.outfit();
        let pair = &outfit.pairs[snag.pair];
        let points = &measure.points[snag.pair];
        let v = snag.vertices[0];
        let (own, asked) = if snag.on_outer {
            (pair.outer, pair.over.binary_search(&v).ok().and_then(|i| points.outer[i]))
        } else {
            (pair.inner, pair.covered.binary_search(&v).ok().and_then(|i| points.inner[i]))
        };
        let other = if snag.on_outer { pair.inner } else { pair.outer };
        let place = |layer: usize| piece_of[layer].map_or(&posed.body, |p| &posed.pieces[p]);
        let at = place(own)[v as usize];
        let (mut beneath, mut normal) = (Vec::new(), Vec3::Z);
        if let Some(asked) = asked {
            normal = asked.normal;
            let l = &outfit.layers[other];
            let side = if snag.on_outer { l.walls.outside() } else { &l.walls.towards_body };
            let corners = side.topology.triangles[asked.triangle as usize];
            for (&c, b) in corners.iter().zip(asked.barycentric) {
                beneath.extend(l.skin.row(c as usize).map(|(j, w)| (j, w * b)));
            }
        }
        let layer = &outfit.layers[own];
        let causes = rank_causes(layer.rest[v as usize], at, (&layer.skin, v), &beneath, &posed.matrices);
        let names = &self.dress.body.skeleton.names;
        SnagCard {
            outer: self.dress.layer_name(piece_of[pair.outer]).to_owned(),
            inner: self.dress.layer_name(piece_of[pair.inner]).to_owned(),
            place: self.place_name(posed, at),
            deepest_mm: snag.deepest * 1000.0,
            vertices: snag.vertices.len(),
            point: at.to_array(),
            normal: normal.to_array(),
            causes: causes
                .iter()
                .take(3)
                .map(|c| (names[c.joint.index()].clone(), c.metres * 1000.0))
                .collect(),
        }
    }

    /// The joint nearest to a place in the pose.
    fn place_name(&self, posed: &Posed, at: Vec3) -> String {
        let skeleton = &self.dress.body.skeleton;
        let rest = skeleton.rest_positions();
        let place = |j: usize| posed.matrices[j].transform_point3(rest[j]);
        let nearest = (0..skeleton.len())
            .min_by(|a, b| place(*a).distance_squared(at).total_cmp(&place(*b).distance_squared(at)));
        nearest.map_or_else(String::new, |j| skeleton.names[j].clone())
    }
}

/// Distance along the ray and the nearest corner of a triangle that it meets.
fn hit_triangle(origin: Vec3, direction: Vec3, [a, b, c]: [Vec3; 3]) -> Option<(f32, usize)> {
    let (ab, ac) = (b - a, c - a);
    let across = direction.cross(ac);
    let inverse = 1.0 / ab.dot(across);
    let from = origin - a;
    let u = from.dot(across) * inverse;
    let q = from.cross(ab);
    let v = direction.dot(q) * inverse;
    let t = ac.dot(q) * inverse;
    let weights = [1.0 - u - v, u, v];
    if !(t > 0.0 && weights.iter().all(|w| *w >= 0.0)) {
        return None;
    }
    let corner = (0..3).max_by(|x, y| weights[*x].total_cmp(&weights[*y])).unwrap_or(0);
    Some((t, corner))
}
