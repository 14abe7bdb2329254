//! The outfit in the forms that others use: OBJ in any pose, USD, motions as BVH, weights as a table.

use crate::binding::table_csv::{JsonRow, JsonTable};
use crate::handover::export::{document_glb, document_gltf, dressed_document, OfHidden};
use crate::handover::tables::quoted;
use glam::Vec3;
use std::fmt::Write;
use std::io::{Cursor, Write as _};
use tin_cloak_core::deform::{add_morphs, linear_blend, Morph};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;
use tin_cloak_formats::{
    usd_frames_of, write_bvh, write_obj, write_usd_with_pictures, write_usda, Document, Frame, MeshPart,
    ObjPart,
};
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::figure_shapes::own_shapes;
use tin_cloak_model::dress::shading::Shading;
use tin_cloak_model::dress::trials::{Trial, TrialSet};
use tin_cloak_model::error::WorkshopError;
use zip::result::ZipError;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// What goes out of a dress.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Parts {
    /// The pieces, by name; all when none is named.
    pub pieces: Vec<String>,
    /// True to leave the body out.
    pub without_body: bool,
    /// The motions, by name; all when none is named.
    pub clips: Vec<String>,
    /// True to have what the body is drawn in as a change of it instead of a shape.
    pub tucks_in: bool,
    /// What becomes of what nobody sees.
    pub hidden: OfHidden,
    /// Units and upward axis; glTF has metres with Y up alone.
    pub frame: Frame,
}

/// The document of chosen parts of a dress.
///
/// # Errors
/// When a piece of that name is not worn, or nothing is left.
pub fn document_of(dress: &Dress, parts: &Parts) -> Result<Document, WorkshopError> {
    let mut chosen = dress.clone();
    for name in &parts.pieces {
        if !dress.pieces.iter().any(|p| p.name == *name) {
            let worn = dress.pieces.iter().map(|p| format!("“{}”", p.name)).collect::<Vec<_>>().join(", ");
            return Err(WorkshopError::NoSuchPiece { name: name.clone(), worn });
        }
    }
    chosen.pieces.retain(|p| parts.pieces.is_empty() || parts.pieces.contains(&p.name));
    if let Some(piece) = chosen.pieces.iter().find(|p| p.bound.is_none() && !p.cage) {
        return Err(WorkshopError::NotBound { piece: piece.name.clone() });
    }
    if chosen.pieces.is_empty() {
        return Err(WorkshopError::BindFirst);
    }
    let mut document = dressed_document(&chosen, parts.hidden)?;
    for name in &parts.clips {
        if !document.clips.iter().any(|c| c.name == *name) {
            let motions = document.clips.iter().map(|c| c.name.as_str()).collect::<Vec<_>>().join(", ");
            return Err(WorkshopError::NoSuchMotion { name: name.clone(), motions });
        }
    }
    document.clips.retain(|c| parts.clips.is_empty() || parts.clips.contains(&c.name));
    if parts.tucks_in {
        document.meshes.iter_mut().for_each(tuck_in);
    }
    if parts.without_body {
        document.meshes.retain(|m| m.mark.as_ref().is_none_or(|k| k.role != "body"));
    }
    Ok(document)
}

/// Makes shapes that are always on a change of the mesh.
fn tuck_in(part: &mut MeshPart) {
    if !part.morphs.iter().any(Morph::is_always_on) {
        return;
    }
    let on: Vec<f32> = part.morphs.iter().map(|m| f32::from(m.is_always_on())).collect();
    add_morphs(&mut part.mesh.positions, &part.morphs, &on);
    part.mesh.normals = Shading::new(&part.mesh).normals(&part.mesh.positions);
    let mut stays = on.iter().map(|a| *a == 0.0);
    part.amounts.resize(part.morphs.len(), 0.0);
    part.amounts.retain(|_| stays.next().unwrap_or(true));
    part.morphs.retain(|m| !m.is_always_on());
}

/// The document of chosen parts for glTF, whose specification settles units and axes.
fn gltf_document_of(dress: &Dress, parts: &Parts) -> Result<Document, WorkshopError> {
    match parts.frame == Frame::default() {
        true => document_of(dress, parts),
        false => Err(WorkshopError::SettledFrame { wanted: parts.frame.to_string() }),
    }
}

