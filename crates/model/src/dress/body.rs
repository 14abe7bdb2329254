//! A rigged body in memory.

use crate::dress::derived::Weighed;
use crate::dress::dressed::always_on;
use crate::dress::members::{joined, Beside, BodyMesh, Member};
use crate::dress::shading::Shading;
use crate::error::WorkshopError;
use crate::state::fitting::BodyPart;
use crate::state::own_joint::OwnJoint;
use crate::state::said_driver::SaidDriver;
use glam::{Mat4, Quat, Vec3};
use std::sync::{Arc, OnceLock};
use tin_cloak_core::clearance::{BodySurface, Layer, Walls};
use tin_cloak_core::deform::{add_morphs, linear_blend, Morph};
use tin_cloak_core::intake::{joint_roles, symmetry, JointFacts, JointRole, WeightFaults};
use tin_cloak_core::mesh::{Mesh, Topology};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::Clip;
use tin_cloak_core::LayerIndex;
use tin_cloak_formats::{Document, Look, MeshPart, UnsoundClip};

/// A rigged body.
#[derive(Clone, Debug)]
pub struct Body {
    /// Its name.
    pub name: String,
    /// Geometry as the file has it.
    pub mesh: Mesh,
    /// Weights, one row a vertex of `mesh`.
    pub skin: Skin,
    /// The joints.
    pub skeleton: Skeleton,
    /// Shapes over the vertices of `mesh`.
    pub morphs: Vec<Morph>,
    /// Motions.
    pub clips: Vec<Clip>,
    /// Motions of its file that cannot be played.
    pub unsound_clips: Vec<UnsoundClip>,
    /// How much of each shape it wears; missing ones are 0.
    pub amounts: Vec<f32>,
    /// The meshes it is joined from; none when it is all of one mesh.
    pub members: Vec<Member>,
    /// The meshes of its file that it is made of.
    pub meshes: Vec<BodyMesh>,
    /// Other skinned meshes of its file.
    pub beside: Vec<Beside>,
    /// Texture coordinates and materials.
    pub look: Look,
    /// What was wrong with the weights of its file and has been put right.
    pub weight_faults: WeightFaults,
    /// Joints of the skeleton that belong to pieces.
    pub own_joints: Vec<OwnJoint>,
    /// Roles of joints that a person has set.
    pub set_roles: Vec<(String, JointRole)>,
    /// Adjacency over welded vertices.
    pub topology: Arc<Topology>,
    /// Which vertices are shaded as one.
    pub shading: Shading,
    /// Welded rest positions, metres, with the shapes that it wears; those of `mesh` are without.
    pub rest: Vec<Vec3>,
    /// Weights of the welded vertices.
    pub welded_skin: Skin,
    /// The shapes over welded vertices.
    pub welded_morphs: Vec<Morph>,
    /// So many of the shapes behind the body's own were made for it; so many, the last ones,
    /// are of pieces alone.
    pub(super) made: usize,
    pub(super) of_pieces: usize,
    /// Its skin at rest, ready to be asked.
    pub surface: Arc<BodySurface>,
    /// Its plane of symmetry at rest, once it was asked for.
    plane: Arc<OnceLock<f32>>,
    pub(super) walls: Arc<Walls>,
}

impl Weighed for Body {
    fn bytes(&self) -> usize {
        let shapes: usize =
            self.morphs.iter().chain(&self.welded_morphs).map(|m| m.vertices.len() * 16).sum();
        self.mesh.positions.len() * 160 + self.mesh.triangles.len() * 160 + shapes
    }
}

impl Body {
    /// From a mesh of a file and the file's skeleton and clips.
    ///
    /// # Errors
    /// When the mesh is not skinned.
    pub fn new(
        file: &str,
        part: MeshPart,
        skeleton: Option<Skeleton>,
        clips: Vec<Clip>,
    ) -> Result<Self, WorkshopError> {
        let (Some(skin), Some(skeleton)) = (part.skin, skeleton) else {
            return Err(WorkshopError::BodyWithoutSkin { file: file.to_owned() });
        };
        let topology = Topology::new(&part.mesh);
        let walls = Walls::as_wound(&topology);
        let rest = topology.weld.gather(&part.mesh.positions);
        let body = Self {
            name: part.name,
            surface: Arc::new(BodySurface::new(&rest, &topology.triangles)),
            plane: Arc::default(),
            rest,
            welded_skin: skin.gather(&topology.weld),
            welded_morphs: part.morphs.iter().map(|m| m.gather(&topology.weld)).collect(),
            made: 0,
            of_pieces: 0,
            shading: Shading::new(&part.mesh),
            topology: Arc::new(topology),
            walls: Arc::new(walls),
            mesh: part.mesh,
            skin,
            skeleton,
            morphs: part.morphs,
            amounts: part.amounts,
            members: Vec::new(),
            meshes: Vec::new(),
            beside: Vec::new(),
            clips,
            look: part.look,
            weight_faults: part.weight_faults,
            unsound_clips: Vec::new(),
            own_joints: Vec::new(),
            set_roles: Vec::new(),
        };
        let amounts = body.amounts.clone();
        Ok(body.wearing(&amounts))
    }

