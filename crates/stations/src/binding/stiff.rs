//! Stiff parts of a piece: which they are, what they follow, and how far they leave their shape.

use crate::binding::sources::SourceMesh;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use tin_cloak_core::bind::{bind_stiff, keep_stiff, BindError, BindTarget, Follow, Source};
use tin_cloak_core::clearance::stiffness_error;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::intake::{shells, ShellGuess};
use tin_cloak_core::mesh::Alignment;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_core::JointId;
use tin_cloak_formats::PieceKind;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::{groups, stiff_shells};
use tin_cloak_model::dress::trials::{Trial, TrialSet};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::recipe::{FollowWish, Recipe};

/// The worst distance (millimetres) of a stiff part's vertices from the shape it came in (whatever its
/// size is now), over all poses, and the pose; nothing when no part is stiff.
pub fn stiffness(
    piece: &Piece,
    skin: &Skin,
    stiff: &[bool],
    body: &Body,
    trials: &TrialSet,
) -> Option<(f32, String)> {
    let mut parts: Vec<Vec<usize>> = vec![Vec::new(); stiff.len()];
    for (v, &s) in piece.topology.shell_of_vertex.iter().enumerate() {
        if stiff[s as usize] {
            parts[s as usize].push(v);
        }
    }
    parts.retain(|s| !s.is_empty());
    if parts.is_empty() {
        return None;
    }
    let pick = |list: &[Vec3], part: &[usize]| -> Vec<Vec3> { part.iter().map(|&v| list[v]).collect() };
    let came = piece.topology.weld.gather(&piece.mesh.positions);
    let sized = |s: &Vec<usize>| {
        let (came, rest) = (pick(&came, s), pick(&piece.rest, s));
        let scale = Alignment::between(&came, &rest).scale;
        came.into_iter().map(|p| p * scale).collect()
    };
    let rest: Vec<Vec<Vec3>> = parts.iter().map(sized).collect();
    let worst_in = |trial: &Trial| {
        let mut posed = vec![Vec3::ZERO; piece.rest.len()];
        linear_blend(&piece.rest, skin, &body.skeleton.skin_matrices(&trial.pose), &mut posed);
        let errors = parts.iter().zip(&rest).map(|(s, rest)| stiffness_error(rest, &pick(&posed, s)));
        to_mm(errors.fold(0.0, f32::max))
    };
    let errors: Vec<f32> = trials.trials.par_iter().map(worst_in).collect();
    let worst = (0..errors.len()).max_by(|&a, &b| errors[a].total_cmp(&errors[b]).then(b.cmp(&a)))?;
    Some((errors[worst], trials.trials[worst].label()))
}

/// Weights made in another way, with the stiff parts of a piece as one each.
pub fn stiff_as_one(
    mesh: &SourceMesh,
    body: &Body,
    piece: &Piece,
    recipe: &Recipe,
    skin: &Skin,
) -> Result<Skin, WorkshopError> {
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    let groups = groups(piece);
    let follows = follows(piece, body, recipe, &groups).map_err(fail)?;
    if follows.iter().all(Option::is_none) {
        return Ok(skin.clone());
    }
    let source = Source::new(&mesh.positions, &mesh.triangles, &mesh.skin, body.skeleton.len());
    let target = BindTarget::new(&piece.rest, &piece.topology);
    let all_stiff = follows.iter().all(Option::is_some);
    let bound = if all_stiff {
        bind_stiff(&source, &target, &follows, &groups, None).map(|b| b.0)
    } else {
        on_cloth(&source, &target, &follows, &groups, skin)
    };
    bound.map_err(fail)
}

