//! The outfit as OBJ, read again by our own reader: where each corner of each face lies, in a few poses.

use crate::proving::on_screen::posed_here;
use glam::Vec3;
use rayon::prelude::*;
use std::collections::BTreeSet;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::units::to_mm;
use tin_cloak_formats::Companions;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_stations::handover::export::Outgoing;
use tin_cloak_stations::handover::forms::{obj_in, Parts};

/// In how many poses, and the furthest that any corner lies from where it is on the screen, millimetres; without end
/// where the faces are not those. In none where nothing goes out as OBJ.
///
/// # Errors
/// When it cannot be written, or what was written cannot be read.
pub(super) fn prove_obj(
    room: &Room,
    ours: &[Outgoing],
    board: Option<&Board>,
) -> Result<(usize, f32), WorkshopError> {
    // What is not bound yet has no place in a pose: an OBJ is not written then.
    let pieces = &room.dress.pieces;
    if pieces.iter().all(|p| p.cage) || pieces.iter().any(|p| p.bound.is_none() && !p.cage) {
        return Ok((0, 0.0));
    }
    let here = room.trials.poses(&room.dress.body);
    let poses = telling_poses(&here, board);
    let of_pose = |pose: &usize| -> Result<f32, WorkshopError> {
        let trial = &room.trials.trials[*pose];
        let (text, _) = obj_in(&room.dress, &Parts::default(), Some(trial), "outfit.mtl")?;
        let read = tin_cloak_formats::read("outfit.obj", text.as_bytes(), &Companions::new());
        let file = "the handed-over OBJ".to_owned();
        let document = read.map_err(|source| WorkshopError::Read { file, source })?;
        let there: Vec<Vec<Vec3>> =
            document.meshes.iter().flat_map(|m| faces(&m.mesh, &m.mesh.positions)).collect();
        Ok(furthest_mm(&on_screen(room, ours, &here[*pose]), &there))
    };
    let all: Vec<f32> = poses.par_iter().map(of_pose).collect::<Result<_, _>>()?;
    Ok((all.len(), all.into_iter().fold(0.0, f32::max)))
}

/// The first pose, the one that calls up the most of shapes, and the deepest on the board.
fn telling_poses(here: &[TrialPose], board: Option<&Board>) -> Vec<usize> {
    let called_up = |pose: &TrialPose| pose.amounts.iter().map(|a| a.abs()).sum::<f32>();
    let shaped = (0..here.len()).rev().max_by(|a, b| called_up(&here[*a]).total_cmp(&called_up(&here[*b])));
    let deepest = board.and_then(Board::worst).map(|(pose, _)| pose).filter(|pose| *pose < here.len());
    let all: BTreeSet<usize> = (0..here.len().min(1)).chain(shaped).chain(deepest).collect();
    all.into_iter().collect()
}

/// The corners of each face that goes out, where they are on the screen in a pose.
fn on_screen(room: &Room, ours: &[Outgoing], pose: &TrialPose) -> Vec<Vec<Vec3>> {
    let dress = room.dress.whole();
    let (layers, piece_of) = dress.layers();
    let of_part = |own: &Outgoing| {
        // What no layer moves (a cage) goes out as it is at rest.
        let mut places = own.part.mesh.positions.clone();
        if let Some(layer) = piece_of.iter().position(|p| *p == own.piece) {
            let posed = posed_here(&layers[layer], &pose.matrices, &pose.amounts);
            let split = layers[layer].topology.weld.scatter(&posed);
            for (at, v) in own.from.iter().zip(&own.to) {
                places[*v as usize] = split[*at as usize];
            }
        }
        faces(&own.part.mesh, &places)
    };
    ours.iter().flat_map(of_part).collect()
}

fn faces(mesh: &Mesh, places: &[Vec3]) -> Vec<Vec<Vec3>> {
    let (mut all, mut face) = (Vec::new(), 0);
    while face < mesh.triangles.len() {
        let corners = mesh.corners_of(face);
        face += corners.len() - 2;
        all.push(corners.into_iter().map(|v| places[v as usize]).collect());
    }
    all
}

fn furthest_mm(ours: &[Vec<Vec3>], theirs: &[Vec<Vec3>]) -> f32 {
    let alike = ours.len() == theirs.len() && ours.iter().zip(theirs).all(|(a, b)| a.len() == b.len());
    let corners = || ours.iter().flatten().zip(theirs.iter().flatten());
    if !alike || corners().any(|(_, b)| !b.is_finite()) {
        return f32::INFINITY;
    }
    corners().map(|(a, b)| to_mm(a.distance(*b))).fold(0.0, f32::max)
}
