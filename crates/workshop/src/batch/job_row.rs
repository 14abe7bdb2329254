//! What came of a job: a row of the table, kept as a file so that a batch that was killed goes on where it was.

use crate::batch::jobs_file::Job;
use serde::{Deserialize, Serialize};
use std::fmt::Write;
use std::path::{Path, PathBuf};
use tin_cloak_model::error::WorkshopError;

/// What came of a job.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct JobRow {
    /// What the outfit is called.
    pub outfit: String,
    /// What the body is called.
    pub body: String,
    /// How it ended.
    pub verdict: JobVerdict,
    /// Cells of its board out of tolerance, those that cannot be measured among them.
    pub cells_out: usize,
    /// The deepest, millimetres.
    pub deepest_mm: f32,
    /// Cells of rest and eight poses, before the long work.
    pub quick_cells_out: usize,
    /// Seconds of all of it.
    pub seconds: f64,
    /// What could not be carried to the body, a sentence each.
    pub not_carried: Vec<String>,
    /// The pairs of layers: outer, inner, and in which poses by how many millimetres they are out.
    pub pairs: Vec<PairRow>,
    /// Why it failed, if it did.
    pub error: String,
    /// What it was made of: another body, outfit or wish is another job.
    pub made_of: String,
    /// Folder of its files, from that of the batch.
    pub folder: String,
}

/// How a job ended.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum JobVerdict {
    /// Nothing is out of tolerance.
    Clear,
    /// Something is.
    Out,
    /// It could not be done.
    #[default]
    Failed,
}

impl JobVerdict {
    /// The word people read.
    pub fn word(self) -> &'static str {
        match self {
            Self::Clear => "clear",
            Self::Out => "out of tolerance",
            Self::Failed => "failed",
        }
    }
}

/// Two layers of a job.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PairRow {
    pub outer: String,
    pub inner: String,
    /// Poses out of tolerance, with how deep.
    pub out: Vec<(String, f32)>,
}

/// Where the files of a batch lie.
#[derive(Clone, Debug)]
pub struct BatchFolder(pub PathBuf);

impl BatchFolder {
    fn row_path(&self, job: Job, kind: &str) -> PathBuf {
        self.0.join("rows").join(format!("{}--{}{kind}.json", job.outfit.folder(), job.body.folder()))
    }

    /// The folder of a job, from that of the batch.
    pub(super) fn of_job(job: Job) -> String {
        format!("{}/{}", job.outfit.folder(), job.body.folder())
    }

    /// The row of a job that was done of the same things.
    pub(super) fn done(&self, job: Job, made_of: &str) -> Option<JobRow> {
        self.read(&self.row_path(job, "")).filter(|row| row.made_of == made_of)
    }

    /// What is known of a job before the long work.
    pub(super) fn begun(&self, job: Job, made_of: &str) -> Option<JobRow> {
        self.read(&self.row_path(job, ".quick")).filter(|row| row.made_of == made_of)
    }

    fn read(&self, path: &Path) -> Option<JobRow> {
        serde_json::from_slice(&std::fs::read(path).ok()?).ok()
    }

    pub(super) fn keep(&self, job: Job, row: &JobRow) -> Result<(), WorkshopError> {
        write_whole(&self.row_path(job, ""), &serde_json::to_vec_pretty(row)?)?;
        let _ = std::fs::remove_file(self.row_path(job, ".quick"));
        Ok(())
    }

    pub(super) fn keep_begun(&self, job: Job, row: &JobRow) -> Result<(), WorkshopError> {
        write_whole(&self.row_path(job, ".quick"), &serde_json::to_vec_pretty(row)?)?;
        // What it ended with before, of other things or in a failure, is no longer so.
        let _ = std::fs::remove_file(self.row_path(job, ""));
        Ok(())
    }

