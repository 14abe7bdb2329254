//! A body and its pieces in memory, with all that is derived from their files.

use crate::WorkshopError;
use glam::{Mat4, Quat, Vec3};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use tin_cloak_core::clearance::{settle_walls, CoverageSettings, Layer, Outfit, Walls};
use tin_cloak_core::deform::{add_morphs, linear_blend, Morph};
use tin_cloak_core::intake::{joint_roles, JointFacts, JointRole, Place, WeightFaults};
use tin_cloak_core::mesh::{vertex_normals_into, Csr, Kept, Mesh, Topology, Weld};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::Clip;
use tin_cloak_core::LayerIndex;
use tin_cloak_formats::{Document, Look, MeshPart, PieceKind};

/// How a mesh is shaded: which vertices share a normal, and triangles over those groups.
#[derive(Clone, Debug)]
pub struct Shading {
    groups: Weld,
    triangles: Vec<[u32; 3]>,
    incident: Csr,
}

impl Shading {
    fn of(mesh: &Mesh) -> Self {
        let groups = mesh.shading_groups();
        let triangles = groups.triangles(&mesh.triangles);
        let corners = triangles.iter().enumerate().flat_map(|(t, c)| c.map(|v| (v, t as u32)));
        let incident = Csr::from_pairs(groups.count(), corners);
        Self { groups, triangles, incident }
    }

    /// Unit normals of the vertices of the mesh at `positions`: smooth where it was smooth,
    /// hard where it was hard.
    pub fn normals(&self, positions: &[Vec3]) -> Vec<Vec3> {
        let grouped = self.groups.gather(positions);
        let mut normals = vec![Vec3::ZERO; grouped.len()];
        vertex_normals_into(&grouped, &self.triangles, &self.incident, &mut normals);
        self.groups.scatter(&normals)
    }
}

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
    /// Texture coordinates and materials.
    pub look: Look,
    /// What was wrong with the weights of its file and has been put right.
    pub weight_faults: WeightFaults,
    /// Roles of joints that a person has set.
    pub set_roles: Vec<(String, JointRole)>,
    /// Adjacency over welded vertices.
    pub topology: Arc<Topology>,
    /// Which vertices are shaded as one.
    pub shading: Shading,
    /// Welded rest positions, metres.
    pub rest: Vec<Vec3>,
    /// Weights of the welded vertices.
    pub welded_skin: Skin,
    /// The shapes over welded vertices.
    pub welded_morphs: Vec<Morph>,
    walls: Arc<Walls>,
}

/// The weights of a bound piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Bound {
    /// How they were found: the word of a method, `stiff`, or `file`.
    pub method: String,
    /// Share of vertices matched to the surface beneath, 0 to 1.
    pub matched_share: f32,
    /// One row a welded vertex.
    pub skin: Skin,
    /// Welded vertices whose weights were filled in, ascending.
    #[serde(default)]
    pub filled: Vec<u32>,
}

impl Bound {
    /// All matched.
    pub(crate) fn by(method: &str, skin: Skin) -> Self {
        Self { method: method.to_owned(), matched_share: 1.0, skin, filled: Vec::new() }
    }
}

/// A piece: a garment, a plate, anything worn.
#[derive(Clone, Debug)]
pub struct Piece {
    /// Its name.
    pub name: String,
    /// Place in the pile; 1 lies next to the skin.
    pub layer: u16,
    /// How it moves.
    pub kind: PieceKind,
    /// Where on the body it is worn, when that was said.
    pub place: Option<Place>,
    /// Parts that were said to be stiff, or not, by number.
    pub shell_kinds: Vec<(u32, bool)>,
    /// True for a cage: other pieces hang in it, nobody wears it.
    pub cage: bool,
    /// Which of its file's vertices and faces it has.
    pub kept: Arc<Kept>,
    /// Geometry as its file has it (rest positions are in `rest`).
    pub mesh: Arc<Mesh>,
    /// Texture coordinates and materials.
    pub look: Look,
    /// Adjacency over welded vertices.
    pub topology: Arc<Topology>,
    /// Which vertices are shaded as one.
    pub shading: Arc<Shading>,
    /// Welded rest positions as they are now, metres.
    pub rest: Vec<Vec3>,
    /// Its weights, once bound.
    pub bound: Option<Bound>,
    walls: Arc<Walls>,
}

/// A body and the pieces on it.
#[derive(Clone, Debug)]
pub struct Dress {
    /// The body.
    pub body: Arc<Body>,
    /// The pieces, from the inside out.
    pub pieces: Vec<Piece>,
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
        let topology = Topology::of(&part.mesh);
        let walls = Walls::as_wound(&topology);
        Ok(Self {
            name: part.name,
            rest: topology.weld.gather(&part.mesh.positions),
            welded_skin: skin.gather(&topology.weld),
            welded_morphs: part.morphs.iter().map(|m| m.gather(&topology.weld)).collect(),
            shading: Shading::of(&part.mesh),
            topology: Arc::new(topology),
            walls: Arc::new(walls),
            mesh: part.mesh,
            skin,
            skeleton,
            morphs: part.morphs,
            clips,
            look: part.look,
            weight_faults: part.weight_faults,
            set_roles: Vec::new(),
        })
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
        let morphs = self.morphs.iter_mut().chain(&mut self.welded_morphs);
        morphs.for_each(|m| place(&mut m.offsets));
        self.clips = self.clips.iter().map(|c| c.placed(&self.skeleton, scale, turn)).collect();
        self.skeleton = self.skeleton.placed(scale, turn);
        self
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

