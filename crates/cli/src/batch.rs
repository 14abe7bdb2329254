//! `fit`, `check` and `mend`: arguments to use cases, files in and out, and what is said.

use crate::args::{Check, FitArgs, Mend, PieceArg, ToleranceArg, TrialArgs};
use crate::progress::Progress;
use std::path::Path;
use std::process::ExitCode;
use tin_cloak_workshop::{
    fit_files_by, junit, pair_rows, through_in_words, BindOptions, DressedFile, FollowedShapes, JobRow,
    MeansKind, MendOptions, NamedFile, OnlyAgainst, OutfitRecipe, PairTolerance, PieceFile, Plan, Report,
    TrialPlan, TrialSays, TrialWish, Tried, WorkshopError,
};

pub(crate) type Outcome = Result<ExitCode, Box<dyn std::error::Error>>;

/// Something about a file that no reader of its content could know.
#[derive(Debug, thiserror::Error)]
pub(crate) enum FileError {
    #[error("{path} cannot be read ({source}): check the path and its permissions")]
    Open { path: String, source: std::io::Error },
    #[error("{path} cannot be written ({source}): check the folder and its permissions")]
    Save { path: String, source: std::io::Error },
    #[error("--tolerance-mm, --margin-mm and --limit-mm must be numbers from 0 up")]
    Number,
    #[error("{path}: say what form that is by its ending: glb, zip, usda, usdz, obj, csv, json or bvh")]
    Form { path: String },
    #[error("a BVH is of one motion: name it with --motion")]
    OneMotion,
    #[error("weights are of one piece: name it with --piece")]
    OnePiece,
    #[error("{path} goes out at rest: leave out --pose, or write an obj")]
    NoPose { path: String },
    #[error("--out is missing: say where the mended GLB goes")]
    NoOut,
    #[error("--unit {unit} is none of m, cm, mm, in and ft")]
    Unit { unit: String },
}

pub(crate) fn load(path: &Path) -> Result<NamedFile, FileError> {
    let name = path.display().to_string();
    let bytes = std::fs::read(path).map_err(|source| FileError::Open { path: name.clone(), source })?;
    Ok(NamedFile { name, bytes })
}

pub(crate) fn save(path: &Path, bytes: &[u8]) -> Result<(), FileError> {
    std::fs::write(path, bytes).map_err(|source| FileError::Save { path: path.display().to_string(), source })
}

pub(crate) fn save_report(path: Option<&Path>, report: &Report) -> Result<(), Box<dyn std::error::Error>> {
    if let Some(path) = path {
        save(path, &serde_json::to_vec_pretty(report)?)?;
    }
    Ok(())
}

pub(crate) fn fit(args: &FitArgs) -> Outcome {
    let piece = |arg: &PieceArg| -> Result<PieceFile, FileError> {
        let PieceArg { file, layer, kind, joint, keeps, mesh } = arg.clone();
        Ok(PieceFile { file: load(&file)?, layer, kind, joint, keeps, mesh })
    };
    let body = load(&args.body)?;
    let files: Vec<PieceFile> = args.pieces.iter().map(piece).collect::<Result<_, _>>()?;
    let options = BindOptions {
        method: args.method.into(),
        max_influences: usize::from(args.max_influences),
        ..BindOptions::default()
    };
    let follow = match args.follow.as_slice() {
        [] => FollowedShapes::None,
        [one] if one == "none" => FollowedShapes::None,
        [one] if one == "all" => FollowedShapes::All,
        some => FollowedShapes::These(some.to_vec()),
    };
    let recipe = match &args.recipe {
        Some(file) => Some(OutfitRecipe::of_json(&file.display().to_string(), &load(file)?.bytes)?),
        None => None,
    };
    let (bytes, mut report) =
        fit_files_by(&body, args.body_mesh.as_deref(), &files, &options, &follow, recipe)?;
    save(&args.out, &bytes)?;
    if args.report.is_some() {
        // Measured as `check` would measure it.
        let made = NamedFile { name: args.out.display().to_string(), bytes };
        let dressed = DressedFile::open(&made, None, &TrialWish::Range, &TrialSays::default())?;
        report.take_poses(measured(&dressed)?.0);
    }
    save_report(args.report.as_deref(), &report)?;
    report.notes.iter().for_each(|n| println!("{n}"));
    for p in &report.pieces {
        let (share, ms) = (p.matched_share * 100.0, p.seconds.total * 1e3);
        println!("{}: layer {}, {}, {share:.1} % matched, {ms:.0} ms", p.name, p.layer, p.method);
    }
    Ok(ExitCode::SUCCESS)
}

/// A dressed file in the poses asked for; in those of `unsaid` where none are.
fn open(
    path: &Path,
    trial: &TrialArgs,
    unsaid: TrialWish,
) -> Result<DressedFile, Box<dyn std::error::Error>> {
    if trial.tolerances.iter().any(|t| is_no_length(t.mm)) {
        return Err(FileError::Number.into());
    }
    let wish = match trial.trial.as_deref() {
        None => unsaid,
        Some("range") => TrialWish::Range,
        Some("clips") => TrialWish::Clips,
        Some("kept") => TrialWish::AsTheFileSays,
        Some(set) if set.ends_with(".json") => {
            TrialWish::Set(TrialPlan::of_json(set, &load(Path::new(set))?.bytes)?)
        }
        Some(file) => TrialWish::Motion(load(Path::new(file))?),
    };
    let of_pair = |t: &ToleranceArg| {
        let (outer, inner) = t.pair.clone()?;
        Some(PairTolerance { outer, inner, tolerance_mm: t.mm })
    };
    let tolerances = trial.tolerances.iter().filter_map(of_pair).collect();
    let (frames, every_pair) = (trial.frames, trial.every_pair);
    let says = TrialSays { frames, tolerance_mm: Some(tolerance_mm(trial)), tolerances, every_pair };
    Ok(DressedFile::open(&load(path)?, trial.body_mesh.as_deref(), &wish, &says)?)
}