    /// All rows that are there, the worst first: failed ones, then by cells and depth.
    ///
    /// # Errors
    /// When there are none.
    pub fn rows(&self) -> Result<Vec<JobRow>, WorkshopError> {
        let missing = || WorkshopError::NoRows { folder: self.0.display().to_string() };
        let entries = std::fs::read_dir(self.0.join("rows")).map_err(|_| missing())?;
        let paths = entries.flatten().map(|e| e.path());
        let whole = |p: &PathBuf| {
            p.extension().is_some_and(|e| e == "json") && !p.to_string_lossy().ends_with(".quick.json")
        };
        let mut rows: Vec<JobRow> = paths.filter(whole).filter_map(|p| self.read(&p)).collect();
        if rows.is_empty() {
            return Err(missing());
        }
        rows.sort_by(|a, b| {
            let worst = b.verdict.cmp(&a.verdict).then(b.cells_out.cmp(&a.cells_out));
            let deeper = b.deepest_mm.total_cmp(&a.deepest_mm);
            worst.then(deeper).then((&a.outfit, &a.body).cmp(&(&b.outfit, &b.body)))
        });
        Ok(rows)
    }
}

/// Writes a file so that it is there whole or not at all.
///
/// # Errors
/// When the folder or the disk does not allow it.
pub fn write_whole(path: &Path, bytes: &[u8]) -> Result<(), WorkshopError> {
    let fail = |source: std::io::Error| WorkshopError::Save { path: path.display().to_string(), source };
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder).map_err(fail)?;
    }
    let mut part = path.as_os_str().to_owned();
    part.push(".part");
    std::fs::write(&part, bytes).and_then(|()| std::fs::rename(&part, path)).map_err(fail)
}

/// The rows as CSV, a header first.
///
/// # Errors
/// Never of a table of ours; a writer says so.
pub fn rows_csv(rows: &[JobRow]) -> Result<Vec<u8>, WorkshopError> {
    let mut out = csv::Writer::from_writer(Vec::new());
    let fail = |e: csv::Error| WorkshopError::Job(e.to_string());
    out.write_record([
        "outfit",
        "body",
        "verdict",
        "cells out",
        "deepest mm",
        "seconds",
        "not carried",
        "error",
    ])
    .map_err(fail)?;
    for row in rows {
        let (cells, deepest) = (row.cells_out.to_string(), format!("{:.2}", row.deepest_mm));
        let (seconds, lost) = (format!("{:.1}", row.seconds), row.not_carried.join("; "));
        out.write_record([
            &row.outfit,
            &row.body,
            row.verdict.word(),
            &cells,
            &deepest,
            &seconds,
            &lost,
            &row.error,
        ])
        .map_err(fail)?;
    }
    out.into_inner().map_err(|e| WorkshopError::Job(e.to_string()))
}

/// A suite of tests as build servers read them: a suite an outfit on a body, a test a pair of layers, its poses in the
/// message.
pub fn junit(rows: &[JobRow]) -> String {
    let mut out = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites>\n");
    for row in rows {
        let name = escaped(&format!("{} on {}", row.outfit, row.body));
        let (failed, errors) =
            (row.pairs.iter().filter(|p| !p.out.is_empty()).count(), usize::from(!row.error.is_empty()));
        let tests = row.pairs.len() + errors;
        let _ = writeln!(
            out,
            "<testsuite name=\"{name}\" tests=\"{tests}\" failures=\"{failed}\" errors=\"{errors}\" time=\"{:.1}\">",
            row.seconds
        );
        for pair in &row.pairs {
            let test = escaped(&format!("{} over {}", pair.outer, pair.inner));
            let poses: Vec<String> = pair.out.iter().map(|(pose, mm)| format!("{pose} {mm:.1} mm")).collect();
            let _ = match poses.is_empty() {
                true => writeln!(out, "<testcase classname=\"{name}\" name=\"{test}\"/>"),
                false => writeln!(
                    out,
                    "<testcase classname=\"{name}\" name=\"{test}\"><failure message=\"{}\"/></testcase>",
                    escaped(&poses.join(", "))
                ),
            };
        }
        if !row.error.is_empty() {
            let why = escaped(&row.error);
            let _ = writeln!(
                out,
                "<testcase classname=\"{name}\" name=\"carried\"><error message=\"{why}\"/></testcase>"
            );
        }
        out.push_str("</testsuite>\n");
    }
    out.push_str("</testsuites>\n");
    out
}

/// Text as XML has it in an attribute; what XML cannot have is left out.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\n' | '\t' | '\r' => out.push(' '),
            c if c < ' ' => {}
            c => out.push(c),
        }
    }
    out
}
