//! `serve` and `demo`: the application on an address of this machine.

use crate::args::Serve;
use std::fs::TryLockError;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;
use tin_cloak_workshop::{Compacted, Workshop};

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

fn fill(folder: &Path) -> Result<i64, Box<dyn std::error::Error>> {
    eprintln!("making Wick and his clothes, and dressing him …");
    let workshop = Arc::new(Workshop::open(folder)?);
    tin_cloak_demo::fill(&workshop).map_err(|error| format!("{}: {error}", folder.display()).into())
}

/// Holds a folder for this server, until what is answered is dropped or the program ends, however it ends: two would
/// each keep in memory what the other has changed.
fn alone_in(folder: &Path) -> Result<std::fs::File, Box<dyn std::error::Error>> {
    let shown = folder.display();
    let cannot =
        |e: std::io::Error| format!("{shown} cannot be written ({e}): check the folder and its permissions");
    std::fs::create_dir_all(folder).map_err(cannot)?;
    let file = std::fs::File::create(folder.join("in-use")).map_err(cannot)?;
    file.try_lock().map_err(|refused| match refused {
        TryLockError::Error(error) => cannot(error),
        TryLockError::WouldBlock => {
            format!("{shown} is served already: stop that server, or name another folder with --data")
        }
    })?;
    Ok(file)
}

/// Least memory that is taken when nothing is said, megabytes.
const LEAST_MB: u64 = 512;

/// Bytes of memory for what can be made again.
fn memory(args: &Serve) -> u64 {
    let quarter = || machine_mb().map_or(2 * LEAST_MB, |all| (all / 4).max(LEAST_MB));
    args.memory.unwrap_or_else(quarter) << 20
}

/// What the machine has, megabytes, where it says so in a file as Linux does.
fn machine_mb() -> Option<u64> {
    let text = std::fs::read_to_string("/proc/meminfo").ok()?;
    let line = text.lines().find_map(|l| l.strip_prefix("MemTotal:"))?;
    Some(line.trim().strip_suffix("kB")?.trim().parse::<u64>().ok()? / 1024)
}

/// Serves what is in a folder; the board of one fitting is measured meanwhile.
fn launch(args: &Serve, folder: &Path, measured: Option<i64>) -> Outcome {
    let _ours = alone_in(folder)?;
    let workshop = Arc::new(Workshop::open_within(folder, memory(args))?);
    if args.compact {
        let Compacted { blobs, bytes: (before, after) } = workshop.compact()?;
        let mb = |bytes: u64| bytes as f64 * 1e-6;
        eprintln!("compacted: {blobs} blobs let go, {:.1} MB before, {:.1} MB now", mb(before), mb(after));
    }
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
