//! Cleaning the weights of a bound piece.

use crate::binding::hand_change::{changed_by_hand, HowMuch, OnPiece, Source};
use tin_cloak_core::bind::clean::{self, both_walls_alike, difference, BoundMesh, Difference, MirrorPlane};
use tin_cloak_core::bind::BindError;
use tin_cloak_core::glam::Mat4;
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::seat::Fade;
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::chosen::{faded, Choosing};
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::stiff_shells;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::choice::Pick;
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::clean::Cleaned;
use tin_cloak_model::state::stroke::Chosen;

/// New weights of a piece that has `before`, and what was done in words.
///
/// # Errors
/// When it is not bound, moves as one, a number makes no sense, or there is nothing to do.
pub fn cleaned(
    piece: &Piece,
    before: &Skin,
    beneath: Source,
    body: &Body,
    trials: &TrialSet,
    Cleaned { clean: what, chosen, locked }: &Cleaned,
) -> Result<(Skin, Vec<String>), WorkshopError> {
    let skeleton = &body.skeleton;
    let find = |name: &String| {
        let missing = || WorkshopError::NoSuchJoint { joint: name.clone() };
        skeleton.find(name).ok_or_else(missing)
    };
    let mut held = vec![false; skeleton.len()];
    for name in locked {
        held[find(name)?.index()] = true;
    }
    // Stiff parts move as one: nothing is cleaned vertex by vertex there.
    let stiff = stiff_shells(piece);
    let mut vertices = Choosing { piece, body, skin: Some(before) }.chosen(chosen)?;
    if !vertices.contains(&true) {
        return Err(WorkshopError::NothingChosen { piece: piece.name.clone() });
    }
    let own = what.fades().map(|mm| faded(piece, &vertices, Fade::Soft, mm));
    if let Some(shares) = &own {
        vertices.iter_mut().zip(shares).for_each(|(chosen, share)| *chosen = *share > 0.0);
    }
    let shells = &piece.topology.shell_of_vertex;
    vertices.iter_mut().zip(shells).for_each(|(c, s)| *c &= !stiff[*s as usize]);
    if !vertices.contains(&true) {
        return Err(WorkshopError::MovesAsOne { piece: piece.name.clone() });
    }
    let bound = BoundMesh {
        positions: &piece.rest,
        topology: &piece.topology,
        skin: before,
        chosen: &vertices,
        locked: &held,
        most: before.max_influences().max(USUAL),
    };
    let poses: Vec<Vec<Mat4>> = trials.trials.iter().map(|t| skeleton.skin_matrices(&t.pose)).collect();
    let fail = |source: BindError| WorkshopError::Bind { piece: piece.name.clone(), source };
    let weights = |source: tin_cloak_core::skin::SkinError| fail(source.into());
    let mut notes = Vec::new();
    let skin = match what {
        Clean::Limit { most } if (1..=8).contains(most) => {
            clean::limit_by_motion(bound, &poses, *most).map_err(weights)?
        }
        Clean::Prune { least } if (0.0..=1.0).contains(least) => {
            clean::prune(bound, *least).map_err(weights)?
        }
        Clean::Smooth { strength, times } if (0.0..=1.0).contains(strength) && (1..=100).contains(times) => {
            clean::smooth(bound, *strength, *times).map_err(weights)?
        }
        Clean::Limit { .. } | Clean::Prune { .. } | Clean::Smooth { .. } => {
            return Err(WorkshopError::BadClean)
        }
        Clean::ByHand { change, firm_percent } => {
            let how = HowMuch { chosen, firm: *firm_percent, faded: own.as_deref() };
            let on = OnPiece { piece, body, beneath };
            let (skin, told) = changed_by_hand(on, bound, change, how)?;
            notes.extend(told);
            skin
        }
        Clean::MendTorn => {
            let torn = clean::torn_vertices(bound);
            notes.push(format!("{} torn vertices filled in from round about", torn.len()));
            clean::mend_torn(bound, &torn).map_err(fail)?
        }
        Clean::DropStrays => {
            let found = clean::strays(bound);
            for stray in found.iter().take(MOST_NAMED) {
                let alone = clean::drop_strays(bound, std::slice::from_ref(stray)).map_err(weights)?;
                let harm = difference(&piece.rest, before, &alone, &poses).furthest;
                let name = &skeleton.names[stray.joint.index()];
                let count = stray.vertices.len();
                notes.push(format!("{name}: {count} vertices cut off, {:.1} mm in the trials", to_mm(harm)));
            }
            if found.len() > MOST_NAMED {
                notes.push(format!("and {} smaller islands", found.len() - MOST_NAMED));
            }
            clean::drop_strays(bound, &found).map_err(weights)?
        }
        Clean::RemoveJoints { joints, goes } => {
            let mut gone = vec![false; skeleton.len()];
            for name in joints {
                gone[find(name)?.index()] = true;
            }
            clean::remove_joints(bound, &gone, &skeleton.parents, *goes).map_err(fail)?
        }
        Clean::Mirror { from_left, blend_mm, joints } => {
            if !(0.0..=500.0).contains(blend_mm) {
                return Err(WorkshopError::BadClean);
            }
            let x = body.plane();
            let plane = MirrorPlane { x, from_left: *from_left, blend: from_mm(*blend_mm) };
            let partners: Vec<Option<JointId>> =
                (0..skeleton.len()).map(|j| mirror_partner(skeleton, JointId(j as u16))).collect();
            let mut named = vec![joints.is_empty(); skeleton.len()];
            for name in joints {
                named[find(name)?.index()] = true;
            }
            // Those that are not named, on either side, keep what they have.
            let stays = |j: usize| !named[j] && !partners[j].is_some_and(|p| named[p.index()]);
            let locked: Vec<bool> = held.iter().enumerate().map(|(j, held)| *held || stays(j)).collect();
            let outcome =
                clean::mirror(BoundMesh { locked: &locked, ..bound }, plane, &partners).map_err(weights)?;
            if !outcome.unmatched.is_empty() {
                notes.push(format!(
                    "{} vertices have no mirror image and keep theirs",
                    outcome.unmatched.len()
                ));
            }
            outcome.skin
        }
    };
    let of_a_wall = matches!(chosen, Chosen::Picks(picks) if picks.iter().any(Pick::is_of_a_wall));
    let skin = match of_a_wall {
        true => skin,
        false => with_both_walls(piece, bound, &stiff, &skin).map_err(weights)?,
    };
    let Difference { vertices, weight, furthest, pose } = difference(&piece.rest, before, &skin, &poses);
    if vertices == 0 {
        return Err(WorkshopError::NothingToClean { piece: piece.name.clone() });
    }
    notes.insert(
        0,
        format!(
            "{vertices} vertices changed, weight {weight:.1} went elsewhere; in the trial poses the furthest \
             goes {:.1} mm{}",
            to_mm(furthest),
            trials.trials.get(pose).filter(|_| furthest > 0.0).map_or(String::new(), |t| format!(" ({})", t.label()))
        ),
    );
    Ok((skin, notes))
}

/// What was done to one wall of a plate is done to the other; what is single or stiff stays as it is.
fn with_both_walls(piece: &Piece, bound: BoundMesh, stiff: &[bool], after: &Skin) -> Result<Skin, SkinError> {
    if piece.walls().away_from_body.is_none() {
        return Ok(after.clone());
    }
    let partners = piece.walls().towards_body.measured_partners(&piece.rest);
    let free: Vec<bool> = piece.topology.shell_of_vertex.iter().map(|s| !stiff[*s as usize]).collect();
    both_walls_alike(BoundMesh { chosen: &free, ..bound }, after, &partners)
}

/// Cleaning may bring a vertex to this many joints, as binding does when nothing else is said.
const USUAL: usize = 4;

/// More islands than this are not named one by one.
const MOST_NAMED: usize = 8;
