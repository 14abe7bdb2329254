//! What a file holds, in core types.

use crate::Look;
use glam::Quat;
use serde::{Deserialize, Serialize};
use tin_cloak_core::deform::Morph;
use tin_cloak_core::intake::WeightFaults;
use tin_cloak_core::mesh::{vertex_normals, with_rows, Between, Kept, Mesh, Topology, WithRows};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::{Clip, JointRange};

/// How a piece moves.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PieceKind {
    /// Cloth: bends with the body.
    #[default]
    Soft,
    /// A plate: each shell moves as one.
    Stiff,
    /// Closed shells are stiff, open ones soft.
    Mixed,
}

/// The mark of this program in a mesh node's extras:
/// `{"tin_cloak": {"role": "body" | "piece", "layer": 1, "kind": "soft"}}`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Mark {
    /// `body` or `piece`.
    pub role: String,
    /// The layer of a piece.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub layer: Option<u16>,
    /// The kind of a piece.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<PieceKind>,
    /// Where on the body it is worn, as `feet`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<String>,
    /// The connected parts of the mesh that are the body, by number; all of them when nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shells: Option<Vec<u32>>,
    /// How it was bound, when this program bound it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub method: Option<String>,
    /// How far joints may turn: of a body as set by hand, of a piece as it allows; by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub ranges: Vec<(String, JointRange)>,
    /// Poses set by hand that a body is tried in.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub poses: Vec<MarkedPose>,
    /// What a body is tried in besides, and how that counts: a trial set.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub plan: Option<serde_json::Value>,
    /// The joints of the skeleton that are this piece's own.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub joints: Vec<MarkedJoint>,
    /// What is kept of a piece under names.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub patches: Vec<MarkedPatch>,
}

/// Some vertices of a mesh under a name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MarkedPatch {
    /// The name.
    pub name: String,
    /// Runs of the mesh's own vertices: the first of each, and how many follow each other.
    pub vertices: Vec<[u32; 2]>,
}

impl MarkedPatch {
    /// Of vertices in ascending order.
    ///
    /// ```
    /// use tin_cloak_formats::MarkedPatch;
    ///
    /// let patch = MarkedPatch::new("hem", &[3, 4, 5, 9]);
    /// assert_eq!(patch.vertices, [[3, 3], [9, 1]]);
    /// assert_eq!(patch.listed(8), [3, 4, 5]);
    /// let odd = MarkedPatch { name: "odd".into(), vertices: vec![[2, u32::MAX], [0, 9], [7, 1]] };
    /// assert_eq!(odd.listed(4), [2, 3]);
    /// ```
    pub fn new(name: &str, vertices: &[u32]) -> Self {
        let mut runs: Vec<[u32; 2]> = Vec::new();
        for &v in vertices {
            match runs.last_mut() {
                Some([first, count]) if *first + *count == v => *count += 1,
                _ => runs.push([v, 1]),
            }
        }
        Self { name: name.to_owned(), vertices: runs }
    }

    /// Its vertices, as far as a mesh of `count` has them, ascending. A run that begins before the end of the one
    /// before it is none.
    pub fn listed(&self, count: u32) -> Vec<u32> {
        let mut list: Vec<u32> = Vec::new();
        for &[first, many] in &self.vertices {
            if list.last().is_none_or(|last| first > *last) {
                list.extend(first..first.saturating_add(many).min(count));
            }
        }
        list
    }

    /// The same where of the mesh only `kept` is left, in ascending order.
    pub fn among(&self, kept: &[u32]) -> Self {
        let all = self.listed(kept.last().map_or(0, |last| last + 1));
        let left: Vec<u32> = all.iter().filter_map(|v| Some(kept.binary_search(v).ok()? as u32)).collect();
        Self::new(&self.name, &left)
    }
}

/// A pose set by hand.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MarkedPose {
    /// Its name.
    pub name: String,
    /// Joints that are not at rest: name, turn in the joint's own rest frame (a unit quaternion, x y z
    /// w) and offset in the parent's (metres).
    pub joints: Vec<(String, [f32; 4], [f32; 3])>,
    /// Joints of another size than at rest: name, and what that is multiplied by along their own axes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sizes: Vec<(String, [f32; 3])>,
}

/// A joint of the skeleton that belongs to a piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MarkedJoint {
    /// Its name.
    pub name: String,
    /// The joint it hangs from.
    pub parent: String,
    /// The end of its bone at rest, metres in model space.
    pub tip: [f32; 3],
    /// What it turns about: unit, in model space.
    pub axis: [f32; 3],
    /// Least and most degrees about it.
    pub range: [f32; 2],
    /// How far from its bone cloth follows it, millimetres.
    pub reach_mm: f32,
}

