//! Binding a piece to the body.

use crate::{Body, Bound, Piece, PieceKind, WorkshopError};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::time::Instant;
use tin_cloak_core::bind::{
    bind_stiff, fill, match_surface, nearest_surface, nearest_vertex, BindError, MatchSettings, Source,
    Target,
};
use tin_cloak_core::intake::{move_weight_off, JointRole};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_core::JointId;

/// How cloth takes its weights.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Method {
    /// Match the surface beneath where distance and normal agree, fill in the rest.
    #[default]
    Inpaint,
    /// Nearest surface point.
    Surface,
    /// Nearest vertex.
    Vertex,
}

impl Method {
    /// The word used in files and on the command line.
    pub fn word(self) -> &'static str {
        match self {
            Self::Inpaint => "inpaint",
            Self::Surface => "surface",
            Self::Vertex => "vertex",
        }
    }
}

/// How to bind.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct BindOptions {
    /// For cloth.
    pub method: Method,
    /// Most influences a vertex.
    pub max_influences: usize,
}

impl Default for BindOptions {
    fn default() -> Self {
        Self { method: Method::Inpaint, max_influences: 4 }
    }
}

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

/// Which joints a piece may follow.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct JointChoice {
    /// True for these alone, false for all but these.
    pub only: bool,
    /// By name.
    pub joints: Vec<String>,
}

/// The weights of the body that a piece may take: without control and attachment joints, and
/// without those that `choice` rules out. Their weight goes to the others of the vertex, or to the
/// nearest joint that is left.
///
/// # Errors
/// When a joint is not there or none is left.
pub(crate) fn weights_to_give(body: &Body, choice: Option<&JointChoice>) -> Result<Skin, WorkshopError> {
    let facts = body.joint_facts();
    let mut allowed: Vec<bool> =
        facts.iter().map(|f| !matches!(f.role, JointRole::Control | JointRole::Attachment)).collect();
    if let Some(choice) = choice {
        let named = choice.joints.iter().map(|name| {
            let missing = || WorkshopError::NoSuchJoint { joint: name.clone() };
            body.skeleton.find(name).ok_or_else(missing)
        });
        let named: Vec<JointId> = named.collect::<Result<_, _>>()?;
        let is_named = |j: usize| named.contains(&JointId(j as u16));
        // A joint that is named is wanted, whatever it is for.
        (0..allowed.len()).for_each(|j| {
            allowed[j] = if choice.only { is_named(j) } else { allowed[j] && !is_named(j) };
        });
    }
    let ids = |wanted: bool, list: &[bool]| -> Vec<JointId> {
        (0..list.len()).filter(|&j| list[j] == wanted).map(|j| JointId(j as u16)).collect()
    };
    let barred = ids(false, &allowed);
    if !barred.iter().any(|j| facts[j.index()].vertices > 0) {
        return Ok(body.welded_skin.clone());
    }
    let left = ids(true, &allowed);
    if left.is_empty() {
        return Err(WorkshopError::NoJointLeft);
    }
    let moved = move_weight_off(&body.welded_skin, &barred, &left, &body.rest, &body.skeleton);
    let fail = |source: SkinError| WorkshopError::Bind { piece: body.name.clone(), source: source.into() };
    Ok(moved.map_err(fail)?.skin)
}

/// Weights for `piece` from `body`: cloth by the method chosen, each stiff shell by one joint.
///
/// # Errors
/// When the named joint is not there or the weights cannot be solved for.
pub fn bind_piece(
    body: &Body,
    piece: &Piece,
    options: BindOptions,
) -> Result<(Bound, BindTimes), WorkshopError> {
    let skin = weights_to_give(body, None)?;
    bind_piece_to((&body.rest, &body.topology.triangles, &skin), &body.skeleton, piece, options)
}

/// Weights for `piece` from any skinned surface at rest (welded positions, triangles, weights).
///
/// # Errors
/// As [`bind_piece`].
pub(crate) fn bind_piece_to(
    (positions, triangles, skin): (&[Vec3], &[[u32; 3]], &Skin),
    skeleton: &Skeleton,
    piece: &Piece,
    options: BindOptions,
) -> Result<(Bound, BindTimes), WorkshopError> {
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    let forced = match &piece.joint {
        Some(name) => {
            let found = skeleton.find(name);
            Some(found.ok_or_else(|| fail(BindError::NoSuchJoint { name: name.clone() }))?)
        }
        None => None,
    };
    let started = Instant::now();
    let source = Source::new(positions, triangles, skin, skeleton.len());
    let target = Target::new(&piece.rest, &piece.topology);
    let stiff = stiff_shells(piece);
    let mut times = BindTimes::default();
    let mut bound = if stiff.iter().all(|s| *s) {
        Bound {
            skin: follow_one(&source, &target, &stiff, None, forced).map_err(fail)?,
            method: "stiff".to_owned(),
            matched_share: 1.0,
        }
    } else {
        soft(&source, &target, options, &mut times).map_err(fail)?
    };
    if stiff.contains(&true) && stiff.contains(&false) {
        bound.skin = follow_one(&source, &target, &stiff, Some(&bound.skin), forced).map_err(fail)?;
    }
    times.matching = started.elapsed().as_secs_f64() - times.solving;
    Ok((bound, times))
}

fn follow_one(
    source: &Source,
    target: &Target,
    stiff: &[bool],
    base: Option<&Skin>,
    forced: Option<JointId>,
) -> Result<Skin, BindError> {
    Ok(bind_stiff(source, target, stiff, base, forced)?.0)
}

fn soft(
    source: &Source,
    target: &Target,
    options: BindOptions,
    times: &mut BindTimes,
) -> Result<Bound, BindError> {
    let (skin, matched_share) = match options.method {
        Method::Inpaint => {
            let found = match_surface(source, target, MatchSettings::for_target(target));
            let share = found.share();
            let started = Instant::now();
            let filled = fill(target, found, source.joints, options.max_influences)?;
            times.solving = started.elapsed().as_secs_f64();
            (filled.skin, share)
        }
        Method::Surface => (nearest_surface(source, target)?.limit(options.max_influences), 1.0),
        Method::Vertex => (nearest_vertex(source, target)?.limit(options.max_influences), 1.0),
    };
    Ok(Bound { skin, method: options.method.word().to_owned(), matched_share })
}
