//! A body and pieces from files, bound and made one.

use crate::batch::named_file::NamedFile;
use crate::history::workshop::Workshop;
use std::collections::HashMap;
use std::sync::Arc;
use std::time::Instant;
use tin_cloak_formats::{MeshPart, PieceKind};
use tin_cloak_measure::measuring::report::Report;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::{FileRef, PieceId};
use tin_cloak_model::state::outfit_recipe::OutfitRecipe;
use tin_cloak_model::state::recipe::{BindOptions, FollowWish, Method};
use tin_cloak_model::state::step::{BindingStep, IntakeStep, PutOn, SeatingStep, Step};
use tin_cloak_stations::handover::export::export_glb;
use tin_cloak_stations::making::job::{BindSeconds, Job};

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

/// Which of the body's shapes pieces follow.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum FollowedShapes {
    /// None of them.
    #[default]
    None,
    /// Every one.
    All,
    /// Those of these names.
    These(Vec<String>),
}

/// Binds the pieces of `files` to the body of a file; answers the bytes of one GLB and the report.
///
/// # Errors
/// When a file cannot be read, no body is told, or a piece cannot be bound.
pub fn fit_files(
    body: &NamedFile,
    body_mesh: Option<&str>,
    files: &[PieceFile],
    options: &BindOptions,
    follow: &FollowedShapes,
) -> Result<(Vec<u8>, Report), WorkshopError> {
    fit_files_by(body, body_mesh, files, options, follow, None)
}

/// The same as a recipe says, where there is one; what of it could not be applied is among the report's notes.
///
/// # Errors
/// As [`fit_files`]; when nothing of the recipe is there.
pub fn fit_files_by(
    body: &NamedFile,
    body_mesh: Option<&str>,
    files: &[PieceFile],
    options: &BindOptions,
    follow: &FollowedShapes,
    recipe: Option<OutfitRecipe>,
) -> Result<(Vec<u8>, Report), WorkshopError> {
    let started = Instant::now();
    let shop = Arc::new(Workshop::passing()?);
    let fitting = shop.begin_file(body, body_mesh)?.0;
    let (mut pieces, mut loads, mut of_file) = (Vec::new(), Vec::new(), Vec::new());
    for (position, file) in (1..).zip(files) {
        let loading = Instant::now();
        let found = shop.pieces_of_file(file, position)?;
        let each = loading.elapsed().as_secs_f64() / found.len().max(1) as f64;
        loads.extend(found.iter().map(|_| each));
        of_file.extend(found.iter().map(|_| file));
        pieces.extend(found);
    }
    if pieces.is_empty() {
        return Err(WorkshopError::NothingToPutOn);
    }
    shop.run_at_once(fitting, &Step::Intake(IntakeStep::PutOn { pieces }))?;
    let room = shop.room(fitting, None)?;
    let ids: Vec<PieceId> = room.state.pieces.iter().map(|p| p.id).collect();
    for (&id, file) in ids.iter().zip(&of_file) {
        if is_kept(&room, id, file)? {
            continue;
        }
        shop.run_at_once(
            fitting,
            &Step::Binding(BindingStep::ChooseMethod { piece: id, options: options.clone() }),
        )?;
        if let Some(joint) = &file.joint {
            let follow = FollowWish::Joint(joint.clone());
            shop.run_at_once(
                fitting,
                &Step::Binding(BindingStep::Follow { piece: id, shell: None, follow }),
            )?;
        }
    }
    let mut notes = Vec::new();
    if let Some(recipe) = recipe {
        shop.run_at_once(fitting, &Step::Intake(IntakeStep::ApplyRecipe { recipe: Box::new(recipe) }))?;
        notes = shop.fitting(fitting)?.effect().notes;
    }
    let job = Job::alone(fitting);
    shop.run_in(fitting, &Step::Binding(BindingStep::Bind { pieces: Vec::new() }), &job)?;
    let shapes = match follow {
        FollowedShapes::None => None,
        FollowedShapes::All => Some(Vec::new()),
        FollowedShapes::These(names) => Some(names.clone()),
    };
    if let Some(shapes) = shapes {
        shop.run_in(
            fitting,
            &Step::Seating(SeatingStep::FollowShapes { pieces: Vec::new(), follow: true, shapes }),
            &job,
        )?;
    }
    let room = shop.room(fitting, None)?;
    let bytes = export_glb(&room.dress)?;
    let mut report = Report::of_pieces(&room.dress, room.state.tolerance_mm);
    let loads: HashMap<PieceId, f64> = ids.into_iter().zip(loads).collect();
    let bound: HashMap<PieceId, BindSeconds> = job.bind_seconds().into_iter().collect();
    for (entry, piece) in report.pieces.iter_mut().zip(&room.dress.pieces) {
        let load = loads.get(&piece.id).copied().unwrap_or_default();
        let BindSeconds { matching, solving } = bound.get(&piece.id).copied().unwrap_or_default();
        (entry.seconds.load, entry.seconds.matching, entry.seconds.solve) = (load, matching, solving);
        entry.seconds.total = load + matching + solving;
    }
    report.notes.extend(notes);
    report.seconds.total = started.elapsed().as_secs_f64();
    Ok((bytes, report))
}

