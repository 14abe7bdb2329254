//! A body and pieces from files, bound and made one.

use crate::binding::bind::{bind_piece, BindTimes};
use crate::dress::body::sort_document;
use crate::dress::dressed::Dress;
use crate::dress::piece::Piece;
use crate::error::WorkshopError;
use crate::handover::export::export_glb;
use crate::measuring::report::Report;
use crate::state::recipe::{BindOptions, FollowWish, Recipe};
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
    let mut worn = Vec::new();
    for (position, file) in (1..).zip(files) {
        worn.extend(pieces_of(file, position, options, &body)?);
    }
    worn.sort_by_key(|w| w.piece.layer);
    let mut times = Vec::new();
    for one in &mut worn {
        let (bound, time) = bind_piece(&body, &one.piece, &one.recipe)?;
        one.piece.bound = Some(Arc::new(bound));
        times.push(time);
    }
    let loads: Vec<f64> = worn.iter().map(|w| w.load).collect();
    let dress = Dress { body: Arc::new(body), pieces: worn.into_iter().map(|w| w.piece).collect() };
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
    /// Seconds its file took.
    load: f64,
}

fn pieces_of(
    file: &PieceFile,
    position: u16,
    options: &BindOptions,
    body: &crate::dress::body::Body,
) -> Result<Vec<Worn>, WorkshopError> {
    let loading = Instant::now();
    let is_body = |m: &MeshPart| m.mark.as_ref().is_some_and(|k| k.role == "body");
    let parts = file.file.document()?.meshes.into_iter().filter(|m| !is_body(m));
    let follows: Vec<_> = file.joint.iter().map(|name| (None, FollowWish::Joint(name.clone()))).collect();
    let one = |part: MeshPart| {
        let mark = part.mark.clone();
        let layer = file.layer.or(mark.as_ref().and_then(|m| m.layer)).unwrap_or(position);
        let kind = file.kind.or(mark.and_then(|m| m.kind)).unwrap_or(PieceKind::Soft);
        let recipe = Recipe { options: options.clone(), follows: follows.clone(), ..Recipe::default() };
        Worn { piece: Piece::new(part, layer, kind, body, false), recipe, load: 0.0 }
    };
    let mut pieces: Vec<Worn> = parts.map(one).collect();
    let each = loading.elapsed().as_secs_f64() / pieces.len().max(1) as f64;
    pieces.iter_mut().for_each(|w| w.load = each);
    Ok(pieces)
}