/// Chosen parts as the bytes of one GLB.
///
/// # Errors
/// As [`document_of`]; when it does not fit the format, or is wanted in another frame.
pub fn glb_of(dress: &Dress, parts: &Parts) -> Result<Vec<u8>, WorkshopError> {
    document_glb(&gltf_document_of(dress, parts)?)
}

/// Chosen parts as glTF in one archive: the description, its buffer, its pictures.
///
/// # Errors
/// As [`glb_of`]; when the archive cannot be written.
pub fn gltf_zip_of(dress: &Dress, parts: &Parts) -> Result<Vec<u8>, WorkshopError> {
    archive(document_gltf(&gltf_document_of(dress, parts)?, "outfit")?, 1)
}

/// Files as they are in one archive, the first byte of each at a multiple of `align`, with the date that an archive
/// begins with: the same bytes each time.
fn archive(files: Vec<(String, Vec<u8>)>, align: u16) -> Result<Vec<u8>, WorkshopError> {
    let fail = |e: ZipError| WorkshopError::Archive { why: e.to_string() };
    let mut archive = ZipWriter::new(Cursor::new(Vec::new()));
    let plain = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Stored)
        .with_alignment(align)
        .last_modified_time(DateTime::default());
    for (name, bytes) in files {
        archive.start_file(name, plain).map_err(fail)?;
        archive.write_all(&bytes).map_err(|e| fail(e.into()))?;
    }
    Ok(archive.finish().map_err(fail)?.into_inner())
}

/// More frames times joints than these are not written out: some 120 MB of text.
const MOST_SAMPLES: usize = 2_000_000;

/// Refuses a motion that would fill the memory before it is made.
fn check_length(motion: &str, frames: usize, skeleton: &Skeleton) -> Result<(), WorkshopError> {
    let most = MOST_SAMPLES / skeleton.len().max(1);
    match frames > most {
        true => Err(WorkshopError::TooLongAMotion { motion: motion.to_owned(), frames, most }),
        false => Ok(()),
    }
}

/// The document of chosen parts for USD, which has a sample a frame.
fn usd_document_of(dress: &Dress, parts: &Parts) -> Result<Document, WorkshopError> {
    let document = document_of(dress, parts)?;
    for clip in &document.clips {
        check_length(&clip.name, usd_frames_of(clip), &dress.body.skeleton)?;
    }
    Ok(document)
}

/// Chosen parts as a USD package: the text with its pictures (specification of USDZ 1.3: stored, the layer first, each
/// file at a multiple of 64 bytes).
///
/// # Errors
/// As [`document_of`]; when the archive cannot be written.
pub fn usdz_of(dress: &Dress, parts: &Parts) -> Result<Vec<u8>, WorkshopError> {
    let (text, pictures) = write_usd_with_pictures(usd_document_of(dress, parts)?, parts.frame);
    archive(std::iter::once(("outfit.usda".to_owned(), text.into_bytes())).chain(pictures).collect(), 64)
}

/// Chosen parts as USD in its text form, without pictures.
///
/// # Errors
/// As [`document_of`].
pub fn usda_of(dress: &Dress, parts: &Parts) -> Result<String, WorkshopError> {
    Ok(write_usda(usd_document_of(dress, parts)?, parts.frame))
}

/// Chosen parts at rest, or in the trial pose of a name, as an OBJ and its MTL, which is asked for as `library`.
///
/// # Errors
/// As [`document_of`]; when there is no such pose.
pub fn obj_of(
    dress: &Dress,
    parts: &Parts,
    trials: &TrialSet,
    pose: Option<&str>,
    library: &str,
) -> Result<(String, String), WorkshopError> {
    let trial = pose.map(|name| trial_of(trials, name)).transpose()?;
    obj_in(dress, parts, trial, library)
}

