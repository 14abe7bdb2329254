//! `fit`, `check` and `mend`: files in, files out.

use crate::args::{Check, Fit, Mend, PieceArg, TrialArgs};
use crate::progress::Progress;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::Instant;
use tin_cloak_workshop::{
    bind_piece, clip_trials, export_glb, measure_board, mend as mend_dress, range_trials, read,
    retarget_trials, sort_document, BindOptions, Body, Companions, Document, Dress, FollowWish, MendOptions,
    Piece, PieceKind, Recipe, Report, TrialSet, WorkshopError,
};

/// Frames tried of each clip.
const CLIP_FRAMES: usize = 24;

type Outcome = Result<ExitCode, Box<dyn std::error::Error>>;

/// Something about a file that no reader of its content could know.
#[derive(Debug, thiserror::Error)]
enum FileError {
    #[error("{path} cannot be read ({source}): check the path and its permissions")]
    Open { path: String, source: std::io::Error },
    #[error("{path} cannot be written ({source}): check the folder and its permissions")]
    Save { path: String, source: std::io::Error },
    #[error("--tolerance-mm, --margin-mm and --limit-mm must be numbers from 0 up")]
    Number,
}

fn load(path: &Path) -> Result<Document, Box<dyn std::error::Error>> {
    let file = path.display().to_string();
    let bytes = std::fs::read(path).map_err(|source| FileError::Open { path: file.clone(), source })?;
    Ok(read(&file, &bytes, &Companions::new()).map_err(|source| WorkshopError::Read { file, source })?)
}

fn save(path: &Path, bytes: &[u8]) -> Result<(), FileError> {
    std::fs::write(path, bytes).map_err(|source| FileError::Save { path: path.display().to_string(), source })
}

fn save_report(path: Option<&Path>, report: &Report) -> Result<(), Box<dyn std::error::Error>> {
    if let Some(path) = path {
        save(path, &serde_json::to_vec_pretty(report)?)?;
    }
    Ok(())
}

pub(crate) fn fit(args: &Fit) -> Outcome {
    let started = Instant::now();
    let name = args.body.display().to_string();
    let (body, _) = sort_document(&name, load(&args.body)?, args.body_mesh.as_deref())?;
    let mut dress = Dress { body: Arc::new(body), pieces: Vec::new() };
    let options = BindOptions {
        method: args.method.into(),
        max_influences: usize::from(args.max_influences),
        ..BindOptions::default()
    };
    let (mut loads, mut recipes) = (Vec::new(), Vec::new());
    for (i, arg) in args.pieces.iter().enumerate() {
        let loading = Instant::now();
        let before = dress.pieces.len();
        add_pieces(&mut dress, arg, i as u16 + 1)?;
        let each = loading.elapsed().as_secs_f64() / (dress.pieces.len() - before).max(1) as f64;
        loads.resize(dress.pieces.len(), each);
        let joint = arg.joint.iter().map(|name| (None, FollowWish::Joint(name.clone()))).collect();
        let recipe = Recipe { options: options.clone(), follows: joint, ..Recipe::default() };
        recipes.resize(dress.pieces.len(), recipe);
    }
    let mut order: Vec<usize> = (0..dress.pieces.len()).collect();
    order.sort_by_key(|&i| dress.pieces[i].layer);
    dress.sort();

    let mut times = Vec::new();
    for i in 0..dress.pieces.len() {
        let (bound, time) = bind_piece(&dress.body, &dress.pieces[i], &recipes[order[i]])?;
        dress.pieces[i].bound = Some(Arc::new(bound));
        times.push(time);
    }
    save(&args.out, &export_glb(&dress)?)?;

    let mut report = Report::of_pieces(&dress, 0.5);
    for (i, entry) in report.pieces.iter_mut().enumerate() {
        entry.seconds.load = loads[order[i]];
        entry.seconds.matching = times[i].matching;
        entry.seconds.solve = times[i].solving;
        entry.seconds.total = entry.seconds.load + times[i].matching + times[i].solving;
    }
    report.seconds.total = started.elapsed().as_secs_f64();
    save_report(args.report.as_deref(), &report)?;
    for p in &report.pieces {
        let matched = p.matched_share * 100.0;
        println!(
            "{}: layer {}, {}, {matched:.1} % matched, {:.0} ms",
            p.name,
            p.layer,
            p.method,
            p.seconds.total * 1e3
        );
    }
    Ok(ExitCode::SUCCESS)
}

fn add_pieces(dress: &mut Dress, arg: &PieceArg, position: u16) -> Result<(), Box<dyn std::error::Error>> {
    let document = load(&arg.file)?;
    let marked_body = |m: &tin_cloak_workshop::MeshPart| m.mark.as_ref().is_some_and(|k| k.role == "body");
    for part in document.meshes.into_iter().filter(|m| !marked_body(m)) {
        let mark = part.mark.clone();
        let layer = arg.layer.or(mark.as_ref().and_then(|m| m.layer)).unwrap_or(position);
        let kind = arg.kind.or(mark.and_then(|m| m.kind)).unwrap_or(PieceKind::Soft);
        let piece = Piece::new(part, layer, kind, &dress.body, false);
        dress.pieces.push(piece);
    }
    Ok(())
}

