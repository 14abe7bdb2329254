//! The made-up body, pieces and clips of the demo, built by code.
//!
//! The lamplighters of Marrow Street go out at dusk in oilskin and tin. [`wardrobe`] makes
//! Wick, one of them, and his clothes as files, exactly as a rigger would be handed them.
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod body;
mod boots;
mod breastplate;
mod clips;
mod coat;
mod correctives;
mod figure;
mod lantern;
mod remesh;
mod sdf;
mod skeleton;
mod tunic;

use remesh::Shape3;
use tin_cloak_core::mesh::{Mesh, MeshError, Topology};
use tin_cloak_formats::{write_glb, GlbPart, GlbScene, Look, Mark, WriteError};

/// A file of the demo.
#[derive(Clone, Debug)]
pub struct DemoFile {
    /// Name with ending.
    pub name: &'static str,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// Why the demo could not be made.
#[derive(Debug, thiserror::Error)]
pub enum DemoError {
    /// A mesh came out unusable.
    #[error(transparent)]
    Mesh(#[from] MeshError),
    /// A garment could not be bound for posing.
    #[error(transparent)]
    Bind(#[from] tin_cloak_core::bind::BindError),
    /// A file could not be written.
    #[error(transparent)]
    Write(#[from] WriteError),
}

/// Wick, his tunic, boots, coat, breastplate and lantern as GLB files: the body skinned, the pieces
/// not.
///
/// # Errors
/// When a mesh or file cannot be made.
pub fn wardrobe() -> Result<Vec<DemoFile>, DemoError> {
    let shape = body::mesh();
    let (tunic, boots) = rayon::join(|| tunic::tunic(&shape), || boots::boots(&shape));
    let plate = breastplate::breastplate();
    let coat = coat::coat_as_modelled(&shape)?;
    let mut files = vec![DemoFile { name: "wick.glb", bytes: wick(&shape)? }];
    files.push(piece("quilted tunic.glb", "quilted tunic", tunic, [0.42, 0.34, 0.22], None)?);
    // Filed wrongly by whoever handed them over.
    files.push(piece("boots.glb", "boots", boots, [0.12, 0.09, 0.07], Some("hands"))?);
    files.push(piece("oilskin coat.glb", "oilskin coat", coat, [0.16, 0.20, 0.22], None)?);
    files.push(piece("tin breastplate.glb", "tin breastplate", plate, [0.42, 0.45, 0.47], None)?);
    files.push(piece("lantern.glb", "lantern", lantern::lantern(), [0.42, 0.40, 0.33], None)?);
    Ok(files)
}

fn wick(shape: &Shape3) -> Result<Vec<u8>, DemoError> {
    let mesh = to_mesh("Wick", shape)?;
    let topology = Topology::of(&mesh);
    let joints = skeleton::Joints::new();
    let skin = body::weights(&mesh, &topology, &joints);
    let mut morphs = body::shapes(&mesh, &topology);
    morphs.extend(correctives::correctives(&mesh.positions, &skin, &joints));
    let clips = clips::clips(&joints.skeleton);
    let mark = Mark { role: "body".to_owned(), ..Mark::default() };
    let part = GlbPart {
        name: "Wick",
        mesh: &mesh,
        skin: Some(&skin),
        morphs: &morphs,
        mark: Some(mark),
        look: &Look::default(),
        colour: [0.82, 0.62, 0.45],
    };
    let scene = GlbScene { parts: vec![part], skeleton: Some(&joints.skeleton), clips: &clips };
    Ok(write_glb(&scene)?)
}

/// A file with one piece; `place` is where it is filed as worn.
fn piece(
    file: &'static str,
    name: &str,
    shape: Shape3,
    colour: [f32; 3],
    place: Option<&str>,
) -> Result<DemoFile, DemoError> {
    let mesh = to_mesh(name, &shape)?;
    let mark = place.map(|place| Mark {
        role: "piece".to_owned(),
        place: Some(place.to_owned()),
        ..Mark::default()
    });
    let part = GlbPart { name, mesh: &mesh, skin: None, morphs: &[], mark, look: &Look::default(), colour };
    let bytes = write_glb(&GlbScene { parts: vec![part], skeleton: None, clips: &[] })?;
    Ok(DemoFile { name: file, bytes })
}

fn to_mesh(name: &str, shape: &Shape3) -> Result<Mesh, MeshError> {
    Mesh::new(name, shape.positions.clone(), Vec::new(), shape.triangles.clone(), Vec::new())
}