/// The same in a trial pose, or as it is worn at rest.
///
/// # Errors
/// As [`document_of`].
pub fn obj_in(
    dress: &Dress,
    parts: &Parts,
    trial: Option<&Trial>,
    library: &str,
) -> Result<(String, String), WorkshopError> {
    let document = document_of(dress, parts)?;
    let skeleton = document.skeleton.as_ref().filter(|_| trial.is_some());
    let placed = document.meshes.iter().map(|part| match (trial, skeleton) {
        (Some(trial), Some(skeleton)) => in_pose(part, skeleton, trial, &called_up(dress, trial)),
        _ => worn(part),
    });
    let placed: Vec<(Vec<Vec3>, Vec<Vec3>)> = placed.collect();
    let mut list = Vec::new();
    for (part, (positions, normals)) in document.meshes.iter().zip(&placed) {
        list.push(ObjPart { name: &part.name, mesh: &part.mesh, positions, normals, look: &part.look });
    }
    Ok(write_obj(&list, parts.frame, library))
}

fn trial_of<'a>(trials: &'a TrialSet, name: &str) -> Result<&'a Trial, WorkshopError> {
    Ok(&trials.trials[trials.number_of(name)?])
}

/// A clip of the body at its own rate, or all poses of a group of the trials, one a second, as BVH in that frame.
///
/// # Errors
/// When there is no such clip and no such group.
pub fn bvh_of(dress: &Dress, trials: &TrialSet, name: &str, frame: Frame) -> Result<String, WorkshopError> {
    let skeleton = &dress.body.skeleton;
    if let Some(clip) = dress.body.clips.iter().find(|c| c.name == name) {
        let step = 1.0 / clip.rate();
        let frames = (clip.duration() / step).round() as usize + 1;
        check_length(name, frames, skeleton)?;
        let poses: Vec<Pose> = (0..frames).map(|f| clip.sample(skeleton, f as f32 * step)).collect();
        return Ok(write_bvh(skeleton, &poses, step, frame));
    }
    let of_group = trials.trials.iter().filter(|t| t.group == name);
    let poses: Vec<Pose> = of_group.map(|t| t.pose.clone()).collect();
    if poses.is_empty() {
        let mut groups: Vec<&str> = trials.trials.iter().map(|t| t.group.as_str()).collect();
        groups.dedup();
        return Err(WorkshopError::NoSuchMotion { name: name.to_owned(), motions: groups.join(", ") });
    }
    Ok(write_bvh(skeleton, &poses, 1.0, frame))
}

/// As it is worn: at rest, with its shapes as far as they are on.
fn worn(part: &MeshPart) -> (Vec<Vec3>, Vec<Vec3>) {
    if part.amounts.iter().all(|a| *a == 0.0) {
        return (part.mesh.positions.clone(), part.mesh.normals.clone());
    }
    let mut positions = part.mesh.positions.clone();
    add_morphs(&mut positions, &part.morphs, &part.amounts);
    let normals = Shading::new(&part.mesh).normals(&positions);
    (positions, normals)
}

/// A shape that a trial calls up besides: its piece where it is one's own, its name, what is added to what is worn.
struct CalledUp {
    piece: Option<String>,
    shape: String,
    amount: f32,
}

fn called_up(dress: &Dress, trial: &Trial) -> Vec<CalledUp> {
    let of_body = dress.body.morphs.len();
    let own = own_shapes(&dress.body, &dress.pieces);
    let one = |&(number, amount): &(usize, f32)| match number.checked_sub(of_body) {
        None => Some(CalledUp { piece: None, shape: dress.body.morphs[number].name.clone(), amount }),
        Some(n) => {
            let own = own.get(n)?;
            let shape = dress.pieces[own.piece].shapes[own.shape].name.clone();
            Some(CalledUp { piece: Some(own.mesh.clone()), shape, amount })
        }
    };
    trial.shapes.iter().filter_map(one).collect()
}

