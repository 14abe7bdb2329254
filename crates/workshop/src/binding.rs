//! Binding a piece by its recipe.

use crate::recipe::{BindOptions, FollowWish, Method, Recipe};
use crate::sources::{allowed_joints, SourceMesh};
use crate::{Body, Bound, Piece, PieceKind, Trial, TrialSet, WorkshopError};
use glam::Vec3;
use rayon::prelude::*;
use std::time::Instant;
use tin_cloak_core::bind::sides::{joint_sides, keep_apart, leaning, merge_sides, one_side, Side, SideMark};
use tin_cloak_core::bind::{
    add_falloffs, assemblies, bind_between_ends, bind_stiff, bones, fill, heat_weights, match_along_normal,
    match_surface, match_vertices, BindError, Falloff, Follow, Match, MatchSettings, Source, Target,
};
use tin_cloak_core::clearance::stiffness_error;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::intake::{shells, symmetry, JointRole, ShellGuess};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// Parts of a stiff piece no further from each other than this are one thing, metres.
const TOUCHING: f32 = 0.005;

/// Seconds that parts of a binding took.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct BindTimes {
    /// Finding and judging closest points.
    pub matching: f64,
    /// Filling in.
    pub solving: f64,
}

/// Which shells of a piece are stiff, by its kind; of a mixed piece those that were said to be, and
/// the closed ones of which nothing was said.
pub fn stiff_shells(piece: &Piece) -> Vec<bool> {
    match piece.kind {
        PieceKind::Soft => vec![false; piece.topology.shells],
        PieceKind::Stiff => vec![true; piece.topology.shells],
        PieceKind::Mixed => {
            let mut stiff = piece.topology.closed_shells();
            for &(shell, said) in &piece.shell_kinds {
                if let Some(one) = stiff.get_mut(shell as usize) {
                    *one = said;
                }
            }
            stiff
        }
    }
}

/// Weights for `piece` from `body`: cloth by the method chosen, each stiff shell as a whole.
///
/// # Errors
/// When a named joint is not there or the weights cannot be solved for.
pub fn bind_piece(body: &Body, piece: &Piece, recipe: &Recipe) -> Result<(Bound, BindTimes), WorkshopError> {
    let source = SourceMesh::of_body(body).following(body, recipe.joints.as_ref())?;
    bind_piece_to(&source, body, (piece, &[]), recipe)
}

/// Weights for `piece` from any skinned surface at rest; its own joints take their part of the cloth.
///
/// # Errors
/// As [`bind_piece`].
pub(crate) fn bind_piece_to(
    mesh: &SourceMesh,
    body: &Body,
    (piece, own): (&Piece, &[Falloff]),
    recipe: &Recipe,
) -> Result<(Bound, BindTimes), WorkshopError> {
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    let options = &recipe.options;
    options.checked()?;
    let joints = body.skeleton.len();
    let groups = groups(piece);
    let follows = follows(piece, body, recipe, &groups).map_err(fail)?;
    let started = Instant::now();
    let mut times = BindTimes::default();
    let target = Target::new(&piece.rest, &piece.topology);
    let source = Source::new(&mesh.positions, &mesh.triangles, &mesh.skin, joints);
    if follows.iter().all(Option::is_some) {
        let skin = bind_stiff(&source, &target, (&follows, &groups), None).map_err(fail)?.0;
        times.matching = started.elapsed().as_secs_f64();
        return Ok((Bound::by("stiff", skin), times));
    }
    let lean = options.apart_mm.map(|mm| leaning_of(piece, body, recipe, mm));
    let mut bound = match options.method {
        Method::Heat => by_heat(&target, body, recipe)?,
        Method::Ends => {
            let find = |name: &Option<String>| name.as_ref().map(|n| find_joint(body, n)).transpose();
            let ends = [find(&options.ends[0]), find(&options.ends[1])];
            let [first, second] = ends;
            let how = ([first.map_err(fail)?, second.map_err(fail)?], options.stretch);
            let skin = bind_between_ends(&source, &target, how).map_err(fail)?.limit(options.max_influences);
            Bound::by(Method::Ends.word(), skin)
        }
        _ => match &lean {
            Some(lean) => apart(mesh, (&target, lean), body, options, &mut times).map_err(fail)?,
            None => {
                cloth(&target, |o| found(&source, &target, o), joints, options, &mut times).map_err(fail)?
            }
        },
    };
    let weights = |e: tin_cloak_core::skin::SkinError| fail(e.into());
    if let Some(lean) = &lean {
        bound.skin = keep_apart(&bound.skin, lean, &sides_of(body)).map_err(weights)?;
    }
    if !own.is_empty() {
        bound.skin =
            add_falloffs(&bound.skin, &piece.rest, own, joints, options.max_influences).map_err(weights)?;
    }
    if follows.iter().any(Option::is_some) {
        bound.skin = on_cloth((&source, &target), (&follows, &groups), &bound.skin).map_err(fail)?;
    }
    times.matching = started.elapsed().as_secs_f64() - times.solving;
    Ok((bound, times))
}