/// The stiff parts that follow a blend of joints, kept from bending; `poses` are matrices of joints. With a sentence
/// when any had to be.
pub fn kept_stiff(
    body: &Body,
    piece: &Piece,
    recipe: &Recipe,
    skin: &Skin,
    poses: &[Vec<Mat4>],
) -> Result<(Skin, Option<String>), WorkshopError> {
    let Some(most) = recipe.options.bend_mm else { return Ok((skin.clone(), None)) };
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    let groups = groups(piece);
    let follows = follows(piece, body, recipe, &groups).map_err(fail)?;
    let blends = |shell: usize| matches!(follows[shell], Some(Follow::Patch | Follow::Blend));
    let mut parts: Vec<Vec<u32>> = vec![Vec::new(); groups.len()];
    for (v, &shell) in piece.topology.shell_of_vertex.iter().enumerate() {
        if blends(shell as usize) {
            parts[groups[shell as usize] as usize].push(v as u32);
        }
    }
    parts.retain(|part| !part.is_empty());
    let kept = keep_stiff(&piece.rest, skin, &parts, poses, from_mm(most)).map_err(|e| fail(e.into()))?;
    let note = (kept.changed > 0).then(|| {
        let (changed, off) = (kept.changed, to_mm(kept.off));
        let parts = if changed == 1 { "one stiff part follows".to_owned() } else { format!("{changed} follow") };
        format!(
            "{}: {parts} fewer joints, so as to bend by no more than {most} mm; that takes it at most {off:.1} mm off \
             its place",
            piece.name
        )
    });
    Ok((kept.skin, note))
}

pub fn find_joint(body: &Body, name: &str) -> Result<JointId, BindError> {
    body.skeleton.find(name).ok_or_else(|| BindError::NoSuchJoint { name: name.to_owned() })
}

/// What each stiff shell follows. Parts sewn on the cloth of a mixed piece, and buttons that are
/// not on a plate, go with the place under them; other stiff things with the joint that is heaviest
/// beneath.
pub fn follows(
    piece: &Piece,
    body: &Body,
    recipe: &Recipe,
    groups: &[u32],
) -> Result<Vec<Option<Follow>>, BindError> {
    let mut loose = vec![true; groups.len()];
    for (shell, group) in shells(&piece.topology, &piece.rest).iter().zip(groups) {
        loose[*group as usize] &= shell.guess == ShellGuess::Button;
    }
    let follow = |shell: usize| -> Result<Follow, BindError> {
        Ok(match recipe.follow_of(shell as u32) {
            None if piece.kind == PieceKind::Mixed || loose[groups[shell] as usize] => Follow::Patch,
            None => Follow::Main,
            Some(FollowWish::Main) => Follow::Main,
            Some(FollowWish::Joint(name)) => Follow::Joint(find_joint(body, name)?),
            Some(FollowWish::Blend) => Follow::Blend,
            Some(FollowWish::Patch) => Follow::Patch,
        })
    };
    let one = |(shell, stiff)| if stiff { follow(shell).map(Some) } else { Ok(None) };
    stiff_shells(piece).into_iter().enumerate().map(one).collect()
}

/// The stiff shells of a piece that has cloth too: those that go with the place under them go with
/// the piece's own cloth, the others with the source.
pub fn on_cloth(
    source: &Source,
    target: &BindTarget,
    follows: &[Option<Follow>],
    groups: &[u32],
    skin: &Skin,
) -> Result<Skin, BindError> {
    let topology = target.topology;
    let on_patch = |wanted: bool| -> Vec<Option<Follow>> {
        follows.iter().map(|f| f.filter(|f| (*f == Follow::Patch) == wanted)).collect()
    };
    let is_cloth = |t: &&[u32; 3]| follows[topology.shell_of_vertex[t[0] as usize] as usize].is_none();
    let triangles: Vec<[u32; 3]> = topology.triangles.iter().filter(is_cloth).copied().collect();
    let cloth = Source::new(target.positions, &triangles, skin, source.joints);
    let skin = bind_stiff(&cloth, target, &on_patch(true), groups, Some(skin))?.0;
    Ok(bind_stiff(source, target, &on_patch(false), groups, Some(&skin))?.0)
}
