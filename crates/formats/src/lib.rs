//! Open file formats to core types and back: glTF 2.0 (GLB and JSON), OBJ and BVH in and out, USD
//! (text) out.
//!
//! Everything comes from bytes handed in; no path named by a file is ever opened. Positions
//! come out in metres, Y up, in the world of the file's scene.

mod accessor;
mod budget;
mod bvh_in;
mod bvh_out;
mod clip_in;
mod companions;
mod document;
mod error;
mod frame;
mod gltf_clips;
mod gltf_in;
mod gltf_out;
mod hidden;
mod marks;
mod materials;
mod mtl_in;
mod names;
mod obj_in;
mod obj_out;
mod scene_graph;
mod usda_looks;
mod usda_out;
mod usda_shapes;

pub use bvh_out::write_bvh;
pub use document::{Document, Mark, MarkedJoint, MarkedPatch, MarkedPose, MeshPart, PieceKind, UnsoundClip};
pub use error::ReadError;
pub use frame::{Frame, Unit};
pub use gltf_out::{write_glb, write_gltf, GlbPart, GlbScene, WriteError};
pub use materials::{Look, MaterialRun, Materials, Picture};
pub use obj_out::{write_obj, ObjPart};
pub use usda_out::{usd_frames_of, write_usd_with_pictures, write_usda};

pub use companions::{wanted, Companions};

/// Reads any file this crate knows, told apart by its content and then by `name`'s ending.
///
/// # Errors
/// One sentence that says what is wrong, where, and what to do.
pub fn read(name: &str, bytes: &[u8], companions: &Companions) -> Result<Document, ReadError> {
    let mut document = read_any(name, bytes, companions).map_err(ReadError::shortened)?;
    names::make_unique(document.meshes.iter_mut().chain(&mut document.groups).map(|m| &mut m.name));
    names::make_unique(document.clips.iter_mut().map(|c| &mut c.name));
    names::make_unique(document.skeleton.iter_mut().flat_map(|s| &mut s.names));
    Ok(document)
}

fn read_any(name: &str, bytes: &[u8], companions: &Companions) -> Result<Document, ReadError> {
    let start = bytes.iter().position(|b| !b.is_ascii_whitespace()).map_or(&[][..], |i| &bytes[i..]);
    if bytes.is_empty() {
        return Err(ReadError::Empty);
    }
    if bytes.starts_with(b"glTF") || start.starts_with(b"{") {
        return gltf_in::read_gltf(bytes, companions);
    }
    if name.to_ascii_lowercase().ends_with(".obj") {
        return obj_in::read_obj(name, bytes, companions);
    }
    if start.starts_with(b"HIERARCHY") {
        return bvh_in::read_bvh(name, bytes);
    }
    Err(ReadError::NotGltf { name: name.to_owned() })
}
