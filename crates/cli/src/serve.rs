//! `serve` and `demo`: the application on an address of this machine.

use crate::args::Serve;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;
use tin_cloak_workshop::{Companions, Step, Workshop};

/// The demo's fittings.
const BARE: &str = "Lamplighter, to dress";
const DRESSED: &str = "Lamplighter, night round";

type Outcome = Result<ExitCode, Box<dyn std::error::Error>>;

pub(crate) fn serve(args: &Serve) -> Outcome {
    let folder = args.data.clone().unwrap_or_else(|| PathBuf::from("tin-cloak-data"));
    launch(args, &folder, None)
}

/// Fresh demo data, then serve. Without `--data` it lives in a temporary folder that goes
/// when the server stops.
pub(crate) fn demo(args: &Serve) -> Outcome {
    // Of a name that nobody has, whatever a demo that was killed left behind.
    let passing = || tempfile::Builder::new().prefix("tin-cloak-demo-").tempdir();
    let within = |folder: &Path| launch(args, folder, Some(fill(folder)?));
    match &args.data {
        Some(folder) => within(folder),
        None => within(passing()?.path()),
    }
}

/// Makes the demo's files in an empty store, and two fittings: one bare, to dress, and one dressed and bound,
/// whose board is measured while the page is being opened; its number is answered.
fn fill(folder: &Path) -> Result<i64, Box<dyn std::error::Error>> {
    let workshop = Arc::new(Workshop::open(folder)?);
    workshop.measure_behind(false);
    if !workshop.fittings()?.is_empty() {
        return Err(format!(
            "{} holds fittings already: demo wants a fresh folder; use `serve --data` for this one",
            folder.display()
        )
        .into());
    }
    eprintln!("making Wick and his clothes …");
    let mut wick = None;
    for file in tin_cloak_demo::wardrobe()? {
        let assets = workshop.bring_in(file.name, &file.bytes, &Companions::new())?;
        wick = wick.or(assets.iter().find(|a| a.role == "body").map(|a| a.id));
    }
    let wick = wick.ok_or("the demo has no body")?;
    workshop.begin(BARE, wick)?;
    let dressed = workshop.begin(DRESSED, wick)?;
    eprintln!("dressing him …");
    workshop.run_now(dressed, workshop.put_on_step(dressed, &[])?)?;
    workshop.run_now(dressed, Step::CureAll)?;
    workshop.run_now(dressed, Step::Bind { pieces: Vec::new() })?;
    Ok(dressed)
}

/// Serves what is in a folder; the board of one fitting is measured meanwhile.
fn launch(args: &Serve, folder: &Path, measured: Option<i64>) -> Outcome {
    let workshop = Arc::new(Workshop::open(folder)?);
    if let Some(fitting) = measured {
        workshop.measure(fitting)?;
    }
    let application = tin_cloak_web::application(workshop, args.address, args.port, &args.hosts);
    let shown = if args.address.is_ipv6() { format!("[{}]", args.address) } else { args.address.to_string() };
    let (shown, port) = (shown, args.port);
    let lift_off = rocket::fairing::AdHoc::on_liftoff("say where", move |_| {
        Box::pin(async move { println!("Tin Cloak is ready: http://{shown}:{port}/") })
    });
    let run = rocket::execute(application.attach(lift_off).launch());
    run.map_err(|e| {
        let busy = matches!(e.kind(), rocket::error::ErrorKind::Bind(_));
        let hint = if busy { ": the port is in use, choose another with --port" } else { "" };
        format!("the server could not start on port {}{hint}", args.port)
    })?;
    Ok(ExitCode::SUCCESS)
}
