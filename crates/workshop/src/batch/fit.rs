//! A body and pieces from files, bound and made one.

use crate::binding::bind::{as_it_came, bind_piece, BindTimes};
use crate::binding::stiff::kept_stiff;
use crate::dress::body::{sort_document, Body};
use crate::dress::came::ENOUGH;
use crate::dress::dressed::Dress;
use crate::dress::own_joints::body_trials;
use crate::dress::own_joints::with_own_joints;
use crate::dress::piece::Piece;
use crate::dress::trials::clip_trials;
use crate::error::WorkshopError;
use crate::handover::export::export_glb;
use crate::intake::brought::brought;
use crate::measuring::report::Report;
use crate::state::bound::Bound;
use crate::state::own_joint::OwnJoint;
use crate::state::recipe::{BindOptions, FollowWish, Method, Recipe};
use crate::state::trial_plan::Frames;
use glam::Mat4;
use std::sync::Arc;
use std::time::Instant;
use tin_cloak_formats::{read, Companions, Document, MeshPart, PieceKind};

/// A file that was read from somewhere.
#[derive(Clone, Debug)]
pub struct NamedFile {
    /// What people call it: a path.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

impl NamedFile {
    /// What it holds.
    ///
    /// # Errors
    /// When it cannot be read.
    pub(crate) fn document(&self) -> Result<Document, WorkshopError> {
        let fail = |source| WorkshopError::Read { file: self.name.clone(), source };
        read(&self.name, &self.bytes, &Companions::new()).map_err(fail)
    }
}

/// A file of pieces and what was said of them; what was not said is taken from the file's marks.
#[derive(Clone, Debug)]
pub struct PieceFile {
    /// The file.
    pub file: NamedFile,
    /// Place in the pile; else its place among the files.
    pub layer: Option<u16>,
    /// How they move; cloth when nobody says.
    pub kind: Option<PieceKind>,
    /// The joint that stiff parts follow.
    pub joint: Option<String>,
    /// True to keep the weights of the file, false to bind anew; when nothing is said they are kept
    /// where nine in ten of its joints are the body's.
    pub keeps: Option<bool>,
    /// The mesh of the file; all of them when nothing is said.
    pub mesh: Option<String>,
}

/// Binds the pieces of `files` to the body of a file; answers the bytes of one GLB and the report.
///
/// # Errors
/// When a file cannot be read, no body is told, or a piece cannot be bound.
pub fn fit_files(
    (body, body_mesh): (&NamedFile, Option<&str>),
    files: &[PieceFile],
    options: &BindOptions,
) -> Result<(Vec<u8>, Report), WorkshopError> {
    let started = Instant::now();
    let (body, _) = sort_document(&body.name, body.document()?, body_mesh)?;
    let (mut worn, mut joints) = (Vec::new(), Vec::new());
    for (position, file) in (1..).zip(files) {
        worn.extend(pieces_of(file, position, options, (&body, &mut joints))?);
    }
    let body = with_own_joints(body, &joints)?;
    worn.iter_mut().try_for_each(|w| w.settle_came(&body))?;
    worn.sort_by_key(|w| w.piece.layer);
    let mut times = Vec::new();
    let poses = match options.bend_mm {
        None => Vec::new(),
        Some(_) => {
            let trials = body_trials(&body).and(clip_trials(&body, Frames::default()));
            trials.trials.iter().map(|t| body.skeleton.skin_matrices(&t.pose)).collect()
        }
    };
    for one in &mut worn {
        let (bound, time) = one.bind((&body, &poses))?;
        one.piece.bound = Some(Arc::new(bound));
        times.push(time);
    }
    let loads: Vec<f64> = worn.iter().map(|w| w.load).collect();
    let pieces = worn.into_iter().map(|w| w.piece).collect();
    let dress = Dress { body: Arc::new(body), pieces, said: Arc::default(), masked: Arc::default() };
    let bytes = export_glb(&dress)?;
    let mut report = Report::of_pieces(&dress, 0.5);
    for ((entry, load), BindTimes { matching, solving }) in report.pieces.iter_mut().zip(loads).zip(times) {
        entry.seconds.load = load;
        (entry.seconds.matching, entry.seconds.solve) = (matching, solving);
        entry.seconds.total = load + matching + solving;
    }
    report.seconds.total = started.elapsed().as_secs_f64();
    Ok((bytes, report))
}

/// A piece on its way.
struct Worn {
    piece: Piece,
    recipe: Recipe,
    /// Whether its file's weights are kept, when that was said.
    keeps: Option<bool>,
    /// Seconds its file took.
    load: f64,
}

impl Worn {
    /// Decides whether it keeps the weights of its file.
    fn settle_came(&mut self, body: &Body) -> Result<(), WorkshopError> {
        let Some(came) = self.piece.came.as_ref().filter(|_| self.keeps != Some(false)) else {
            let without = || WorkshopError::CameWithout { piece: self.piece.name.clone() };
            return if self.keeps == Some(true) { Err(without()) } else { Ok(()) };
        };
        let pairs = came.guessed_pairs(&body.skeleton);
        if came.matched_share(&pairs) >= ENOUGH {
            (self.recipe.came, self.recipe.options.method) = (pairs, Method::Came);
        } else if self.keeps == Some(true) {
            let names = came.carrying().into_iter().map(|j| came.skeleton.names[j.index()].clone());
            let missing: Vec<String> = names.filter(|n| pairs.iter().all(|p| p.0 != *n)).collect();
            let piece = self.piece.name.clone();
            return Err(WorkshopError::CameUnmatched { piece, missing: missing.join(", ") });
        }
        Ok(())
    }

