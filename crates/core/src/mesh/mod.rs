//! Triangle meshes with optional quads, and what is derived from them.

mod alignment;
mod barycentric;
mod csr;
mod flood_fill;
mod geodesic;
mod laplacian_smoothing;
mod morph;
mod normals;
mod rows;
mod topology;
mod weld;

pub use alignment::Alignment;
pub use barycentric::mix;
pub use csr::Csr;
pub use flood_fill::flood_fill;
pub use geodesic::{along_edges, distances_along_edges, distances_over_surface, over_surface, EdgeWalk};
pub use laplacian_smoothing::even_out;
pub use morph::{add_morphs, driven_amounts, Morph};
pub use normals::{bounds, face_normal, triangle_area, vertex_normal, vertex_normals, vertex_normals_into};
pub use rows::{crossed_by_row, crossed_near, even_shares, with_rows, Between, WithRows};
pub use topology::{Topology, NO_TRIANGLE};
pub use weld::{weld, Weld};

use glam::Vec3;
use serde::{Deserialize, Serialize};

/// A mesh as a file gives it: vertices may be split at UV and normal seams.
///
/// `normals` has one unit vector a vertex (it settles where shading is smooth and where it
/// is hard); `polygons` names the triangles that came from one face of more than three sides.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Mesh {
    /// Rest positions, metres.
    pub positions: Vec<Vec3>,
    /// Unit normals, one a vertex.
    pub normals: Vec<Vec3>,
    /// Vertex indices of each triangle, counter-clockwise from outside.
    pub triangles: Vec<[u32; 3]>,
    /// The faces of more than three sides, by rising first triangle.
    pub polygons: Vec<Polygon>,
}

/// A face of more than three sides, cut into a fan of triangles that follow one another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Polygon {
    /// Its first triangle.
    pub first: u32,
    /// How many; two for a quad.
    pub triangles: u32,
}

/// The old numbers of what is left of a mesh.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Kept {
    /// Of each vertex, ascending.
    pub vertices: Vec<u32>,
    /// Of each triangle, ascending.
    pub faces: Vec<u32>,
}

impl Kept {
    /// All of `mesh`.
    pub fn all_of(mesh: &Mesh) -> Self {
        let all = |count: usize| (0..count as u32).collect();
        Self { vertices: all(mesh.positions.len()), faces: all(mesh.triangles.len()) }
    }
}

/// What can be wrong with a mesh.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum MeshError {
    /// There is nothing to draw or measure.
    #[error("mesh “{name}” has no triangles: export it with faces")]
    NoTriangles {
        /// The mesh.
        name: String,
    },
    /// A coordinate is NaN or infinite.
    #[error(
        "mesh “{name}”: the position of vertex {vertex} is not a number: clean the mesh and export again"
    )]
    NotFinite {
        /// The mesh.
        name: String,
        /// The first such vertex.
        vertex: u32,
    },
    /// A triangle names a vertex that is not there.
    #[error(
        "mesh “{name}”: triangle {triangle} names vertex {vertex}, but there are only {vertices} vertices"
    )]
    IndexOutOfRange {
        /// The mesh.
        name: String,
        /// The first such triangle.
        triangle: u32,
        /// What it names.
        vertex: u32,
        /// How many vertices there are.
        vertices: usize,
    },
}

impl Mesh {
    /// The corners of the face that begins with triangle `first`, in order: of the whole polygon where one does.
    ///
    /// ```
    /// use tin_cloak_core::mesh::{Mesh, Polygon};
    ///
    /// let quad = Polygon { first: 0, triangles: 2 };
    /// let triangles = vec![[0, 1, 2], [0, 2, 3], [4, 5, 6]];
    /// let mesh = Mesh { positions: Vec::new(), normals: Vec::new(), triangles, polygons: vec![quad] };
    /// assert_eq!(mesh.corners_of(0), [0, 1, 2, 3]);
    /// assert_eq!(mesh.corners_of(2), [4, 5, 6]);
    /// ```
    pub fn corners_of(&self, first: usize) -> Vec<u32> {
        let own = self.triangles[first];
        let known = self.polygons.binary_search_by_key(&(first as u32), |p| p.first);
        let Some(fan) =
            known.ok().and_then(|at| self.triangles.get(first..first + self.polygons[at].triangles as usize))
        else {
            return own.to_vec();
        };
        // All about one corner; a mirrored face is wound the other way.
        let follows = |k: usize, l: usize| {
            fan.iter().all(|t| t[0] == own[0]) && fan.windows(2).all(|pair| pair[0][k] == pair[1][l])
        };
        if follows(2, 1) {
            return own[..2].iter().copied().chain(fan.iter().map(|t| t[2])).collect();
        }
        if follows(1, 2) {
            let back = fan.iter().rev().map(|t| t[1]);
            return std::iter::once(own[0]).chain(back).chain([own[2]]).collect();
        }
        own.to_vec()
    }