fn in_pose(
    part: &MeshPart,
    skeleton: &Skeleton,
    trial: &Trial,
    called_up: &[CalledUp],
) -> (Vec<Vec3>, Vec<Vec3>) {
    let mut shaped = part.mesh.positions.clone();
    let amount = |(n, m): (usize, &Morph)| match m.driver {
        Some(driver) if trial.driven_off && !driver.is_always() => 0.0,
        Some(driver) => driver.amount(&trial.pose),
        None => {
            let here = |c: &&CalledUp| c.shape == m.name && c.piece.as_ref().is_none_or(|p| *p == part.name);
            let besides: f32 = called_up.iter().filter(here).map(|c| c.amount).sum();
            part.amounts.get(n).copied().unwrap_or(0.0) + besides
        }
    };
    let amounts: Vec<f32> = part.morphs.iter().enumerate().map(amount).collect();
    add_morphs(&mut shaped, &part.morphs, &amounts);
    let mut posed = shaped.clone();
    if let Some(skin) = &part.skin {
        linear_blend(&shaped, skin, &skeleton.skin_matrices(&trial.pose), &mut posed);
    }
    let normals = Shading::new(&part.mesh).normals(&posed);
    (posed, normals)
}

/// The weights of a piece, or of the body by its name, as a table that can be taken in again: a row a welded vertex, a
/// column a joint that moves any of it.
///
/// # Errors
/// When there is no such piece, or it is not bound.
pub fn weights_csv(dress: &Dress, name: &str) -> Result<String, WorkshopError> {
    let (skin, _) = weights_of(dress, name)?;
    Ok(table_of(skin, &dress.body.skeleton))
}

/// The same as JSON, a row a welded vertex with its place at rest.
///
/// # Errors
/// As [`weights_csv`].
pub fn weights_json(dress: &Dress, name: &str) -> Result<String, WorkshopError> {
    let ((skin, rest), skeleton) = (weights_of(dress, name)?, &dress.body.skeleton);
    let joints = joints_in(skin, skeleton);
    let row = |v: usize| {
        let own: Vec<(JointId, f32)> = skin.row(v).collect();
        let weight = |j: &usize| own.iter().find(|e| e.0.index() == *j).map_or(0.0, |e| e.1);
        let weights = joints.iter().map(weight).collect();
        JsonRow { vertex: Some(v as u32), place: Some(rest[v].to_array()), weights }
    };
    let names = joints.iter().map(|j| skeleton.names[*j].clone()).collect();
    let table = JsonTable { joints: names, rows: (0..skin.vertices()).map(row).collect() };
    Ok(serde_json::to_string(&table)?)
}

/// The weights of a piece, or of the body by its name, and where its vertices are at rest.
fn weights_of<'d>(dress: &'d Dress, name: &str) -> Result<(&'d Skin, &'d [Vec3]), WorkshopError> {
    let body = &dress.body;
    if let Some(piece) = dress.pieces.iter().find(|p| p.name == name) {
        let bound = piece.bound.as_ref().ok_or_else(|| WorkshopError::NotBound { piece: name.to_owned() })?;
        return Ok((&bound.skin, &piece.rest));
    }
    if body.name == name {
        return Ok((&body.welded_skin, &body.rest));
    }
    let worn = dress.pieces.iter().map(|p| format!("“{}”", p.name)).collect::<Vec<_>>().join(", ");
    Err(WorkshopError::NoSuchPiece { name: name.to_owned(), worn })
}

/// Joints that move any of it, ascending.
fn joints_in(skin: &Skin, skeleton: &Skeleton) -> Vec<usize> {
    let mut used = vec![false; skeleton.len()];
    (0..skin.vertices()).flat_map(|v| skin.row(v)).for_each(|(j, _)| used[j.index()] = true);
    (0..used.len()).filter(|j| used[*j]).collect()
}

fn table_of(skin: &Skin, skeleton: &Skeleton) -> String {
    let joints = joints_in(skin, skeleton);
    let mut text = String::from("vertex");
    joints.iter().for_each(|&j| text.extend([",", &quoted(&skeleton.names[j])]));
    text.push_str("\r\n");
    for v in 0..skin.vertices() {
        // Writing to a string does not fail; a number is written so that it is read again to the bit.
        let _ = write!(text, "{v}");
        let row: Vec<(JointId, f32)> = skin.row(v).collect();
        for &j in &joints {
            let weight = row.iter().find(|e| e.0.index() == j).map_or(0.0, |e| e.1);
            let _ = write!(text, ",{weight}");
        }
        text.push_str("\r\n");
    }
    text
}