/// Tries what may help, tells of it, and does it where that is wished.
fn plan(args: &Mend) -> Outcome {
    let mut dressed = open(&args.dressed, &args.trial, TrialWish::AsTheFileSays)?;
    let only: Vec<MeansKind> = args.only.iter().map(|m| (*m).into()).collect();
    let progress = Progress::new("planning");
    let plan = dressed.plan(&only, &|s| progress.tell(s))?;
    progress.done();
    say_plan(&plan);
    if let Some(out) = &args.out {
        dressed.do_plan(&|_| true)?;
        save(out, &dressed.glb()?)?;
        if args.report.is_some() {
            save_report(args.report.as_deref(), &measured(&dressed)?.0)?;
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn say_plan(plan: &Plan) {
    println!("{} cells out of tolerance, {} when all of this is done:", plan.cells.0, plan.cells.1);
    for (n, tried) in plan.steps.iter().enumerate() {
        println!("{}. {}", n + 1, said(tried));
    }
    for tried in &plan.no_help {
        println!("brings nothing: {}", said(tried));
    }
    if let Some(held) = plan.held.in_words() {
        println!("{held}");
    }
    for (cells, why) in &plan.left {
        println!("left, {cells}: {why}");
    }
}

fn said(tried: &Tried) -> String {
    let Tried { means, brought } = tried;
    match brought {
        Err(why) => format!("{} ({}): {why}", means.words, means.why),
        Ok(b) => {
            let cells = format!("{} → {} cells", b.cells.0, b.cells.1);
            let all: Vec<String> = std::iter::once(cells).chain(b.more_in_words()).collect();
            format!("{} ({}): {}", means.words, means.why, all.join("; "))
        }
    }
}

/// What is let pass everywhere, millimetres.
fn tolerance_mm(trial: &TrialArgs) -> f32 {
    trial.tolerances.iter().rev().find(|t| t.pair.is_none()).map_or(0.5, |t| t.mm)
}

pub(crate) fn is_no_length(mm: f32) -> bool {
    !mm.is_finite() || mm < 0.0
}

pub(crate) fn measured(dressed: &DressedFile) -> Result<(Report, usize), WorkshopError> {
    let progress = Progress::new("measuring");
    let measured = dressed.measured(&|s| progress.tell(s))?;
    progress.done();
    Ok(measured)
}

/// Writes an outfit that was carried or changed, measures it, and tells what was said of it.
pub(crate) fn hand_out(
    dressed: &DressedFile,
    out: &Path,
    report_to: Option<&Path>,
    notes: Vec<String>,
) -> Outcome {
    save(out, &dressed.glb()?)?;
    let (mut report, _) = measured(dressed)?;
    report.notes.extend(notes);
    save_report(report_to, &report)?;
    report.notes.iter().for_each(|n| println!("{n}"));
    say_worst(&report);
    Ok(ExitCode::SUCCESS)
}

pub(crate) fn say_worst(report: &Report) {
    match &report.worst {
        Some(w) => {
            println!("deepest {:.2} mm: {}, {}", w.deepest_mm, through_in_words(&w.outer, &w.inner), w.pose)
        }
        None => println!("clear: nothing pokes through by more than {} mm", report.tolerance_mm),
    }
    for skipped in &report.skipped_poses {
        println!("left out: {} ({})", skipped.name, skipped.why);
    }
}

pub(crate) fn check(args: &Check) -> Outcome {
    let dressed = open(&args.dressed, &args.trial, TrialWish::Range)?;
    let (report, bad) = measured(&dressed)?;
    save_report(args.report.as_deref(), &report)?;
    if let Some(path) = &args.junit {
        save(path, junit(&[row_of(&dressed, &args.dressed, &report)?]).as_bytes())?;
    }
    say_worst(&report);
    Ok(if bad > 0 { ExitCode::from(1) } else { ExitCode::SUCCESS })
}

/// A checked file as a row of a table.
fn row_of(dressed: &DressedFile, path: &Path, report: &Report) -> Result<JobRow, WorkshopError> {
    let board = dressed.board(&|_| true)?;
    let outfit = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    let body = dressed.dress().body.name.clone();
    Ok(JobRow { outfit, body, pairs: pair_rows(&board), seconds: report.seconds.total, ..JobRow::default() })
}

pub(crate) fn mend(args: &Mend) -> Outcome {
    if args.plan || !args.only.is_empty() {
        return plan(args);
    }
    let Some(out) = &args.out else { return Err(FileError::NoOut.into()) };
    if is_no_length(args.margin_mm) || is_no_length(args.limit_mm) {
        return Err(FileError::Number.into());
    }
    let mut dressed = open(&args.dressed, &args.trial, TrialWish::Range)?;
    let (margin_mm, limit_mm, alike, rows) = (args.margin_mm, args.limit_mm, args.alike, args.keep_rows);
    let options = MendOptions { margin_mm, limit_mm, alike, rows, combined: args.combined };
    let (pair, pose, patch) = (args.pair.clone(), args.pose.clone(), args.patch.clone());
    let only = OnlyAgainst { pair, pose, patch };
    let progress = Progress::new("mending");
    let notes = dressed.mend(options, &only, &|s| progress.tell(s))?;
    progress.done();
    save(out, &dressed.glb()?)?;
    let (mut report, _) = measured(&dressed)?;
    report.notes.extend(notes);
    save_report(args.report.as_deref(), &report)?;
    report.notes.iter().for_each(|n| println!("{n}"));
    say_worst(&report);
    Ok(ExitCode::SUCCESS)
}
