//! What the other side can take: joints a vertex and a mesh, vertices and shapes a mesh, no scale on joints. Each limit
//! that is not kept is told with what keeping it would cost.

use crate::handover::export::{outgoing, OfHidden, Outgoing};
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use tin_cloak_core::clearance::Layer;
use tin_cloak_core::intake::Up;
use tin_cloak_core::regions::main_joints;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::to_mm;
use tin_cloak_formats::{Frame, Look, Picture, Unit};
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::step::{BindingStep, Step};
use tin_cloak_model::state::stroke::Chosen;

/// A named set of limits; what is not named is not limited.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Limits {
    /// What it is called.
    pub name: String,
    /// Most joints that may move a vertex.
    pub joints_a_vertex: Option<usize>,
    /// Most joints that may move a mesh.
    pub joints_a_mesh: Option<usize>,
    /// Most vertices of a mesh, as they are drawn.
    pub vertices_a_mesh: Option<usize>,
    /// Most shapes of a mesh.
    pub shapes_a_mesh: Option<usize>,
    /// Most pixels of a picture, from side to side or from top to bottom.
    pub picture_pixels: Option<usize>,
    /// True when joints may have no scale.
    pub no_joint_scale: bool,
    /// The unit that lengths are in.
    pub unit: Option<Unit>,
    /// The upward axis.
    pub up: Option<Up>,
}

/// A limit that is not kept.
#[derive(Clone, Debug, PartialEq)]
pub struct Beyond {
    /// The mesh; the skeleton for joints.
    pub of: String,
    /// What there is, and the limit, in words.
    pub words: String,
    /// What keeping it would cost; nothing where nothing but another piece would.
    pub cost: Option<String>,
    /// What keeps it.
    pub cure: Option<Step>,
    /// The frame in which it is kept by the forms that leave that open.
    pub frame: Option<Frame>,
}

impl Beyond {
    fn told(of: &str, words: String) -> Self {
        Self { of: of.to_owned(), words, cost: None, cure: None, frame: None }
    }
}

impl Limits {
    /// What most take (common practice, no source).
    pub fn usual() -> Self {
        Self {
            joints_a_vertex: Some(4),
            vertices_a_mesh: Some(65535),
            no_joint_scale: true,
            ..Self::default()
        }
    }

    /// From JSON, as `--limits` takes it.
    ///
    /// # Errors
    /// What is wrong with it, and where.
    pub fn of_json(file: &str, bytes: &[u8]) -> Result<Self, WorkshopError> {
        let fail = |why: String| WorkshopError::BadLimits { file: file.to_owned(), why };
        let limits: Self = serde_json::from_slice(bytes).map_err(|e| fail(e.to_string()))?;
        match limits.joints_a_vertex {
            Some(0) => Err(fail("joints_a_vertex is 0: every vertex is moved by one at least".to_owned())),
            _ => Ok(limits),
        }
    }

    /// The frame that the other side takes, where a form leaves it open.
    pub fn frame(&self) -> Frame {
        Frame { unit: self.unit.unwrap_or_default(), up: self.up.unwrap_or_default() }
    }

    /// Those that a dress does not keep as it goes out in a frame.
    ///
    /// # Errors
    /// Never in practice: the weights of the body are sound.
    pub fn broken_by(
        &self,
        dress: &Dress,
        trials: &TrialSet,
        frame: Frame,
    ) -> Result<Vec<Beyond>, WorkshopError> {
        let mut beyond: Vec<Beyond> = self.other_frame(frame).into_iter().collect();
        let (layers, piece_of) = dress.whole().layers();
        for own in outgoing(dress, OfHidden::LeftOut)? {
            let layer = piece_of.iter().position(|p| *p == own.piece).map(|l| &layers[l]);
            beyond.extend(self.of_mesh(&own, dress, layer, trials));
        }
        let skeleton = &dress.body.skeleton;
        let scaled = skeleton.rest.iter().filter(|r| (r.scale - Vec3::ONE).length() > 1e-4).count();
        if self.no_joint_scale && scaled > 0 {
            let words = format!("{scaled} joints are scaled, none may be");
            beyond.push(Beyond::told(&dress.body.name, words));
        }
        Ok(beyond)
    }

    fn other_frame(&self, frame: Frame) -> Option<Beyond> {
        let wanted = self.frame();
        let off = self.unit.is_some_and(|u| u != frame.unit) || self.up.is_some_and(|u| u != frame.up);
        let words = format!("{frame}; {wanted} is wanted");
        off.then(|| Beyond { frame: Some(wanted), ..Beyond::told("the file", words) })
    }

