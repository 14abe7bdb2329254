//! The made-up body, pieces and clips of the demo, built by code.
//!
//! The lamplighters of Marrow Street go out at dusk in oilskin and tin. [`wardrobe`] makes
//! Wick, one of them, and his clothes as files, exactly as a rigger would be handed them.

mod body;
mod boots;
mod breastplate;
mod breeches;
mod buttons;
mod clips;
mod cloak;
mod coat;
mod correctives;
mod figure;
mod fill;
mod finer;
mod hand;
mod head;
mod hose;
mod lantern;
mod pauldron;
mod plate;
mod remesh;
mod rigged;
mod sdf;
mod skeleton;
mod tib;
mod tunic;

pub use fill::{fill, fill_with, FillError};

use glam::Vec3;
use remesh::Shape3;
use skeleton::BodySide;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mesh::{Mesh, MeshError, Topology};
use tin_cloak_core::skeleton::{Skeleton, SkeletonError};
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_formats::{
    read, write_glb, Companions, GlbPart, GlbScene, Look, Mark, PieceKind, ReadError, WriteError,
};

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
    /// A piece's own joints came out unusable.
    #[error(transparent)]
    Skeleton(#[from] SkeletonError),
    /// Its weights did.
    #[error(transparent)]
    Skin(#[from] SkinError),
    /// What was written could not be read.
    #[error(transparent)]
    Read(#[from] ReadError),
    /// A file could not be written.
    #[error(transparent)]
    Write(#[from] WriteError),
}

/// Names of the files that [`wardrobe`] makes, in its order.
pub const NAMES: [&str; 12] = [
    "wick.glb",
    "quilted tunic.glb",
    "boots.glb",
    "oilskin coat.glb",
    "tin breastplate.glb",
    "lantern.glb",
    "breeches.glb",
    "coat buttons.glb",
    "left pauldron.glb",
    "right pauldron.glb",
    "scale cloak.glb",
    "oil hose.glb",
];

/// Wick and his clothes as GLB files: the body skinned, of the pieces only those that bring joints
/// of their own.
///
/// # Errors
/// When a mesh or file cannot be made.
pub fn wardrobe() -> Result<Vec<DemoFile>, DemoError> {
    wardrobe_of(1.0, tunic::FINE)
}

/// The same with a quarter of the vertices of body and cloth: what long computations are tried on.
///
/// # Errors
/// When a mesh or file cannot be made.
pub fn coarse_wardrobe() -> Result<Vec<DemoFile>, DemoError> {
    wardrobe_of(2.0, tunic::COARSE)
}

/// `coarser`: how many times as long the edges of body, boots and breeches are as the demo's.
fn wardrobe_of(coarser: f32, grid: tunic::Grid) -> Result<Vec<DemoFile>, DemoError> {
    let shape = body::mesh(body::CELL * coarser);
    let ((tunic, coat), (boots, breeches)) = rayon::join(
        || rayon::join(|| tunic::tunic(&shape, grid), || tunic::coat(&shape, grid)),
        || rayon::join(|| boots::boots(&shape, coarser), || breeches::breeches(&shape, coarser)),
    );
    let buttons = buttons::buttons(&coat);
    let coat = coat::coat_as_modelled(&shape, coat)?;
    let mut files = vec![wick_of(&shape)?];
    let plain = Handed::default();
    let two_cuts = Handed { roomier: 0.008, ..Handed::default() };
    files.push(piece("quilted tunic.glb", "quilted tunic", tunic, [0.42, 0.34, 0.22], &two_cuts)?);
    // Filed wrongly by whoever handed them over.
    let under_hands = Handed { place: Some("hands"), ..Handed::default() };
    files.push(piece("boots.glb", "boots", boots, [0.12, 0.09, 0.07], &under_hands)?);
    files.push(piece("oilskin coat.glb", "oilskin coat", coat, [0.16, 0.20, 0.22], &plain)?);
    let plate = breastplate::breastplate();
    files.push(piece("tin breastplate.glb", "tin breastplate", plate, [0.42, 0.45, 0.47], &plain)?);
    files.push(piece("lantern.glb", "lantern", lantern::lantern(), [0.42, 0.40, 0.33], &rigged::lantern()?)?);
    files.push(piece("breeches.glb", "breeches", breeches, [0.27, 0.25, 0.23], &plain)?);
    let stiff = Handed { kind: Some(PieceKind::Stiff), ..Handed::default() };
    let mixed = Handed { kind: Some(PieceKind::Mixed), ..Handed::default() };
    files.push(piece("coat buttons.glb", "coat buttons", buttons, [0.50, 0.47, 0.38], &stiff)?);
    for (file, name, side) in [
        ("left pauldron.glb", "left pauldron", BodySide::Left),
        ("right pauldron.glb", "right pauldron", BodySide::Right),
    ] {
        let handed = rigged::pauldron(side)?;
        files.push(piece(file, name, pauldron::pauldron(side), [0.40, 0.43, 0.45], &handed)?);
    }
    files.push(piece("scale cloak.glb", "scale cloak", cloak::cloak(), [0.36, 0.39, 0.42], &mixed)?);
    files.push(piece("oil hose.glb", "oil hose", hose::hose(), [0.20, 0.13, 0.10], &plain)?);
    Ok(files)
}

/// Wick alone.
///
/// # Errors
/// When his mesh or file cannot be made.
pub fn wick() -> Result<DemoFile, DemoError> {
    wick_of(&body::mesh(body::CELL))
}

/// Tib, who is to wear what Wick wears: another mesh, other joints, short and stout.
///
/// # Errors
/// When mesh or file cannot be made.
pub fn tib() -> Result<DemoFile, DemoError> {
    let tib::Tib { shape, skeleton, skin } = tib::tib()?;
    let mesh = to_mesh("Tib", &shape)?;
    let clips = clips::clips(&skeleton);
    let part = GlbPart {
        name: "Tib",
        mesh: &mesh,
        skin: Some(&skin),
        morphs: &[],
        amounts: &[],
        mark: Some(Mark { role: "body".to_owned(), ..Mark::default() }),
        look: &Look::default(),
        colour: [0.72, 0.52, 0.38],
    };
    let scene = GlbScene { parts: vec![part], skeleton: Some(&skeleton), clips: &clips };
    Ok(DemoFile { name: "tib.glb", bytes: write_glb(&scene)? })
}

/// Wick as some hand bodies over: trunk, limbs and head as meshes of their own, none of them marked.
///
/// # Errors
/// When his mesh or file cannot be made.
pub fn wick_in_three() -> Result<DemoFile, DemoError> {
    in_three(&wick()?)
}

/// The same of a file of Wick's, such as one of [`coarse_wardrobe`].
///
/// # Errors
/// When the file cannot be read, or the other not be made.
pub fn in_three(wick: &DemoFile) -> Result<DemoFile, DemoError> {
    let whole = read(wick.name, &wick.bytes, &Companions::new())?;
    let body = &whole.meshes[0];
    let height = |f: &[u32; 3]| f.iter().map(|&v| body.mesh.positions[v as usize].y).sum::<f32>() / 3.0;
    let which = |f: u32| match height(&body.mesh.triangles[f as usize]) {
        y if y > 1.45 => 2,
        y if y > 0.9 => 0,
        _ => 1,
    };
    let faces = 0..body.mesh.triangles.len() as u32;
    let part = |n: usize| body.without(&faces.clone().filter(|f| which(*f) != n).collect::<Vec<_>>()).0;
    let parts = [part(0), part(1), part(2)];
    let named = ["trunk", "limbs", "head"].into_iter().zip(&parts);
    let parts = named.map(|(name, part)| GlbPart {
        name,
        mesh: &part.mesh,
        skin: part.skin.as_ref(),
        morphs: &part.morphs,
        amounts: &[],
        mark: None,
        look: &part.look,
        colour: [0.82, 0.62, 0.45],
    });
    let skeleton = whole.skeleton.as_ref();
    let bytes = write_glb(&GlbScene { parts: parts.collect(), skeleton, clips: &whole.clips })?;
    Ok(DemoFile { name: "wick in three.glb", bytes })
}

/// What comes with a piece besides its mesh.
#[derive(Default)]
struct Handed {
    /// Where it is filed as worn.
    place: Option<&'static str>,
    kind: Option<PieceKind>,
    /// Joints of its own under joints of the body, and who follows them.
    rig: Option<(Skeleton, Skin)>,
    /// How far out its surface goes in a shape that its modeller left in, metres; 0 for none.
    roomier: f32,
}

fn wick_of(shape: &Shape3) -> Result<DemoFile, DemoError> {
    let mesh = to_mesh("Wick", shape)?;
    let topology = Topology::new(&mesh);
    let joints = skeleton::BodyJoints::new();
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
        amounts: &[],
        mark: Some(mark),
        look: &Look::default(),
        colour: [0.82, 0.62, 0.45],
    };
    let scene = GlbScene { parts: vec![part], skeleton: Some(&joints.skeleton), clips: &clips };
    Ok(DemoFile { name: "wick.glb", bytes: write_glb(&scene)? })
}

/// A file with one piece.
fn piece(
    file: &'static str,
    name: &str,
    shape: Shape3,
    colour: [f32; 3],
    handed: &Handed,
) -> Result<DemoFile, DemoError> {
    let mesh = to_mesh(name, &shape)?;
    let said = handed.place.is_some() || handed.kind.is_some() || handed.rig.is_some();
    let mark = said.then(|| Mark {
        role: "piece".to_owned(),
        place: handed.place.map(str::to_owned),
        kind: handed.kind,
        ..Mark::default()
    });
    let (skeleton, skin) = handed.rig.as_ref().map_or((None, None), |r| (Some(&r.0), Some(&r.1)));
    let out: Vec<Vec3> = mesh.normals.iter().map(|n| *n * handed.roomier).collect();
    let shape = (handed.roomier > 0.0).then(|| Morph::from_dense("roomier".to_owned(), &out));
    let morphs: Vec<Morph> = shape.into_iter().collect();
    let look = Look::default();
    let part = GlbPart { name, mesh: &mesh, skin, morphs: &morphs, amounts: &[], mark, look: &look, colour };
    let bytes = write_glb(&GlbScene { parts: vec![part], skeleton, clips: &[] })?;
    Ok(DemoFile { name: file, bytes })
}

fn to_mesh(name: &str, shape: &Shape3) -> Result<Mesh, MeshError> {
    Mesh::new(name, shape.positions.clone(), Vec::new(), shape.triangles.clone(), Vec::new())
}
