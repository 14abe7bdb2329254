//! A table of weights as text.

use crate::error::WorkshopError;
use crate::state::by_hand::HandChange;

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
    if head[0] != "vertex" || head.len() < 2 {
        return Err(bad(0, "it begins with “vertex”, then the names of joints"));
    }
    let joints = head[1..].to_vec();
    let mut rows = Vec::new();
    for (at, line) in lines {
        let cells = cells(line);
        if cells.len() != head.len() {
            return Err(bad(at, &format!("{} cells, the head has {}", cells.len(), head.len())));
        }
        let vertex = cells[0].parse().map_err(|_| bad(at, &format!("“{}” is no vertex", cells[0])))?;
        let number = |cell: &String| match cell.parse::<f32>() {
            Ok(weight) if (0.0..=1.0).contains(&weight) => Ok(weight),
            _ => Err(bad(at, &format!("“{cell}” is no weight of 0 to 1"))),
        };
        rows.push((vertex, cells[1..].iter().map(number).collect::<Result<Vec<f32>, _>>()?));
    }
    match rows.is_empty() {
        true => Err(bad(0, "there is no row below the head")),
        false => Ok(HandChange::Table { joints, rows }),
    }
}

#[cfg(test)]
mod tests {
    use super::table_of_csv;
    use crate::state::by_hand::HandChange;

    #[test]
    fn what_is_wrong_with_a_table_is_said_by_line() {
        let wrong = [
            "",
            "x,hips\n1,0.5",
            "vertex,hips",
            "vertex,hips\n\n1,0.5,0.2",
            "vertex,hips\n1,2",
            "vertex,hips\n1,NaN",
            "vertex;hips\none;0.5",
        ];
        let told: Vec<String> = wrong.iter().map(|w| table_of_csv(w).unwrap_err().to_string()).collect();
        insta::assert_snapshot!(told.join("\n"));
        let read = table_of_csv("vertex\thips\tspine\n7\t0.25\t0.75\n").unwrap();
        let rows = vec![(7, vec![0.25, 0.75])];
        assert_eq!(read, HandChange::Table { joints: vec!["hips".into(), "spine".into()], rows });
    }
}
