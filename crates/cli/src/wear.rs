//! `wear`: an outfit on another body.

use crate::args::WearArgs;
use crate::batch::{load, measured, save, save_report, say_worst, Outcome};
use crate::progress::Progress;
use std::process::ExitCode;
use tin_cloak_workshop::{wear_file, Wearing};

pub(crate) fn wear(args: &WearArgs) -> Outcome {
    let (dressed, body) = (load(&args.dressed)?, load(&args.body)?);
    let wearing = Wearing {
        from_mesh: args.dressed_mesh.clone(),
        body_mesh: args.body_mesh.clone(),
        stiff: args.stiff.into(),
    };
    let progress = Progress::new("carrying");
    let (worn, notes) = wear_file(&dressed, &body, &wearing, &|s| progress.tell(s))?;
    progress.done();
    save(&args.out, &worn.glb()?)?;
    let (mut report, _) = measured(&worn)?;
    report.notes.extend(notes);
    save_report(args.report.as_deref(), &report)?;
    report.notes.iter().for_each(|n| println!("{n}"));
    say_worst(&report);
    Ok(ExitCode::SUCCESS)
}
