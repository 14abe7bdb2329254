//! The table of a batch as a page that needs nothing else: bodies down, outfits across, then every job, the worst
//! first.

use askama::Template;
use std::collections::BTreeSet;
use tin_cloak_workshop::{JobRow, JobVerdict, WorkshopError};

#[derive(Template)]
#[template(path = "batch_table.html")]
struct BatchTable<'a> {
    outfits: Vec<&'a str>,
    grid: Vec<(&'a str, Vec<Option<&'a JobRow>>)>,
    rows: &'a [JobRow],
}

/// The table of these rows, as HTML; links go from the folder of the batch.
///
/// # Errors
/// When the page cannot be written out.
pub fn batch_table(rows: &[JobRow]) -> Result<String, WorkshopError> {
    let outfits: BTreeSet<&str> = rows.iter().map(|r| r.outfit.as_str()).collect();
    let bodies: BTreeSet<&str> = rows.iter().map(|r| r.body.as_str()).collect();
    let outfits: Vec<&str> = outfits.into_iter().collect();
    let cell = |body: &str, outfit: &str| rows.iter().find(|r| r.body == body && r.outfit == outfit);
    let line = |body: &'_ str| outfits.iter().map(|outfit| cell(body, outfit)).collect::<Vec<_>>();
    let grid = bodies.iter().map(|body| (*body, line(body))).collect();
    let page = BatchTable { outfits: outfits.clone(), grid, rows };
    page.render().map_err(|e| WorkshopError::Job(e.to_string()))
}

/// The class of a cell, by how its job ended.
fn class(verdict: &JobVerdict) -> &'static str {
    match verdict {
        JobVerdict::Clear => "clear",
        JobVerdict::Out => "out",
        JobVerdict::Failed => "failed",
    }
}
