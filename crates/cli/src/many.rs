//! `batch`: many outfits on many bodies.

use crate::args::BatchArgs;
use crate::batch::{load, save, Outcome};
use std::path::Path;
use std::process::ExitCode;
use tin_cloak_web::{batch_table, report_file};
use tin_cloak_workshop::{
    junit, rows_csv, Batch, BatchFolder, DressedFile, JobRow, JobVerdict, JobsFile, Shard, WorkshopError,
};

pub(crate) fn batch(args: &BatchArgs) -> Outcome {
    let out = BatchFolder(args.out.clone());
    let mut failed = false;
    if let Some(path) = args.jobs.as_deref().filter(|_| !args.merge) {
        let jobs = JobsFile::of_json(&path.display().to_string(), &load(path)?.bytes)?;
        let from = path.parent().unwrap_or(Path::new("")).to_owned();
        let shard = args.shard.unwrap_or(Shard::WHOLE);
        let rows = Batch { jobs: &jobs, from: &from, out: out.clone(), shard }.run(&besides, &say)?;
        failed = rows.iter().any(|row| row.verdict == JobVerdict::Failed);
    }
    let rows = out.rows()?;
    let table = |name: &str| args.out.join(name);
    save(&table("table.json"), &serde_json::to_vec_pretty(&rows)?)?;
    save(&table("table.csv"), &rows_csv(&rows)?)?;
    save(&table("table.html"), batch_table(&rows)?.as_bytes())?;
    save(&table("junit.xml"), junit(&rows).as_bytes())?;
    for verdict in [JobVerdict::Clear, JobVerdict::Out, JobVerdict::Failed] {
        let count = rows.iter().filter(|r| r.verdict == verdict).count();
        println!("{count} {}", verdict.word());
    }
    Ok(if failed { ExitCode::from(2) } else { ExitCode::SUCCESS })
}

/// Report and picture of a job.
fn besides(dressed: &DressedFile) -> Result<Vec<(String, Vec<u8>)>, WorkshopError> {
    let (shop, fitting) = dressed.fitting();
    let report = report_file(shop, fitting)?.into_bytes();
    let picture = shop.picture(fitting, tin_cloak_web::colour)?;
    Ok(vec![("report.html".to_owned(), report), ("picture.png".to_owned(), picture)])
}

/// One line a job.
fn say(row: &JobRow, quick: bool) {
    let which = if quick { "rest and 8 poses" } else { "all poses" };
    let JobRow { outfit, body, cells_out, deepest_mm, seconds, error, .. } = row;
    match row.verdict {
        JobVerdict::Failed => eprintln!("tin-cloak: {outfit} on {body}: {error}"),
        _ => println!(
            "{outfit} on {body}, {which}: {cells_out} cells out, deepest {deepest_mm:.1} mm, {seconds:.0} s"
        ),
    }
}