    fn of_mesh(
        &self,
        own: &Outgoing,
        dress: &Dress,
        layer: Option<&Layer>,
        trials: &TrialSet,
    ) -> Vec<Beyond> {
        let mut beyond = Vec::new();
        let mut tell = |count: usize, limit: Option<usize>, what: &str| {
            if let Some(limit) = limit.filter(|l| count > *l) {
                let words = format!("{count} {what}, {limit} may be");
                beyond.push(Beyond::told(&own.part.name, words));
            }
        };
        tell(own.part.mesh.positions.len(), self.vertices_a_mesh, "vertices");
        tell(own.part.morphs.len(), self.shapes_a_mesh, "shapes");
        for picture in pictures_of(&own.part.look) {
            // One that cannot be understood tells no size.
            let size = imagesize::blob_size(&picture.bytes).map_or(0, |s| s.width.max(s.height));
            tell(size, self.picture_pixels, &format!("pixels of the picture {}", picture.name));
        }
        if let Some(skin) = &own.part.skin {
            tell(joints_of(skin), self.joints_a_mesh, "joints move it");
            tell(skin.max_influences(), self.joints_a_vertex, "joints a vertex");
            let limit = self.joints_a_vertex.filter(|l| skin.max_influences() > *l);
            if let (Some(most), Some(layer), Some(told)) = (limit, layer, beyond.last_mut()) {
                told.cost = Some(cost_of(layer, most, dress, trials));
                told.cure = own.piece.map(|index| {
                    Step::Binding(BindingStep::Clean {
                        piece: dress.pieces[index].id,
                        clean: Clean::Limit { most },
                        chosen: Chosen::Everything,
                        locked: Vec::new(),
                    })
                });
            }
        }
        beyond
    }
}

/// The pictures that the materials of a mesh's own faces show.
fn pictures_of(look: &Look) -> Vec<&Picture> {
    let all = &look.materials;
    let mut used = vec![false; all.pictures.len()];
    for material in look.runs.iter().filter_map(|r| all.materials.get(r.material? as usize)) {
        textures_in(material, &mut |texture| {
            let source = all.textures.get(texture).and_then(|t| t.get("source")?.as_u64());
            source.and_then(|s| used.get_mut(s as usize)).into_iter().for_each(|u| *u = true);
        });
    }
    all.pictures.iter().zip(used).filter(|(_, used)| *used).map(|(p, _)| p).collect()
}

/// The textures that a material names, however deep: an `index` of anything whose name ends so.
fn textures_in(value: &serde_json::Value, found: &mut dyn FnMut(usize)) {
    for (key, inner) in value.as_object().into_iter().flatten() {
        let index = inner.get("index").and_then(serde_json::Value::as_u64);
        match index.filter(|_| key.ends_with("Texture")) {
            Some(texture) => found(texture as usize),
            None => textures_in(inner, found),
        }
    }
}

/// Joints that move any of it.
fn joints_of(skin: &Skin) -> usize {
    let mut joints: Vec<u16> =
        (0..skin.vertices()).flat_map(|v| skin.row(v)).filter(|e| e.1 > 0.0).map(|e| e.0 .0).collect();
    joints.sort_unstable();
    joints.dedup();
    joints.len()
}

/// How far anything would be from where it is with so many joints a vertex, where, and in which pose.
fn cost_of(layer: &Layer, most: usize, dress: &Dress, trials: &TrialSet) -> String {
    let limited = Layer { skin: Arc::new(layer.skin.limit(most)), ..layer.clone() };
    let poses = trials.poses(&dress.body);
    let in_pose = |(n, pose): (usize, &tin_cloak_core::mend::TrialPose)| {
        let posed = |layer: &Layer| {
            let mut at = vec![Vec3::ZERO; layer.rest.len()];
            layer.pose_into(&pose.matrices, &pose.amounts, &mut Vec::new(), &mut at);
            at
        };
        let (before, after) = (posed(layer), posed(&limited));
        let far = before.iter().zip(&after).map(|(a, b)| a.distance(*b)).enumerate();
        let (v, metres) = far.fold((0, 0.0f32), |worst, one| if one.1 > worst.1 { one } else { worst });
        (metres, n, v)
    };
    let all: Vec<(f32, usize, usize)> = poses.par_iter().enumerate().map(in_pose).collect();
    let worst = all.into_iter().reduce(|a, b| if b.0 > a.0 { b } else { a });
    let Some((metres, pose, v)) = worst.filter(|w| w.0 > 1e-6) else { return "nothing moves".to_owned() };
    let joint = main_joints(&layer.skin)[v];
    let (place, pose) = (&dress.body.skeleton.names[joint.index()], trials.trials[pose].label());
    format!("{:.1} mm at worst, at {place}, in {pose}", to_mm(metres))
}