/// The worst distance (millimetres) of a stiff part's vertices from its shape at rest, over all
/// poses, and the pose; nothing when no part is stiff.
pub(crate) fn stiffness(
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
    let rest: Vec<Vec<Vec3>> = parts.iter().map(|s| pick(&piece.rest, s)).collect();
    let worst_in = |trial: &Trial| {
        let mut posed = vec![Vec3::ZERO; piece.rest.len()];
        linear_blend(&piece.rest, skin, &body.skeleton.skin_matrices(&trial.pose), &mut posed);
        let errors = parts.iter().zip(&rest).map(|(s, rest)| stiffness_error(rest, &pick(&posed, s)));
        errors.fold(0.0, f32::max) * 1000.0
    };
    let errors: Vec<f32> = trials.trials.par_iter().map(worst_in).collect();
    let worst = (0..errors.len()).max_by(|&a, &b| errors[a].total_cmp(&errors[b]).then(b.cmp(&a)))?;
    Some((errors[worst], trials.trials[worst].label()))
}

/// Parts of a stiff piece that touch are one thing; those on cloth go each by itself.
fn groups(piece: &Piece) -> Vec<u32> {
    match piece.kind {
        PieceKind::Stiff => assemblies(&piece.topology, &piece.rest, TOUCHING),
        PieceKind::Soft | PieceKind::Mixed => (0..piece.topology.shells as u32).collect(),
    }
}

/// Weights made in another way, with the stiff parts of a piece as one each.
pub(crate) fn stiff_as_one(
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
    let target = Target::new(&piece.rest, &piece.topology);
    let all_stiff = follows.iter().all(Option::is_some);
    let bound = if all_stiff {
        bind_stiff(&source, &target, (&follows, &groups), None).map(|b| b.0)
    } else {
        on_cloth((&source, &target), (&follows, &groups), skin)
    };
    bound.map_err(fail)
}

fn find_joint(body: &Body, name: &str) -> Result<JointId, BindError> {
    body.skeleton.find(name).ok_or_else(|| BindError::NoSuchJoint { name: name.to_owned() })
}

