//! What a file may add up to, counted before anything is multiplied or allocated.
//!
//! A small file can ask for a great deal: a node list that draws one mesh ten thousand times, ten
//! thousand primitives over the same vertices, a motion of a billion frames.

use crate::ReadError;
use gltf::mesh::Mode;
use gltf::Semantic;

/// Something that is counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum BudgetItem {
    Nodes,
    Vertices,
    Triangles,
    /// Numbers or vectors of vertices, shapes and keys.
    Values,
    PictureBytes,
}

impl BudgetItem {
    /// Its name, and the most of it that is read.
    fn most(self) -> (&'static str, u64) {
        match self {
            Self::Nodes => ("nodes", 100_000),
            Self::Vertices => ("vertices", 4_000_000),
            Self::Triangles => ("triangles", 8_000_000),
            Self::Values => ("values of vertices and keys", 64_000_000),
            Self::PictureBytes => ("bytes of pictures", 512 << 20),
        }
    }

    /// # Errors
    /// When that is more than is read.
    pub fn check(self, count: u64) -> Result<(), ReadError> {
        let (what, most) = self.most();
        if count <= most {
            return Ok(());
        }
        Err(ReadError::TooMuch { what, count, most })
    }
}

/// What a mesh costs each time it is drawn.
#[derive(Clone, Copy, Default)]
struct Cost {
    vertices: u64,
    triangles: u64,
    values: u64,
}

impl Cost {
    fn add(&mut self, other: Self) {
        self.vertices = self.vertices.saturating_add(other.vertices);
        self.triangles = self.triangles.saturating_add(other.triangles);
        self.values = self.values.saturating_add(other.values);
    }

    /// Vertices that primitives share are counted for each of them.
    fn of_mesh(mesh: &gltf::Mesh) -> Self {
        let mut cost = Self::default();
        mesh.primitives().for_each(|p| cost.add(Self::of_primitive(&p)));
        cost
    }

    fn of_primitive(primitive: &gltf::Primitive) -> Self {
        let vertices = primitive.get(&Semantic::Positions).map_or(0, |a| a.count() as u64);
        let corners = primitive.indices().map_or(vertices, |a| a.count() as u64);
        let triangles = match primitive.mode() {
            Mode::TriangleStrip | Mode::TriangleFan => corners,
            _ => corners / 3,
        };
        let attributes: u64 = primitive.attributes().map(|(_, a)| a.count() as u64).sum();
        let shapes = primitive.morph_targets().count() as u64;
        Self { vertices, triangles, values: attributes.saturating_add(shapes.saturating_mul(vertices)) }
    }
}

/// # Errors
/// When the file adds up to more than is read.
pub(crate) fn check_gltf(document: &gltf::Document) -> Result<(), ReadError> {
    BudgetItem::Nodes.check(document.nodes().len() as u64)?;
    let meshes: Vec<Cost> = document.meshes().map(|m| Cost::of_mesh(&m)).collect();
    let mut all = Cost::default();
    for mesh in document.nodes().filter_map(|n| n.mesh()) {
        all.add(meshes[mesh.index()]);
    }
    for channel in document.animations().flat_map(|a| a.channels().collect::<Vec<_>>()) {
        let sampler = channel.sampler();
        let values = (sampler.input().count() + sampler.output().count()) as u64;
        all.add(Cost { values, ..Cost::default() });
    }
    let joints: u64 = document.skins().map(|s| s.joints().count() as u64).sum();
    BudgetItem::Vertices.check(all.vertices)?;
    BudgetItem::Triangles.check(all.triangles)?;
    BudgetItem::Values.check(all.values.saturating_add(joints))
}