    /// Which of its faces are measured.
    pub fn walls(&self) -> &Walls {
        &self.walls
    }

    /// The body with its shapes called up as was said. What makes no sense on its skeleton is left as the file has it.
    pub fn called_up_by(mut self, said: &[SaidDriver]) -> Self {
        for SaidDriver { shape, turn } in said {
            let driver = turn.as_ref().map(|turn| turn.driver(&self.skeleton));
            if driver == Some(None) {
                continue;
            }
            let all = self.morphs.iter_mut().chain(&mut self.welded_morphs);
            all.filter(|m| m.name == *shape).for_each(|m| m.driver = driver.flatten());
        }
        let amounts = self.amounts.clone();
        self.wearing(&amounts)
    }

    /// The body with so much of each of its shapes.
    pub fn wearing(mut self, amounts: &[f32]) -> Self {
        amounts.clone_into(&mut self.amounts);
        self.amounts.truncate(self.morphs.len());
        let worn = self.worn_amounts();
        let mut rest = self.topology.weld.gather(&self.mesh.positions);
        add_morphs(&mut rest, &self.welded_morphs, &worn);
        if rest != self.rest {
            self.surface = Arc::new(BodySurface::new(&rest, &self.topology.triangles));
            self.rest = rest;
            self.plane = Arc::default();
        }
        self
    }

    /// Its plane of symmetry: x, metres.
    pub fn plane(&self) -> f32 {
        *self.plane.get_or_init(|| symmetry(&self.rest).plane)
    }

    /// How much of each of its shapes is part of rest: what no pose calls up by itself. Poses tell what they add.
    pub fn worn_amounts(&self) -> Vec<f32> {
        let worn = |(n, m): (usize, &Morph)| match m.driver {
            None => self.amounts.get(n).copied().unwrap_or(0.0),
            Some(_) => 0.0,
        };
        self.own_shapes().iter().enumerate().map(worn).collect()
    }

    /// The body with other weights (one row a welded vertex).
    pub fn with_skin(&self, welded_skin: Skin) -> Self {
        Self { skin: welded_skin.scatter(&self.topology.weld), welded_skin, ..self.clone() }
    }

    /// The body with every point multiplied by `scale` and then turned.
    pub fn placed(mut self, scale: f32, turn: Quat) -> Self {
        let place = |list: &mut [Vec3]| list.iter_mut().for_each(|p| *p = turn * (*p * scale));
        place(&mut self.mesh.positions);
        place(&mut self.rest);
        self.mesh.normals.iter_mut().for_each(|n| *n = turn * *n);
        self.members.iter_mut().for_each(|m| m.place(scale, turn));
        let morphs = self.morphs.iter_mut().chain(&mut self.welded_morphs);
        morphs.for_each(|m| place(&mut m.offsets));
        self.clips = self.clips.iter().map(|c| c.placed(&self.skeleton, scale, turn)).collect();
        self.skeleton = self.skeleton.placed(scale, turn);
        self.surface = Arc::new(BodySurface::new(&self.rest, &self.topology.triangles));
        self.plane = Arc::default();
        self
    }

    /// Which meshes of its file it is made of, and which parts of them.
    pub fn parts(&self) -> Vec<BodyPart> {
        self.meshes.iter().map(|m| m.part.clone()).collect()
    }

    /// What each joint is for: as guessed, or as a person has set it.
    pub fn joint_facts(&self) -> Vec<JointFacts> {
        let mut facts = joint_roles(&self.skeleton, &self.welded_skin);
        for (name, role) in &self.set_roles {
            if let Some(joint) = self.skeleton.find(name) {
                facts[joint.index()].role = *role;
            }
        }
        facts
    }

