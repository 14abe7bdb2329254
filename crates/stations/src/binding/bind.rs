//! Binding a piece by its recipe.

use crate::binding::sides::{leaning_of, sides_of};
use crate::binding::sources::{allowed_joints, SourceMesh};
use crate::binding::stiff::{find_joint, follows, on_cloth};
use crate::making::job::BindSeconds;
use std::time::Instant;
use tin_cloak_core::bind::sides::{keep_apart, merge_sides, one_side, BodySide};
use tin_cloak_core::bind::{
    add_falloffs, bind_between_ends, bind_stiff, bones, fill, heat_weights, match_along_normal,
    match_both_ways, match_surface, match_vertices, BindError, BindTarget, Falloff, Match, MatchSettings,
    Source,
};
use tin_cloak_core::intake::JointRole;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::from_mm;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::groups;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::recipe::{BindOptions, Method, Recipe};

/// Weights for `piece` from `body`: cloth by the method chosen, each stiff shell as a whole.
///
/// # Errors
/// When a named joint is not there or the weights cannot be solved for.
pub fn bind_piece(
    body: &Body,
    piece: &Piece,
    recipe: &Recipe,
) -> Result<(Bound, BindSeconds), WorkshopError> {
    let source = SourceMesh::of_body(body).following(body, recipe.joints.as_ref())?;
    bind_piece_to(&source, body, piece, &[], recipe)
}

/// The weights that the file of `piece` brings, on joints of `body`; joints it was given since take
/// their part.
///
/// # Errors
/// When its file has none, or none of its joints is matched.
pub fn as_it_came(
    piece: &Piece,
    own: &[Falloff],
    body: &Body,
    recipe: &Recipe,
) -> Result<Bound, WorkshopError> {
    let came = piece.came.as_ref().ok_or_else(|| WorkshopError::CameWithout { piece: piece.name.clone() })?;
    let mut skin = came.on(&body.skeleton, &recipe.came, &piece.name)?;
    if !own.is_empty() {
        let fail = |e: tin_cloak_core::skin::SkinError| WorkshopError::Bind {
            piece: piece.name.clone(),
            source: e.into(),
        };
        let most = skin.max_influences().max(recipe.options.max_influences);
        skin = add_falloffs(&skin, &piece.rest, own, body.skeleton.len(), most).map_err(fail)?;
    }
    Ok(Bound::by(Method::Came.word(), skin))
}

/// Weights for `piece` from any skinned surface at rest; its own joints take their part of the cloth.
///
/// # Errors
/// As [`bind_piece`].
pub fn bind_piece_to(
    mesh: &SourceMesh,
    body: &Body,
    piece: &Piece,
    own: &[Falloff],
    recipe: &Recipe,
) -> Result<(Bound, BindSeconds), WorkshopError> {
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    let options = &recipe.options;
    options.checked()?;
    let joints = body.skeleton.len();
    let groups = groups(piece);
    let follows = follows(piece, body, recipe, &groups).map_err(fail)?;
    let started = Instant::now();
    let mut times = BindSeconds::default();
    let target = BindTarget::new(&piece.rest, &piece.topology);
    let source = Source::new(&mesh.positions, &mesh.triangles, &mesh.skin, joints);
    if follows.iter().all(Option::is_some) {
        let skin = bind_stiff(&source, &target, &follows, &groups, None).map_err(fail)?.0;
        times.matching = started.elapsed().as_secs_f64();
        return Ok((Bound::by("stiff", skin), times));
    }
    let lean = options.apart_mm.map(|mm| leaning_of(piece, body, recipe, mm));
    let mut bound = match options.method {
        Method::Heat => by_heat(&target, body, recipe)?,
        Method::Ends => {
            let find = |name: &Option<String>| name.as_ref().map(|n| find_joint(body, n)).transpose();
            let [first, second] = [find(&options.ends[0]), find(&options.ends[1])];
            let joints = [first.map_err(fail)?, second.map_err(fail)?];
            let skin = bind_between_ends(&source, &target, joints, options.stretch).map_err(fail)?;
            let skin = skin.limit(options.max_influences);
            Bound::by(Method::Ends.word(), skin)
        }
        _ => match &lean {
            Some(lean) => apart(mesh, &target, lean, body, options, &mut times).map_err(fail)?,
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
        bound.skin = on_cloth(&source, &target, &follows, &groups, &bound.skin).map_err(fail)?;
    }
    times.matching = started.elapsed().as_secs_f64() - times.solving;
    Ok((bound, times))
}

fn by_heat(target: &BindTarget, body: &Body, recipe: &Recipe) -> Result<Bound, WorkshopError> {
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
fn found(source: &Source, target: &BindTarget, options: &BindOptions) -> Match {
    let mut settings = MatchSettings::for_target(target);
    settings.distance = options.match_mm.map_or(settings.distance, from_mm);
    settings.min_cosine = options.match_deg.to_radians().cos();
    match options.method {
        Method::Both => match_both_ways(source, target, settings),
        Method::Normal => match_along_normal(source, target, settings),
        Method::Vertex => match_vertices(source, target),
        _ => match_surface(source, target, settings),
    }
}

/// Cloth by one of the methods that ask the source vertex by vertex.
fn cloth(
    target: &BindTarget,
    find: impl Fn(&BindOptions) -> Match,
    joints: usize,
    options: &BindOptions,
    times: &mut BindSeconds,
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
    target: &BindTarget,
    lean: &[f32],
    body: &Body,
    options: &BindOptions,
    times: &mut BindSeconds,
) -> Result<Bound, BindError> {
    let (sides, joints) = (sides_of(body), body.skeleton.len());
    let half = |other: BodySide| -> Result<Match, BindError> {
        let (triangles, skin) = one_side(&mesh.triangles, &mesh.skin, &sides, other)?;
        Ok(found(&Source::new(&mesh.positions, &triangles, &skin, joints), target, options))
    };
    let merged = merge_sides(half(BodySide::Right)?, half(BodySide::Left)?, lean);
    cloth(target, |_| merged.clone(), joints, options, times)
}