/// What each stiff shell follows. Parts sewn on the cloth of a mixed piece, and buttons that are
/// not on a plate, go with the place under them; other stiff things with the joint that is heaviest
/// beneath.
fn follows(
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
fn on_cloth(
    (source, target): (&Source, &Target),
    (follows, groups): (&[Option<Follow>], &[u32]),
    skin: &Skin,
) -> Result<Skin, BindError> {
    let topology = target.topology;
    let on_patch = |wanted: bool| -> Vec<Option<Follow>> {
        follows.iter().map(|f| f.filter(|f| (*f == Follow::Patch) == wanted)).collect()
    };
    let is_cloth = |t: &&[u32; 3]| follows[topology.shell_of_vertex[t[0] as usize] as usize].is_none();
    let triangles: Vec<[u32; 3]> = topology.triangles.iter().filter(is_cloth).copied().collect();
    let cloth = Source::new(target.positions, &triangles, skin, source.joints);
    let skin = bind_stiff(&cloth, target, (&on_patch(true), groups), Some(skin))?.0;
    Ok(bind_stiff(source, target, (&on_patch(false), groups), Some(&skin))?.0)
}

/// The sides of the body's joints.
pub(crate) fn sides_of(body: &Body) -> Vec<Side> {
    joint_sides(&body.skeleton, symmetry(&body.rest).plane)
}

/// How far each vertex of a piece leans to the left.
pub(crate) fn leaning_of(piece: &Piece, body: &Body, recipe: &Recipe, width_mm: f32) -> Vec<f32> {
    let marks: Vec<SideMark> = recipe
        .sides
        .iter()
        .map(|s| SideMark { vertex: s.vertex, side: s.side, reach: s.reach_mm * 0.001 })
        .collect();
    let across = (symmetry(&body.rest).plane, width_mm * 0.001);
    leaning(&piece.topology, &piece.rest, across, &marks)
}

fn by_heat(target: &Target, body: &Body, recipe: &Recipe) -> Result<Bound, WorkshopError> {
    let fail = |source| WorkshopError::Bind { piece: body.name.clone(), source };
    let mut allowed = allowed_joints(body, recipe.joints.as_ref())?;
    // Twist joints lie on the bones of others, and a root on the floor moves nobody.
    for (j, fact) in body.joint_facts().iter().enumerate() {
        let root = body.skeleton.parents[j].is_none() && body.skeleton.len() > 1;
        let unasked = recipe.joints.as_ref().is_none_or(|c| !c.only);
        allowed[j] &= !(unasked && (fact.role == JointRole::Twist || root));
    }
    let bones = bones(&body.skeleton, &allowed);
    let most = recipe.options.max_influences;
    let skin = heat_weights(target, &bones, body.skeleton.len(), most).map_err(fail)?;
    Ok(Bound::by(Method::Heat.word(), skin))
}

/// What a method finds on a source, before anything is filled in.
fn found(source: &Source, target: &Target, options: &BindOptions) -> Match {
    let mut settings = MatchSettings::for_target(target);
    settings.distance = options.match_mm.map_or(settings.distance, |mm| mm * 0.001);
    settings.min_cosine = options.match_deg.to_radians().cos();
    match options.method {
        Method::Normal => match_along_normal(source, target, settings),
        Method::Vertex => match_vertices(source, target),
        _ => match_surface(source, target, settings),
    }
}

/// Cloth by one of the methods that ask the source vertex by vertex.
fn cloth(
    target: &Target,
    find: impl Fn(&BindOptions) -> Match,
    joints: usize,
    options: &BindOptions,
    times: &mut BindTimes,
) -> Result<Bound, BindError> {
    let found = find(options);
    let method = options.method.word().to_owned();
    let most = options.max_influences;
    if !options.method.fills() {
        let skin = Skin::from_rows(&found.rows, joints)?.limit(most);
        return Ok(Bound::by(&method, skin));
    }
    let matched_share = found.share();
    let started = Instant::now();
    let filled = fill(target, found, joints, most)?;
    times.solving = started.elapsed().as_secs_f64();
    let left = (0u32..).zip(&filled.matched).filter(|(_, m)| !**m).map(|(v, _)| v).collect();
    Ok(Bound { skin: filled.skin, method, matched_share, filled: left })
}

/// The same with each side from its own side of the source.
fn apart(
    mesh: &SourceMesh,
    (target, lean): (&Target, &[f32]),
    body: &Body,
    options: &BindOptions,
    times: &mut BindTimes,
) -> Result<Bound, BindError> {
    let (sides, joints) = (sides_of(body), body.skeleton.len());
    let half = |other: Side| -> Result<Match, BindError> {
        let (triangles, skin) = one_side(&mesh.triangles, &mesh.skin, &sides, other)?;
        Ok(found(&Source::new(&mesh.positions, &triangles, &skin, joints), target, options))
    };
    let merged = merge_sides(half(Side::Right)?, half(Side::Left)?, lean);
    cloth(target, |_| merged.clone(), joints, options, times)
}