    /// Welded positions under the joints' `matrices`, with the shapes added by `amounts`.
    pub fn posed(&self, matrices: &[Mat4], amounts: &[f32]) -> Vec<Vec3> {
        let mut shaped = self.rest.clone();
        add_morphs(&mut shaped, &self.welded_morphs, amounts);
        let mut posed = vec![Vec3::ZERO; shaped.len()];
        linear_blend(&shaped, &self.welded_skin, matrices, &mut posed);
        posed
    }

    /// As a layer to measure.
    pub(super) fn layer(&self) -> Layer {
        let (rest, morphs) = always_on(self.rest.clone(), self.welded_morphs.clone());
        Layer {
            layer: LayerIndex(0),
            topology: Arc::clone(&self.topology),
            rest,
            skin: Arc::new(self.welded_skin.clone()),
            walls: Arc::clone(&self.walls),
            stiff: false,
            rigid: Arc::default(),
            morphs,
        }
    }
}

/// The body of a document (the meshes that are marked as one, or the one named by `body_mesh`), and the
/// other meshes.
///
/// # Errors
/// When the named mesh is not there, or nothing says which is the body and it is not the
/// only skinned one.
pub fn sort_document(
    file: &str,
    document: Document,
    body_mesh: Option<&str>,
) -> Result<(Body, Vec<MeshPart>), WorkshopError> {
    let parts = body_parts(file, &document.meshes, body_mesh)?;
    body_of(file, document, &parts)
}

/// The meshes that are the body: those marked as one, or the one named, or the only one. At least one.
///
/// # Errors
/// When the named mesh is not there, or nothing says which is the body and it is not the only one.
pub fn body_parts(
    file: &str,
    meshes: &[MeshPart],
    body_mesh: Option<&str>,
) -> Result<Vec<BodyPart>, WorkshopError> {
    let marked = marked_parts(meshes);
    let (file, there) = (file.to_owned(), names_of(meshes));
    match body_mesh {
        Some(name) if marked.iter().any(|p| p.mesh == name) => Ok(marked),
        Some(name) if meshes.iter().any(|m| m.name == name) => Ok(vec![BodyPart::whole(name)]),
        Some(name) => Err(WorkshopError::NoSuchMesh { file, mesh: name.to_owned(), meshes: there }),
        None if !marked.is_empty() => Ok(marked),
        None if meshes.len() == 1 => Ok(vec![BodyPart::whole(&meshes[0].name)]),
        None => Err(WorkshopError::WhichBody { file, meshes: there }),
    }
}

/// The meshes that are marked as a body's, the first first.
pub fn marked_parts(meshes: &[MeshPart]) -> Vec<BodyPart> {
    let part = |m: &MeshPart| {
        let mark = m.mark.as_ref().filter(|k| k.role == "body")?;
        Some(BodyPart { mesh: m.name.clone(), shells: mark.shells.clone() })
    };
    meshes.iter().filter_map(part).collect()
}

fn names_of(meshes: &[MeshPart]) -> String {
    meshes.iter().map(|m| format!("“{}”", m.name)).collect::<Vec<_>>().join(", ")
}

/// The body made of the named meshes of a document, and the other meshes.
///
/// # Errors
/// When one is not there or not skinned.
pub fn body_of(
    file: &str,
    document: Document,
    parts: &[BodyPart],
) -> Result<(Body, Vec<MeshPart>), WorkshopError> {
    let Document { mut meshes, skeleton, clips, unsound_clips, .. } = document;
    let meshes_there = names_of(&meshes);
    let mut list = Vec::new();
    for part in parts {
        let at = meshes.iter().position(|m| m.name == part.mesh).ok_or_else(|| {
            let (file, mesh) = (file.to_owned(), part.mesh.clone());
            WorkshopError::NoSuchMesh { file, mesh, meshes: meshes_there.clone() }
        })?;
        list.push((meshes.remove(at), part.shells.clone()));
    }
    let theirs: Vec<&MeshPart> = list.iter().map(|l| &l.0).collect();
    let skinned: Vec<&MeshPart> = meshes.iter().filter(|m| m.skin.is_some()).collect();
    let beside = Beside::all(&theirs, &skinned);
    let made_of = list.iter().zip(parts).map(|((mesh, _), part)| BodyMesh::new(mesh, part)).collect();
    let joints = skeleton.as_ref().map_or(0, Skeleton::len);
    let (part, members) = match list.as_slice() {
        [(_, None)] => (list.remove(0).0, Vec::new()),
        _ => joined(file, list, joints)?,
    };
    let body = Body::new(file, part, skeleton, clips)?;
    Ok((Body { unsound_clips, members, meshes: made_of, beside, ..body }, meshes))
}