    fn layer(&self) -> Layer {
        Layer {
            layer: LayerIndex(0),
            topology: Arc::clone(&self.topology),
            rest: self.rest.clone(),
            skin: self.welded_skin.clone(),
            walls: Arc::clone(&self.walls),
            stiff: false,
            morphs: self.welded_morphs.clone(),
        }
    }
}

impl Piece {
    /// From a mesh of a file, to be worn on `body`. Weights the file brings are taken when its
    /// joints are the body's (`skeleton_matches`).
    pub fn new(part: MeshPart, layer: u16, kind: PieceKind, body: &Body, skeleton_matches: bool) -> Self {
        let topology = Topology::of(&part.mesh);
        let rest = topology.weld.gather(&part.mesh.positions);
        let walls = settle_walls(&topology, &rest, &body.rest, &body.topology.triangles);
        let method = part.mark.as_ref().and_then(|m| m.method.clone()).unwrap_or_else(|| "file".to_owned());
        let bound = part.skin.filter(|_| skeleton_matches).map(|skin| Bound {
            skin: skin.gather(&topology.weld),
            method,
            matched_share: 1.0,
            filled: Vec::new(),
        });
        Self {
            name: part.name,
            layer,
            kind,
            place: None,
            shell_kinds: Vec::new(),
            cage: false,
            kept: Arc::new(Kept::all_of(&part.mesh)),
            shading: Arc::new(Shading::of(&part.mesh)),
            mesh: Arc::new(part.mesh),
            look: part.look,
            topology: Arc::new(topology),
            rest,
            bound,
            walls: Arc::new(walls),
        }
    }

    /// Welded positions under the joints' `matrices`; at rest while it is not bound.
    pub fn posed(&self, matrices: &[Mat4]) -> Vec<Vec3> {
        let mut posed = self.rest.clone();
        if let Some(bound) = &self.bound {
            linear_blend(&self.rest, &bound.skin, matrices, &mut posed);
        }
        posed
    }

    /// Which of its faces are measured.
    pub fn walls(&self) -> &Walls {
        &self.walls
    }

    /// The piece with its vertices at `rest` (welded, metres): which walls face the body is
    /// settled anew.
    pub fn moved_to(mut self, rest: Vec<Vec3>, body: &Body) -> Self {
        self.walls = Arc::new(settle_walls(&self.topology, &rest, &body.rest, &body.topology.triangles));
        self.rest = rest;
        self
    }

    /// True when most of it has two walls.
    pub fn is_double_walled(&self) -> bool {
        self.walls.double_walled > 0.5
    }

    /// Rest positions of the vertices of `mesh` as they are now: seam copies move alike.
    pub fn split_positions(&self) -> Vec<Vec3> {
        self.topology.weld.scatter(&self.rest)
    }
}

impl Dress {
    /// The bound pieces as an outfit to measure, with the index of each layer's piece (the
    /// body, layer 0, has none).
    pub fn outfit(&self) -> (Outfit, Vec<Option<usize>>) {
        let mut layers = vec![self.body.layer()];
        let mut piece_of = vec![None];
        for (i, piece) in self.pieces.iter().enumerate() {
            let Some(bound) = piece.bound.as_ref().filter(|_| !piece.cage) else { continue };
            layers.push(Layer {
                layer: LayerIndex(piece.layer),
                topology: Arc::clone(&piece.topology),
                rest: piece.rest.clone(),
                skin: bound.skin.clone(),
                walls: Arc::clone(&piece.walls),
                stiff: piece.kind == PieceKind::Stiff,
                morphs: Vec::new(),
            });
            piece_of.push(Some(i));
        }
        (Outfit::new(layers, CoverageSettings::default()), piece_of)
    }

    /// Puts the pieces in order from the inside out; pieces on one layer keep their order.
    pub fn sort(&mut self) {
        self.pieces.sort_by_key(|p| p.layer);
    }

    /// The name of a layer of the outfit.
    pub fn layer_name(&self, piece: Option<usize>) -> &str {
        piece.map_or(self.body.name.as_str(), |i| self.pieces[i].name.as_str())
    }
}

/// Which mesh of a document is the body (marked, or named by `body_mesh`), and the others.
///
/// # Errors
/// When the named mesh is not there, or nothing says which is the body and it is not the
/// only skinned one.
pub fn sort_document(
    file: &str,
    document: Document,
    body_mesh: Option<&str>,
) -> Result<(Body, Vec<MeshPart>), WorkshopError> {
    let Document { mut meshes, skeleton, clips, .. } = document;
    let names = || meshes.iter().map(|m| format!("“{}”", m.name)).collect::<Vec<_>>().join(", ");
    let marked = |m: &MeshPart| m.mark.as_ref().is_some_and(|k| k.role == "body");
    let index = match body_mesh {
        Some(name) => meshes.iter().position(|m| m.name == name).ok_or_else(|| {
            WorkshopError::NoSuchMesh { file: file.to_owned(), mesh: name.to_owned(), meshes: names() }
        })?,
        None => match meshes.iter().position(marked) {
            Some(i) => i,
            None if meshes.len() == 1 => 0,
            None => return Err(WorkshopError::WhichBody { file: file.to_owned(), meshes: names() }),
        },
    };
    let body = Body::new(file, meshes.remove(index), skeleton, clips)?;
    Ok((body, meshes))
}
