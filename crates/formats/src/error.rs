//! What can be wrong with a file.

use tin_cloak_core::mesh::MeshError;
use tin_cloak_core::skeleton::SkeletonError;
use tin_cloak_core::skin::SkinError;

/// Why a file could not be read: one sentence with the place and the cure.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum ReadError {
    #[error("the file is empty: choose another or export it again")]
    Empty,
    #[error("“{name}” is not a file this program reads: give it a GLB, glTF, OBJ or (as a motion) BVH")]
    NotGltf { name: String },
    #[error("the file is cut short or damaged ({detail}): copy or export it again")]
    Truncated { detail: String },
    #[error("this is not a valid glTF file ({detail}): export it again")]
    Invalid { detail: String },
    #[error(
        "the file needs the extension {name}, which is not read here: export without compression or \
     quantisation"
    )]
    Extension { name: String },
    #[error(
        "{what} {index} lies in another file, “{uri}”: add that file together with this one, or export a GLB"
    )]
    OtherFile { what: &'static str, index: usize, uri: String },
    #[error(
        "{what} {index} names “{uri}”, a place outside the upload: only files added together with this one \
     are read; export a GLB"
    )]
    OutsideUri { what: &'static str, index: usize, uri: String },
    #[error(
        "accessor {index} says it holds {count} entries, more than its data ({available} bytes) has: the \
     file is damaged, export it again"
    )]
    AccessorTooLong { index: usize, count: u64, available: u64 },
    #[error(
        "accessor {index} ({what}) has the type {found}, not {wanted}: export with standard attribute types"
    )]
    AccessorType { index: usize, what: &'static str, found: String, wanted: &'static str },
    #[error(
        "node {node} (“{name}”) hangs beneath itself or has two parents: the node tree has a cycle; export \
     the scene again"
    )]
    NodeCycle { node: usize, name: String },
    #[error(
        "the skin of “{mesh}” names {joints} joints but has {matrices} bind matrices: export the skin again"
    )]
    BindMatrices { mesh: String, joints: usize, matrices: usize },
    #[error("“{mesh}”: {source}")]
    Skin { mesh: String, source: SkinError },
    #[error(transparent)]
    Skeleton(#[from] SkeletonError),
    #[error(transparent)]
    Mesh(#[from] MeshError),
    #[error("the file holds no mesh with faces: export at least one mesh")]
    NoMesh,
    #[error("line {line} of the OBJ cannot be read ({detail}): export it again")]
    Obj { line: String, detail: String },
    #[error(
        "the file adds up to {count} {what}, and {most} are read at most: leave out what is not needed \
         (meshes drawn many times count each time) and export again"
    )]
    TooMuch { what: &'static str, count: u64, most: u64 },
    #[error(
        "accessor {index} steps {stride} bytes from one element of {size} bytes to the next: the file is \
         damaged, export it again"
    )]
    Stride { index: usize, stride: usize, size: usize },
    #[error("line {line} of the BVH cannot be read ({detail}): export it again")]
    Bvh { line: usize, detail: String },
}
