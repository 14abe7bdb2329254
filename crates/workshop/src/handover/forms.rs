//! The outfit in the forms that others use: OBJ in any pose, USD, motions as BVH, weights as a table.

use crate::dress::dressed::Dress;
use crate::dress::shading::Shading;
use crate::dress::trials::{Trial, TrialSet};
use crate::error::WorkshopError;
use crate::handover::export::{document_glb, dressed_document};
use glam::Vec3;
use std::fmt::Write;
use tin_cloak_core::deform::{add_morphs, linear_blend, Morph};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;
use tin_cloak_formats::{write_bvh, write_obj, write_usda, Document, MeshPart, ObjPart};

/// What goes out of a dress.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Parts {
    /// The pieces, by name; all when none is named.
    pub pieces: Vec<String>,
    /// True to leave the body out.
    pub without_body: bool,
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
    let mut document = dressed_document(&chosen)?;
    if parts.without_body {
        document.meshes.retain(|m| m.mark.as_ref().is_none_or(|k| k.role != "body"));
    }
    Ok(document)
}

/// Chosen parts as the bytes of one GLB.
///
/// # Errors
/// As [`document_of`]; when it does not fit the format.
pub fn glb_of(dress: &Dress, parts: &Parts) -> Result<Vec<u8>, WorkshopError> {
    document_glb(&document_of(dress, parts)?)
}

/// Chosen parts as USD.
///
/// # Errors
/// As [`document_of`].
pub fn usda_of(dress: &Dress, parts: &Parts) -> Result<String, WorkshopError> {
    Ok(write_usda(&document_of(dress, parts)?))
}

/// Chosen parts at rest, or in the trial pose of a name, as an OBJ and its MTL, which is asked for as `library`.
///
/// # Errors
/// As [`document_of`]; when there is no such pose.
pub fn obj_of(
    dress: &Dress,
    parts: &Parts,
    (trials, pose): (&TrialSet, Option<&str>),
    library: &str,
) -> Result<(String, String), WorkshopError> {
    let document = document_of(dress, parts)?;
    let trial = pose.map(|name| trial_of(trials, name)).transpose()?;
    let skeleton = document.skeleton.as_ref().filter(|_| trial.is_some());
    let placed = document.meshes.iter().map(|part| match (trial, skeleton) {
        (Some(trial), Some(skeleton)) => in_pose(part, skeleton, trial),
        _ => worn(part),
    });
    let placed: Vec<(Vec<Vec3>, Vec<Vec3>)> = placed.collect();
    let mut list = Vec::new();
    for (part, (positions, normals)) in document.meshes.iter().zip(&placed) {
        list.push(ObjPart { name: &part.name, mesh: &part.mesh, positions, normals, look: &part.look });
    }
    Ok(write_obj(&list, library))
}

fn trial_of<'a>(trials: &'a TrialSet, name: &str) -> Result<&'a Trial, WorkshopError> {
    let found = trials.trials.iter().find(|t| t.name == name || t.label() == name);
    found.ok_or_else(|| {
        let some = trials.trials.iter().filter(|t| t.is_still).map(|t| t.name.as_str());
        let poses = some.take(8).collect::<Vec<_>>().join(", ");
        WorkshopError::NoSuchTrial { name: name.to_owned(), poses }
    })
}

/// A clip of the body at its own rate, or all poses of a group of the trials, one a second, as BVH.
///
/// # Errors
/// When there is no such clip and no such group.
pub fn bvh_of(dress: &Dress, trials: &TrialSet, name: &str) -> Result<String, WorkshopError> {
    let skeleton = &dress.body.skeleton;
    if let Some(clip) = dress.body.clips.iter().find(|c| c.name == name) {
        let step = 1.0 / clip.rate();
        let frames = (clip.duration() / step).round() as usize + 1;
        let poses: Vec<Pose> = (0..frames).map(|f| clip.sample(skeleton, f as f32 * step)).collect();
        return Ok(write_bvh(skeleton, &poses, step));
    }
    let of_group = trials.trials.iter().filter(|t| t.group == name);
    let poses: Vec<Pose> = of_group.map(|t| t.pose.clone()).collect();
    if poses.is_empty() {
        let mut groups: Vec<&str> = trials.trials.iter().map(|t| t.group.as_str()).collect();
        groups.dedup();
        return Err(WorkshopError::NoSuchMotion { name: name.to_owned(), motions: groups.join(", ") });
    }
    Ok(write_bvh(skeleton, &poses, 1.0))
}

/// As it is worn: at rest, with its shapes as far as they are on.
fn worn(part: &MeshPart) -> (Vec<Vec3>, Vec<Vec3>) {
    if part.amounts.iter().all(|a| *a == 0.0) {
        return (part.mesh.positions.clone(), part.mesh.normals.clone());
    }
    let mut positions = part.mesh.positions.clone();
    add_morphs(&mut positions, &part.morphs, &part.amounts);
    let normals = Shading::of(&part.mesh).normals(&positions);
    (positions, normals)
}

fn in_pose(part: &MeshPart, skeleton: &Skeleton, trial: &Trial) -> (Vec<Vec3>, Vec<Vec3>) {
    let mut shaped = part.mesh.positions.clone();
    let amount = |(n, m): (usize, &Morph)| match m.driver {
        Some(driver) => driver.amount(&trial.pose),
        None => part.amounts.get(n).copied().unwrap_or(0.0),
    };
    let amounts: Vec<f32> = part.morphs.iter().enumerate().map(amount).collect();
    add_morphs(&mut shaped, &part.morphs, &amounts);
    let mut posed = shaped.clone();
    if let Some(skin) = &part.skin {
        linear_blend(&shaped, skin, &skeleton.skin_matrices(&trial.pose), &mut posed);
    }
    let normals = Shading::of(&part.mesh).normals(&posed);
    (posed, normals)
}

/// The weights of a piece, or of the body by its name, as a table that can be taken in again: a row a welded vertex, a
/// column a joint that moves any of it.
///
/// # Errors
/// When there is no such piece, or it is not bound.
pub fn weights_csv(dress: &Dress, name: &str) -> Result<String, WorkshopError> {
    let body = &dress.body;
    if let Some(piece) = dress.pieces.iter().find(|p| p.name == name) {
        let bound = piece.bound.as_ref().ok_or_else(|| WorkshopError::NotBound { piece: name.to_owned() })?;
        return Ok(table_of(&bound.skin, &body.skeleton));
    }
    if body.name == name {
        return Ok(table_of(&body.welded_skin, &body.skeleton));
    }
    let worn = dress.pieces.iter().map(|p| format!("“{}”", p.name)).collect::<Vec<_>>().join(", ");
    Err(WorkshopError::NoSuchPiece { name: name.to_owned(), worn })
}

fn table_of(skin: &Skin, skeleton: &Skeleton) -> String {
    let mut used = vec![false; skeleton.len()];
    (0..skin.vertices()).flat_map(|v| skin.row(v)).for_each(|(j, _)| used[j.index()] = true);
    let joints: Vec<usize> = (0..used.len()).filter(|j| used[*j]).collect();
    let quoted = |name: &str| match name.contains([',', '"']) {
        true => format!("\"{}\"", name.replace('"', "\"\"")),
        false => name.to_owned(),
    };
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