    /// A checked mesh. Normals are computed when `normals` is empty (or of the wrong length).
    ///
    /// # Errors
    /// When there are no triangles, a position is not finite or an index is out of range;
    /// `name` is the mesh named in the message.
    pub fn new(
        name: &str,
        positions: Vec<Vec3>,
        normals: Vec<Vec3>,
        triangles: Vec<[u32; 3]>,
        polygons: Vec<Polygon>,
    ) -> Result<Self, MeshError> {
        let name = || name.to_owned();
        if triangles.is_empty() {
            return Err(MeshError::NoTriangles { name: name() });
        }
        if let Some(vertex) = positions.iter().position(|p| !p.is_finite()) {
            return Err(MeshError::NotFinite { name: name(), vertex: vertex as u32 });
        }
        let vertices = positions.len();
        for (triangle, corners) in triangles.iter().enumerate() {
            if let Some(&vertex) = corners.iter().find(|&&v| v as usize >= vertices) {
                return Err(MeshError::IndexOutOfRange {
                    name: name(),
                    triangle: triangle as u32,
                    vertex,
                    vertices,
                });
            }
        }
        let mut mesh = Self { positions, normals, triangles, polygons };
        if mesh.normals.len() != vertices || mesh.normals.iter().any(|n| !n.is_finite()) {
            mesh.normals = welded_normals(&mesh.positions, &mesh.triangles);
        }
        Ok(mesh)
    }

    /// Which vertices are shaded as one: welded in place and with normals within about 2°.
    /// Keeps hard edges hard when normals are computed anew for a moved mesh.
    pub fn shading_groups(&self) -> Weld {
        let place = weld(&self.positions, &self.triangles);
        let mut group_of = vec![u32::MAX; self.positions.len()];
        let mut first = Vec::new();
        for members in (0..place.count()).map(|w| place.members.row(w)) {
            let start = first.len();
            for &v in members {
                let normal = self.normals[v as usize];
                let found = (start..first.len()).find(|&g| {
                    let other: u32 = first[g];
                    self.normals[other as usize].dot(normal) > 0.9994
                });
                let group = found.unwrap_or_else(|| {
                    first.push(v);
                    first.len() - 1
                });
                group_of[v as usize] = group as u32;
            }
        }
        Weld::from_groups(group_of, first.len())
    }

    /// The mesh without the triangles named in `left_out` (ascending) and without the vertices
    /// that nothing uses then; with what is left. A face of more sides that loses a triangle falls
    /// into triangles.
    pub fn without(&self, left_out: &[u32]) -> (Self, Kept) {
        let stays = |t: &u32| left_out.binary_search(t).is_err();
        let faces: Vec<u32> = (0..self.triangles.len() as u32).filter(stays).collect();
        let mut new_of = vec![u32::MAX; self.positions.len()];
        faces.iter().flat_map(|&f| self.triangles[f as usize]).for_each(|v| new_of[v as usize] = 0);
        let kept: Vec<u32> = (0..new_of.len() as u32).filter(|&v| new_of[v as usize] == 0).collect();
        (0u32..).zip(&kept).for_each(|(new, &old)| new_of[old as usize] = new);
        let whole = |p: &Polygon| (p.first..p.first + p.triangles).all(|t| stays(&t));
        let moved = |p: &Polygon| Polygon {
            first: faces.partition_point(|&f| f < p.first) as u32,
            triangles: p.triangles,
        };
        let pick = |list: &[Vec3]| kept.iter().map(|&v| list[v as usize]).collect();
        let mesh = Self {
            positions: pick(&self.positions),
            normals: pick(&self.normals),
            triangles: faces
                .iter()
                .map(|&f| self.triangles[f as usize].map(|v| new_of[v as usize]))
                .collect(),
            polygons: self.polygons.iter().filter(|p| whole(p)).map(moved).collect(),
        };
        (mesh, Kept { vertices: kept, faces })
    }

    /// The mirror image across the plane x = `plane`, still wound counter-clockwise from outside.
    pub fn mirrored(&self, plane: f32) -> Self {
        let mut triangles: Vec<[u32; 3]> = self.triangles.iter().map(|&[a, b, c]| [a, c, b]).collect();
        // A fan stays a fan when it is gone round the other way.
        self.polygons.iter().for_each(|p| {
            triangles[p.first as usize..(p.first + p.triangles) as usize].reverse();
        });
        Self {
            positions: self.positions.iter().map(|p| Vec3::new(2.0 * plane - p.x, p.y, p.z)).collect(),
            normals: self.normals.iter().map(|n| Vec3::new(-n.x, n.y, n.z)).collect(),
            triangles,
            polygons: self.polygons.clone(),
        }
    }

    /// How many faces have four sides.
    pub fn quads(&self) -> usize {
        self.polygons.iter().filter(|p| p.triangles == 2).count()
    }

    /// Quads found again in near-flat pairs of triangles written one after the other that
    /// share a first corner and a diagonal, the common way to write a quad.
    pub fn find_quads(&mut self) {
        self.polygons.clear();
        let mut t = 0;
        while t + 1 < self.triangles.len() {
            let ([a, b, c], [d, e, f]) = (self.triangles[t], self.triangles[t + 1]);
            let flat = face_normal(&self.positions, self.triangles[t])
                .dot(face_normal(&self.positions, self.triangles[t + 1]))
                > 0.5;
            if a == d && (c == e || b == f) && flat {
                self.polygons.push(Polygon { first: t as u32, triangles: 2 });
                t += 1;
            }
            t += 1;
        }
    }
}

fn welded_normals(positions: &[Vec3], triangles: &[[u32; 3]]) -> Vec<Vec3> {
    let place = weld(positions, triangles);
    let welded = place.triangles(triangles);
    let normals = vertex_normals(&place.gather(positions), &welded);
    place.of_vertex.iter().map(|&w| normals[w as usize]).collect()
}
