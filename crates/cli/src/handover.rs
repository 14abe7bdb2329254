//! `export` and `report`: a dressed body in other forms, and the page that tells of it.

use crate::args::{Export, ReportArgs};
use crate::batch::{is_no_length, load, save, FileError, Outcome};
use crate::progress::Progress;
use std::path::Path;
use std::process::ExitCode;
use tin_cloak_web::report_file;
use tin_cloak_workshop::core::intake::Up;
use tin_cloak_workshop::{
    bvh_of, glb_of, gltf_zip_of, obj_of, usda_of, usdz_of, weights_csv, weights_json, DressedFile, Frame,
    Limits, Parts, TrialPlan, TrialSays, TrialWish, Unit,
};

pub(crate) fn export(args: &Export) -> Outcome {
    let path = args.to.display().to_string();
    let ending = args.to.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase);
    let form = ending.as_deref().unwrap_or_default();
    if !["glb", "zip", "usda", "usdz", "obj", "csv", "json", "bvh"].contains(&form) {
        return Err(FileError::Form { path }.into());
    }
    if args.pose.is_some() && form != "obj" {
        return Err(FileError::NoPose { path }.into());
    }
    let limits = args.limits.as_deref().map(named_limits).transpose()?.unwrap_or_default();
    let frame = frame_of(args, &limits, form)?;
    let file = load(&args.dressed)?;
    let wish = TrialWish::AsTheFileSays;
    let open = DressedFile::open(&file, args.body_mesh.as_deref(), &wish, &TrialSays::default())?;
    let parts = Parts {
        pieces: args.pieces.clone(),
        without_body: args.without_body,
        clips: args.clips.clone(),
        tucks_in: args.tucks_in,
        frame,
        ..Parts::default()
    };
    let dress = open.dress();
    match form {
        "usda" => save(&args.to, usda_of(dress, &parts)?.as_bytes())?,
        "usdz" => save(&args.to, &usdz_of(dress, &parts)?)?,
        "obj" => {
            let library = args.to.with_extension("mtl");
            let name = library.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
            let (obj, mtl) = obj_of(dress, &parts, open.trials(), args.pose.as_deref(), &name)?;
            save(&args.to, obj.as_bytes())?;
            save(&library, mtl.as_bytes())?;
        }
        "bvh" => {
            let motion = args.motion.as_deref().ok_or(FileError::OneMotion)?;
            save(&args.to, bvh_of(dress, open.trials(), motion, frame)?.as_bytes())?;
        }
        "csv" | "json" => {
            let [piece] = args.pieces.as_slice() else { return Err(FileError::OnePiece.into()) };
            let text = if form == "csv" { weights_csv(dress, piece)? } else { weights_json(dress, piece)? };
            save(&args.to, text.as_bytes())?;
        }
        "zip" => save(&args.to, &gltf_zip_of(dress, &parts)?)?,
        _ => save(&args.to, &glb_of(dress, &parts)?)?,
    }
    let beyond = limits.broken_by(dress, open.trials(), frame)?;
    for b in &beyond {
        let cost = b.cost.as_ref().map_or(String::new(), |c| format!("; to keep it: {c}"));
        println!("{}: {}{cost}", b.of, b.words);
    }
    Ok(if beyond.is_empty() { ExitCode::SUCCESS } else { ExitCode::from(1) })
}

/// The frame that a file goes out in: as it is asked for, else as the limits say where the form leaves it open.
fn frame_of(args: &Export, limits: &Limits, form: &str) -> Result<Frame, FileError> {
    let asked = args
        .unit
        .as_deref()
        .map(|sign| Unit::of_sign(sign).ok_or_else(|| FileError::Unit { unit: sign.to_owned() }));
    let (asked, up) = (asked.transpose()?, args.up.map(Up::from));
    if !["usda", "usdz", "obj", "bvh"].contains(&form) {
        return Ok(Frame { unit: asked.unwrap_or_default(), up: up.unwrap_or_default() });
    }
    let usual = if form == "bvh" { Unit::Centimetre } else { Unit::Metre };
    Ok(Frame { unit: asked.or(limits.unit).unwrap_or(usual), up: up.or(limits.up).unwrap_or_default() })
}

pub(crate) fn report(args: &ReportArgs) -> Outcome {
    if is_no_length(args.tolerance_mm) {
        return Err(FileError::Number.into());
    }
    let wish = match &args.trial {
        None => TrialWish::AsTheFileSays,
        Some(set) => TrialWish::Set(TrialPlan::of_json(&set.display().to_string(), &load(set)?.bytes)?),
    };
    let limits = args.limits.as_deref().map(named_limits).transpose()?;
    let says = TrialSays { tolerance_mm: Some(args.tolerance_mm), ..TrialSays::default() };
    let open = DressedFile::open(&load(&args.dressed)?, None, &wish, &says)?;
    let progress = Progress::new("measuring");
    let board = open.proved(&|s| progress.tell(s))?;
    progress.done();
    let (shop, fitting) = open.fitting();
    if let Some(limits) = &limits {
        shop.keep_limits(limits)?;
    }
    save(&args.out, report_file(shop, fitting)?.as_bytes())?;
    Ok(if board.is_clear() { ExitCode::SUCCESS } else { ExitCode::from(1) })
}

/// Limits of a file, by the name that they have there or else the file's.
fn named_limits(file: &Path) -> Result<Limits, Box<dyn std::error::Error>> {
    let limits = Limits::of_json(&file.display().to_string(), &load(file)?.bytes)?;
    let stem = file.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    let name = if limits.name.is_empty() { stem } else { limits.name.clone() };
    Ok(Limits { name, ..limits })
}
