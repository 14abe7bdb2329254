//! Binding: giving a piece skin weights from the surface beneath it.

pub mod by_hand;
pub mod cage;
mod cage_shell;
pub mod clean;
mod ends;

mod heat;
mod inpaint;
mod keep_stiff;
mod laplacian;
mod normal;
mod own;
pub mod sides;
mod stiff;
mod transfer;

pub use cage_shell::{cage_around, CageSize};
pub use ends::{bind_between_ends, share_of_way, two_ends};
pub use heat::{bones, heat_weights, Bone};
pub(crate) use inpaint::fill_offsets;
pub use inpaint::{fill, Filled};
pub use keep_stiff::{keep_stiff, KeptStiff};
pub(crate) use laplacian::solve_positive;
pub use laplacian::{Laplacian, SparseRows};
pub use normal::{match_along_normal, match_both_ways};
pub use own::{add_falloffs, Falloff};
pub use stiff::{assemblies, bind_stiff, Follow, StiffShell};
pub use transfer::{match_surface, match_vertices, nearest_surface, nearest_vertex, Match, MatchSettings};

use crate::mesh::{vertex_normals, Topology};
use crate::query::Bvh;
use crate::skin::{Skin, SkinError};
use glam::Vec3;
use tin_cloak_solve::SolveError;

/// What weights are taken from: a skinned surface at rest, over welded vertices.
pub struct Source<'a> {
    /// Positions, metres.
    pub positions: &'a [Vec3],
    /// Triangles over them.
    pub triangles: &'a [[u32; 3]],
    /// Weights, one row a position.
    pub skin: &'a Skin,
    /// Number of joints of the skeleton.
    pub joints: usize,
    normals: Vec<Vec3>,
    tree: Bvh,
}

impl<'a> Source<'a> {
    /// Builds the search index over the surface.
    pub fn new(positions: &'a [Vec3], triangles: &'a [[u32; 3]], skin: &'a Skin, joints: usize) -> Self {
        let (normals, tree) =
            rayon::join(|| vertex_normals(positions, triangles), || Bvh::build(positions, triangles));
        Self { positions, triangles, skin, joints, normals, tree }
    }
}

/// What receives weights: a piece at rest, over welded vertices.
pub struct BindTarget<'a> {
    /// Positions, metres.
    pub positions: &'a [Vec3],
    /// Its topology.
    pub topology: &'a Topology,
    /// Area-weighted normals.
    pub normals: Vec<Vec3>,
}

impl<'a> BindTarget<'a> {
    /// Computes the normals.
    pub fn new(positions: &'a [Vec3], topology: &'a Topology) -> Self {
        Self { positions, topology, normals: vertex_normals(positions, &topology.triangles) }
    }
}

/// Why a piece could not be bound.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum BindError {
    /// The weights that came out are not usable.
    #[error(transparent)]
    Skin(#[from] SkinError),
    /// The sparse system could not be factored.
    #[error(
        "the weights could not be filled in between the matched vertices ({reason}): weld the piece and \
     remove faces without area, or bind by nearest surface"
    )]
    Solve {
        /// What the solver says.
        #[from]
        reason: SolveError,
    },
    /// No joint may give heat.
    #[error("no joint of the body may move it: choose at least one that deforms")]
    NoBones,
    /// A joint was named that the skeleton lacks.
    #[error("the body has no joint named “{name}”")]
    NoSuchJoint {
        /// The name asked for.
        name: String,
    },
}
