//! How a mesh is shaded.

use glam::Vec3;
use tin_cloak_core::mesh::{vertex_normals_into, Csr, Mesh, Weld};

/// How a mesh is shaded: which vertices share a normal, and triangles over those groups.
#[derive(Clone, Debug)]
pub struct Shading {
    groups: Weld,
    triangles: Vec<[u32; 3]>,
    incident: Csr,
}

impl Shading {
    pub fn new(mesh: &Mesh) -> Self {
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