/// One mesh of a file.
#[derive(Clone, Debug, Default)]
pub struct MeshPart {
    /// Name of its node, or of the mesh.
    pub name: String,
    /// Geometry in world space at rest, metres.
    pub mesh: Mesh,
    /// Weights, one row a vertex, when it is skinned; joints of [`Document::skeleton`].
    pub skin: Option<Skin>,
    /// Its shapes.
    pub morphs: Vec<Morph>,
    /// How much of each shape is there when nothing says otherwise; missing ones are 0.
    pub amounts: Vec<f32>,
    /// This program's mark, if the node carries one.
    pub mark: Option<Mark>,
    /// Texture coordinates, colours and materials.
    pub look: Look,
    /// What was wrong with the weights of the file and has been put right in `skin`.
    pub weight_faults: WeightFaults,
}

impl MeshPart {
    /// Every point multiplied by `scale` and then turned.
    pub fn place(&mut self, scale: f32, turn: Quat) {
        self.mesh.positions.iter_mut().for_each(|p| *p = turn * (*p * scale));
        self.mesh.normals.iter_mut().for_each(|n| *n = turn * *n);
        self.morphs.iter_mut().flat_map(|m| &mut m.offsets).for_each(|o| *o = turn * (*o * scale));
    }

    /// The part without the triangles named in `left_out` (ascending) and without the vertices
    /// that nothing uses then; with what is left.
    pub fn without(&self, left_out: &[u32]) -> (Self, Kept) {
        let (mesh, kept) = self.mesh.without(left_out);
        let part = Self {
            name: self.name.clone(),
            skin: self.skin.as_ref().map(|s| s.pick(&kept.vertices)),
            morphs: self.morphs.iter().map(|m| m.pick(&kept.vertices)).collect(),
            amounts: self.amounts.clone(),
            mark: self.mark.clone(),
            look: self.look.pick(&kept),
            weight_faults: WeightFaults::default(),
            mesh,
        };
        (part, kept)
    }

    /// The part with `rows` vertices on each of the `crossed` edges (over the welded vertices of `topology`), on its
    /// own curved surface: weights, shapes and looks are those between the ends. With how each came about.
    pub fn with_rows(&self, topology: &Topology, crossed: &[[u32; 2]], shares: &[f32]) -> (Self, WithRows) {
        let made = with_rows(&self.mesh, &topology.weld, crossed, shares);
        let places = topology.weld.gather(&self.mesh.positions);
        let normals = vertex_normals(&places, &topology.triangles);
        let mut mesh = made.mesh.clone();
        let old = self.mesh.positions.len();
        for (place, new) in mesh.positions[old..].iter_mut().zip(&made.new) {
            let welded = Between { ends: new.ends.map(|v| topology.weld.of_vertex[v as usize]), ..*new };
            *place = welded.on_surface(&places, &normals);
        }
        let shape = |m: &Morph| {
            let mut dense = m.to_dense(old);
            dense.extend(made.new.iter().map(|b| b.mixed(&dense)).collect::<Vec<_>>());
            Morph { driver: m.driver, ..Morph::from_dense(m.name.clone(), &dense) }
        };
        let part = Self {
            skin: self.skin.as_ref().map(|s| s.with_rows_between(&made.new)),
            morphs: self.morphs.iter().map(shape).collect(),
            look: self.look.with_rows(&made),
            mesh,
            ..self.clone()
        };
        (part, made)
    }
}

/// All that was read from a file.
#[derive(Clone, Debug, Default)]
pub struct Document {
    /// The meshes, in the file's order.
    pub meshes: Vec<MeshPart>,
    /// The groups of an OBJ that has several, each as a mesh of its own: the same faces as in
    /// `meshes`, for whoever wants pieces and not one piece of many parts.
    pub groups: Vec<MeshPart>,
    /// The joints of all skins, parents first.
    pub skeleton: Option<Skeleton>,
    /// Motions of those joints.
    pub clips: Vec<Clip>,
    /// Motions whose keys cannot be played.
    pub unsound_clips: Vec<UnsoundClip>,
}

/// A motion that is left out, whole: half of it would be another motion.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnsoundClip {
    /// Its name.
    pub name: String,
    /// What is wrong, and where.
    pub why: String,
}

impl Document {
    /// The mesh or group of that name.
    ///
    /// # Errors
    /// The names there are.
    pub fn part(&self, name: &str) -> Result<&MeshPart, String> {
        let names = || self.meshes.iter().map(|m| m.name.as_str()).collect::<Vec<_>>().join(", ");
        self.meshes.iter().chain(&self.groups).find(|m| m.name == name).ok_or_else(names)
    }
}
