//! A table of weights as text: with commas, semicolons or tabs, or as JSON; by vertices or by places.

use serde::{Deserialize, Serialize};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::by_hand::HandChange;

/// The change that a table of weights as text comes to: a head of `vertex` and joints, then a row a vertex, with
/// commas, semicolons or tabs between.
///
/// # Errors
/// Which line is wrong, and how.
pub fn table_of_csv(text: &str) -> Result<HandChange, WorkshopError> {
    let bad = |byte: u64, why: &str| WorkshopError::BadCsv { line: line_at(text, byte), why: why.to_owned() };
    let known = [b'\t', b';', b','].into_iter().find_map(|between| {
        let head = records(text, between).next()?.ok()?;
        let head: Vec<String> = head.iter().map(str::to_owned).collect();
        let by_place = head.len() > 3 && head[..3] == ["x", "y", "z"];
        let first = if by_place { 3 } else { 1 };
        let is_head = (by_place || head[0] == "vertex") && head.len() > first;
        is_head.then_some((between, head, by_place, first))
    });
    let Some((between, head, by_place, first)) = known else {
        return Err(match text.trim().is_empty() {
            true => bad(0, "it is empty"),
            false => bad(0, "it begins with “vertex”, or with “x”, “y” and “z”, then the names of joints"),
        });
    };
    let joints = head[first..].to_vec();
    let (mut rows, mut placed) = (Vec::new(), Vec::new());
    for record in records(text, between).skip(1) {
        let cells = record.map_err(|e| bad(e.position().map_or(0, csv::Position::byte), "it is no text"))?;
        let at = cells.position().map_or(0, csv::Position::byte);
        if cells.len() != head.len() {
            return Err(bad(at, &format!("{} cells, the head has {}", cells.len(), head.len())));
        }
        let number = |cell: &str| match cell.parse::<f32>() {
            Ok(weight) if (0.0..=1.0).contains(&weight) => Ok(weight),
            _ => Err(bad(at, &format!("“{cell}” is no weight of 0 to 1"))),
        };
        let weights = cells.iter().skip(first).map(number).collect::<Result<Vec<f32>, _>>()?;
        if by_place {
            let metres = |cell: &str| cell.parse::<f32>().ok().filter(|x| x.is_finite());
            let place = [metres(&cells[0]), metres(&cells[1]), metres(&cells[2])];
            let [Some(x), Some(y), Some(z)] = place else {
                return Err(bad(at, "its place is no three numbers"));
            };
            placed.push(([x, y, z], weights));
        } else {
            let vertex = cells[0].parse().map_err(|_| bad(at, &format!("“{}” is no vertex", &cells[0])))?;
            rows.push((vertex, weights));
        }
    }
    match (rows.is_empty(), placed.is_empty()) {
        (true, true) => Err(bad(0, "there is no row below the head")),
        (_, true) => Ok(HandChange::Table { joints, rows }),
        _ => Ok(HandChange::Placed { joints, rows: placed }),
    }
}

/// The line of the first row that begins at a byte or behind it; empty lines are none.
fn line_at(text: &str, byte: u64) -> usize {
    let begun = text.get(byte as usize..).unwrap_or_default();
    let empty = begun.len() - begun.trim_start_matches(['\r', '\n']).len();
    let before = text.get(..byte as usize + empty).unwrap_or_default();
    1 + before.matches('\n').count()
}

/// The rows of a table with a sign between the cells, quoted where a name holds that sign (RFC 4180); empty ones left
/// out.
fn records(text: &str, between: u8) -> impl Iterator<Item = csv::Result<csv::StringRecord>> + '_ {
    let mut reader = csv::ReaderBuilder::new();
    reader.delimiter(between).has_headers(false).flexible(true).trim(csv::Trim::All);
    let all = reader.from_reader(text.as_bytes()).into_records();
    all.filter(|record| record.as_ref().map_or(true, |r| r.iter().any(|cell| !cell.is_empty())))
}

/// A table of weights as JSON. A row has the vertex that it is for, or its place at rest (metres), or both.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct JsonTable {
    /// The names of joints.
    pub joints: Vec<String>,
    /// By vertex.
    pub rows: Vec<JsonRow>,
}

/// The weights of a vertex.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct JsonRow {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub vertex: Option<u32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<[f32; 3]>,
    /// One a joint.
    pub weights: Vec<f32>,
}

/// The change that a table as text comes to: JSON where it begins with a brace, else as [`table_of_csv`]. `by_place`
/// goes by the places of a JSON table, where its rows have them.
///
/// # Errors
/// Which line is wrong, and how.
pub fn table_of_text(text: &str, by_place: bool) -> Result<HandChange, WorkshopError> {
    if !text.trim_start().starts_with('{') {
        return table_of_csv(text);
    }
    let bad = |line: usize, why: String| WorkshopError::BadCsv { line, why };
    let table: JsonTable = serde_json::from_str(text).map_err(|e| bad(e.line(), e.to_string()))?;
    let JsonTable { joints, rows } = table;
    let sane = |w: &f32| (0.0..=1.0).contains(w);
    for (n, row) in rows.iter().enumerate() {
        if row.weights.len() != joints.len() || !row.weights.iter().all(sane) {
            let why = format!("row {} of the table has no weight of 0 to 1 for each of its joints", n + 1);
            return Err(bad(1, why));
        }
    }
    let by_place = by_place || rows.iter().all(|r| r.vertex.is_none());
    let place = |r: &JsonRow| r.place.filter(|p| p.iter().all(|x| x.is_finite()));
    let missing = || bad(1, "a row has neither a vertex nor a place".to_owned());
    match (rows.is_empty(), by_place) {
        (true, _) => Err(bad(1, "there is no row".to_owned())),
        (_, true) => {
            let placed = |r: JsonRow| place(&r).map(|p| (p, r.weights)).ok_or_else(missing);
            let rows = rows.into_iter().map(placed).collect::<Result<_, _>>()?;
            Ok(HandChange::Placed { joints, rows })
        }
        (_, false) => {
            let numbered = |r: JsonRow| r.vertex.map(|v| (v, r.weights)).ok_or_else(missing);
            let rows = rows.into_iter().map(numbered).collect::<Result<_, _>>()?;
            Ok(HandChange::Table { joints, rows })
        }
    }
}
