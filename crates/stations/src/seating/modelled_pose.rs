//! The pose a piece was modelled in, and the way back from it.

use crate::seating::ground::outward_normals;
use glam::Vec3;
use tin_cloak_core::mend::keep_rigid;
use tin_cloak_core::query::Bvh;
use tin_cloak_core::seat::{covered_joints, find_pose, rest_from_pose, FoundPose, Sitting};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::trial::{Humanoid, Limbs};
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;

/// The joints whose pose is searched for, from the trunk out: limbs that the piece covers, legs
/// only when cloth goes between them, as trousers do and skirts do not.
fn limbs_to_search(dress: &Dress, sitting: &Sitting, piece: &Piece) -> Vec<JointId> {
    let person = Humanoid::find(&dress.body.skeleton);
    let covered = covered_joints(sitting);
    let places = dress.body.skeleton.rest_positions();
    let tree = Bvh::build(&piece.rest, &piece.topology.triangles);
    let middle =
        |a: Option<JointId>, b: Option<JointId>| Some((places[a?.index()] + places[b?.index()]) * 0.5);
    let cloth_between = |a: Option<Vec3>, b: Option<Vec3>| {
        let (Some(a), Some(b)) = (a, b) else { return false };
        tree.is_hit(a, b - a, 0.0, 1.0, |_| true)
    };
    let (l, r) = (&person.left, &person.right);
    let mut limbs = vec![l.upper_arm, r.upper_arm, l.lower_arm, r.lower_arm];
    let thigh = |s: &Limbs| middle(s.upper_leg, s.lower_leg);
    if cloth_between(thigh(l), thigh(r)) {
        limbs.extend([l.upper_leg, r.upper_leg, l.lower_leg, r.lower_leg]);
    }
    limbs.into_iter().flatten().filter(|j| covered.contains(j)).collect()
}

/// The pose of the body in which piece `index` was modelled.
///
/// # Errors
/// When the piece covers no limb, or `progress` says no.
pub fn pose_of_piece(
    dress: &Dress,
    index: usize,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<(FoundPose, Vec<JointId>), WorkshopError> {
    let (body, piece) = (&dress.body, &dress.pieces[index]);
    let normals = outward_normals(piece, &piece.rest);
    let sitting = Sitting {
        skeleton: &body.skeleton,
        rest: &body.rest,
        triangles: &body.topology.triangles,
        incident: &body.topology.incident,
        skin: &body.welded_skin,
        piece: &piece.rest,
        normals: &normals,
    };
    let joints = limbs_to_search(dress, &sitting, piece);
    if joints.is_empty() {
        return Err(WorkshopError::NoLimbCovered { piece: piece.name.clone() });
    }
    let start = Pose::rest(body.skeleton.len());
    let found = find_pose(&sitting, &joints, &start, progress).ok_or(WorkshopError::Stopped)?;
    Ok((found, joints))
}

/// Rest positions of piece `index`, modelled round the body in `pose`.
///
/// # Errors
/// When its weights cannot be solved for.
pub fn carried_to_rest(dress: &Dress, index: usize, pose: &Pose) -> Result<Vec<Vec3>, WorkshopError> {
    let (body, piece) = (&dress.body, &dress.pieces[index]);
    let matrices = body.skeleton.skin_matrices(pose);
    let (triangles, skin) = (&body.topology.triangles, &body.welded_skin);
    let carried = rest_from_pose(&body.rest, triangles, skin, &matrices, &piece.rest, &piece.topology, 4);
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    let mut rest = carried.map_err(fail)?.0;
    keep_rigid(&rigid_parts(piece), &piece.rest, &mut rest, f32::INFINITY);
    Ok(rest)
}

/// What was found, for people.
pub fn pose_notes(dress: &Dress, found: &FoundPose, joints: &[JointId]) -> Vec<String> {
    let names = &dress.body.skeleton.names;
    let turned: Vec<String> = joints
        .iter()
        .map(|j| (j, found.pose.rotations[j.index()].angle_between(glam::Quat::IDENTITY).to_degrees()))
        .filter(|(_, degrees)| *degrees >= 1.0)
        .map(|(j, degrees)| format!("{} {degrees:.0}°", names[j.index()]))
        .collect();
    let turned = if turned.is_empty() { "at rest".to_owned() } else { turned.join(", ") };
    vec![
        format!("modelled with {turned}"),
        format!(
            "typical gap {:.1} mm, uneven by {:.1} mm (was {:.1}), deepest sunk {:.1} mm",
            to_mm(found.typical_gap),
            to_mm(found.unevenness),
            to_mm(found.unevenness_before),
            to_mm(found.deepest_sunk)
        ),
    ]
}