/// A dressed GLB as body and bound pieces; unmarked pieces get layers in the file's order.
fn load_dressed(path: &Path, trial: &TrialArgs) -> Result<Dress, Box<dyn std::error::Error>> {
    if !trial.tolerance_mm.is_finite() || trial.tolerance_mm < 0.0 {
        return Err(FileError::Number.into());
    }
    let name = path.display().to_string();
    let (body, parts) = sort_document(&name, load(path)?, trial.body_mesh.as_deref())?;
    let body = Arc::new(body);
    let mut pieces = Vec::new();
    for (i, part) in parts.into_iter().filter(|p| p.skin.is_some()).enumerate() {
        let layer = part.mark.as_ref().and_then(|m| m.layer).unwrap_or(i as u16 + 1);
        let kind = part.mark.as_ref().and_then(|m| m.kind).unwrap_or_default();
        pieces.push(Piece::new(part, layer, kind, &body, true));
    }
    if pieces.is_empty() {
        return Err(WorkshopError::NothingWorn { file: name }.into());
    }
    let mut dress = Dress { body, pieces };
    dress.sort();
    Ok(dress)
}

fn trials(body: &Body, trial: &str) -> Result<TrialSet, Box<dyn std::error::Error>> {
    match trial {
        "range" => Ok(range_trials(body)),
        "clips" if body.clips.is_empty() => {
            Err(WorkshopError::NoClips { file: "the dressed file".to_owned() }.into())
        }
        "clips" => Ok(clip_trials(body, CLIP_FRAMES)),
        file => Ok(retarget_trials(body, file, &load(Path::new(file))?, CLIP_FRAMES)?),
    }
}

fn measured(dress: &Dress, set: &TrialSet, tolerance: f32) -> Result<(Report, usize), WorkshopError> {
    let progress = Progress::new("measuring");
    let board = measure_board(dress, set, tolerance, &|s| progress.tell(s))?;
    progress.done();
    let mut report = Report::of_pieces(dress, tolerance);
    report.add_board(&board);
    report.skipped_poses = set
        .skipped
        .iter()
        .map(|(name, why)| tin_cloak_workshop::SkippedEntry { name: name.clone(), why: why.clone() })
        .collect();
    Ok((report, board.bad_cells()))
}

fn say_worst(report: &Report) {
    match &report.worst {
        Some(w) => println!("deepest {:.2} mm: {} through {}, {}", w.deepest_mm, w.inner, w.outer, w.pose),
        None => println!("clear: nothing pokes through by more than {} mm", report.tolerance_mm),
    }
    for skipped in &report.skipped_poses {
        println!("left out: {} ({})", skipped.name, skipped.why);
    }
}

pub(crate) fn check(args: &Check) -> Outcome {
    let started = Instant::now();
    let dress = load_dressed(&args.dressed, &args.trial)?;
    let set = trials(&dress.body, &args.trial.trial)?;
    let (mut report, bad) = measured(&dress, &set, args.trial.tolerance_mm)?;
    report.seconds.total = started.elapsed().as_secs_f64();
    save_report(args.report.as_deref(), &report)?;
    say_worst(&report);
    Ok(if bad > 0 { ExitCode::from(1) } else { ExitCode::SUCCESS })
}

pub(crate) fn mend(args: &Mend) -> Outcome {
    let started = Instant::now();
    let wrong = |x: f32| !x.is_finite() || x < 0.0;
    if wrong(args.margin_mm) || wrong(args.limit_mm) {
        return Err(FileError::Number.into());
    }
    let mut dress = load_dressed(&args.dressed, &args.trial)?;
    let set = trials(&dress.body, &args.trial.trial)?;
    let options = MendOptions {
        tolerance_mm: args.trial.tolerance_mm,
        margin_mm: args.margin_mm,
        limit_mm: args.limit_mm,
    };
    let progress = Progress::new("mending");
    let outcome = mend_dress(&dress, &[], &set, options, &|s| progress.tell(s))?;
    progress.done();
    for (piece, rest) in dress.pieces.iter_mut().zip(outcome.rest) {
        if let Some(rest) = rest {
            *piece = piece.clone().moved_to(rest, &dress.body);
        }
    }
    save(&args.out, &export_glb(&dress)?)?;
    let (mut report, _) = measured(&dress, &set, args.trial.tolerance_mm)?;
    report.notes = outcome.notes;
    report.seconds.total = started.elapsed().as_secs_f64();
    save_report(args.report.as_deref(), &report)?;
    report.notes.iter().for_each(|n| println!("{n}"));
    say_worst(&report);
    Ok(ExitCode::SUCCESS)
}