/// Whether a piece keeps the weights of its file, as it was put on.
fn is_kept(room: &Room, id: PieceId, file: &PieceFile) -> Result<bool, WorkshopError> {
    let index = room.find(id)?;
    let piece = &room.dress.pieces[index];
    let is_known = room.recipe_of(id)?.options.method == Method::Came;
    match file.keeps {
        Some(true) if !is_known => Err(not_kept(room, piece)),
        Some(false) => Ok(false),
        _ => Ok(is_known),
    }
}

/// Why a piece cannot keep the weights of its file.
fn not_kept(room: &Room, piece: &Piece) -> WorkshopError {
    let name = piece.name.clone();
    let Some(came) = &piece.came else { return WorkshopError::CameWithout { piece: name } };
    let pairs = came.guessed_pairs(&room.dress.body.skeleton);
    let names = came.carrying().into_iter().map(|j| came.skeleton.names[j.index()].clone());
    let missing: Vec<String> = names.filter(|n| pairs.iter().all(|p| p.0 != *n)).collect();
    WorkshopError::CameUnmatched { piece: name, missing: missing.join(", ") }
}

impl Workshop {
    /// The pieces of a file, brought in, as they are put on.
    fn pieces_of_file(&self, file: &PieceFile, position: u16) -> Result<Vec<PutOn>, WorkshopError> {
        let source = self.kept_file(&file.file)?;
        let document = self.decoder.document(&|id| Ok(self.store.blob(id)?), &source)?;
        let is_body = |m: &MeshPart| m.mark.as_ref().is_some_and(|k| k.role == "body");
        let is_wanted = |m: &&MeshPart| file.mesh.as_ref().map_or(!is_body(m), |name| m.name == *name);
        let put_on = |part: &MeshPart| {
            let mark = part.mark.as_ref();
            let FileRef { file: blob, file_name, .. } = source.clone();
            PutOn {
                file: blob,
                file_name,
                mesh: part.name.clone(),
                layer: file.layer.or(mark.and_then(|m| m.layer)).unwrap_or(position),
                kind: file.kind.or(mark.and_then(|m| m.kind)).unwrap_or(PieceKind::Soft),
            }
        };
        let found: Vec<PutOn> = document.meshes.iter().filter(is_wanted).map(put_on).collect();
        match file.mesh.as_ref().filter(|_| found.is_empty()) {
            None => Ok(found),
            Some(mesh) => {
                let names: Vec<String> = document.meshes.iter().map(|m| format!("“{}”", m.name)).collect();
                let (file, mesh, meshes) = (file.file.name.clone(), mesh.clone(), names.join(", "));
                Err(WorkshopError::NoSuchMesh { file, mesh, meshes })
            }
        }
    }
}
