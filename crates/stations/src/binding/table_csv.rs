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
    let mut lines = text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty());
    let bad = |line: usize, why: &str| WorkshopError::BadCsv { line: line + 1, why: why.to_owned() };
    let (_, head) = lines.next().ok_or_else(|| bad(0, "it is empty"))?;
    let between = ['\t', ';', ','].into_iter().find(|c| head.contains(*c)).unwrap_or(',');
    let cells = |line: &str| -> Vec<String> {
        line.split(between).map(|cell| cell.trim().trim_matches('"').to_owned()).collect()
    };
    let head = cells(head);
    let by_place = head.len() > 3 && head[..3] == ["x", "y", "z"];
    let first = if by_place { 3 } else { 1 };
    if !(by_place || head[0] == "vertex") || head.len() <= first {
        return Err(bad(0, "it begins with “vertex”, or with “x”, “y” and “z”, then the names of joints"));
    }
    let joints = head[first..].to_vec();
    let (mut rows, mut placed) = (Vec::new(), Vec::new());
    for (at, line) in lines {
        let cells = cells(line);
        if cells.len() != head.len() {
            return Err(bad(at, &format!("{} cells, the head has {}", cells.len(), head.len())));
        }
        let number = |cell: &String| match cell.parse::<f32>() {
            Ok(weight) if (0.0..=1.0).contains(&weight) => Ok(weight),
            _ => Err(bad(at, &format!("“{cell}” is no weight of 0 to 1"))),
        };
        let weights = cells[first..].iter().map(number).collect::<Result<Vec<f32>, _>>()?;
        if by_place {
            let metres = |cell: &String| cell.parse::<f32>().ok().filter(|x| x.is_finite());
            let place = [metres(&cells[0]), metres(&cells[1]), metres(&cells[2])];
            let [Some(x), Some(y), Some(z)] = place else {
                return Err(bad(at, "its place is no three numbers"));
            };
            placed.push(([x, y, z], weights));
        } else {
            let vertex = cells[0].parse().map_err(|_| bad(at, &format!("“{}” is no vertex", cells[0])))?;
            rows.push((vertex, weights));
        }
    }
    match (rows.is_empty(), placed.is_empty()) {
        (true, true) => Err(bad(0, "there is no row below the head")),
        (_, true) => Ok(HandChange::Table { joints, rows }),
        _ => Ok(HandChange::Placed { joints, rows: placed }),
    }
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