    /// Bound to a body that is tried in poses (matrices of its joints).
    fn bind(&self, (body, poses): (&Body, &[Vec<Mat4>])) -> Result<(Bound, BindTimes), WorkshopError> {
        if self.recipe.options.method == Method::Came {
            return Ok((as_it_came((&self.piece, &[]), body, &self.recipe)?, BindTimes::default()));
        }
        let (mut bound, times) = bind_piece(body, &self.piece, &self.recipe)?;
        bound.skin = kept_stiff(body, &self.piece, &self.recipe, (&bound.skin, poses))?.0;
        Ok((bound, times))
    }
}

/// The pieces of a file; joints that they bring go behind `joints`.
fn pieces_of(
    file: &PieceFile,
    position: u16,
    options: &BindOptions,
    (body, joints): (&Body, &mut Vec<OwnJoint>),
) -> Result<Vec<Worn>, WorkshopError> {
    let loading = Instant::now();
    let Document { meshes, skeleton, .. } = file.file.document()?;
    let skeleton = skeleton.map(Arc::new);
    let is_body = |m: &MeshPart| m.mark.as_ref().is_some_and(|k| k.role == "body");
    let names = meshes.iter().map(|m| format!("“{}”", m.name)).collect::<Vec<_>>().join(", ");
    let wanted = |m: &MeshPart| file.mesh.as_ref().map_or(!is_body(m), |name| m.name == *name);
    let mut pieces = Vec::new();
    for mut part in meshes.into_iter().filter(wanted) {
        let mark = part.mark.clone();
        let layer = file.layer.or(mark.as_ref().and_then(|m| m.layer)).unwrap_or(position);
        let kind = file.kind.or(mark.and_then(|m| m.kind)).unwrap_or(PieceKind::Soft);
        let id = u32::from(position) * 1000 + pieces.len() as u32;
        let mut follows: Vec<_> =
            file.joint.iter().map(|name| (None, FollowWish::Joint(name.clone()))).collect();
        if file.keeps != Some(false) {
            let own = brought(&part, skeleton.as_deref(), &body.skeleton, id);
            follows.extend(own.follows);
            joints.extend(own.joints);
        }
        let recipe = Recipe { options: options.clone(), follows, ..Recipe::default() };
        let skin = part.skin.take();
        let mut piece = Piece::new(part, layer, kind, body, false).with_came(skin, skeleton.clone());
        piece.id = id;
        pieces.push(Worn { piece, recipe, keeps: file.keeps, load: 0.0 });
    }
    if let Some(mesh) = file.mesh.as_ref().filter(|_| pieces.is_empty()) {
        let (file, mesh) = (file.file.name.clone(), mesh.clone());
        return Err(WorkshopError::NoSuchMesh { file, mesh, meshes: names });
    }
    let each = loading.elapsed().as_secs_f64() / pieces.len().max(1) as f64;
    pieces.iter_mut().for_each(|w| w.load = each);
    Ok(pieces)
}
