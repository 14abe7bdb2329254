//! The page to print: the verdict, the worst snags with their causes, and what was tried.

use crate::answers::{page, Page};
use crate::blocking_pool::{aside, Shop};
use crate::trials::SnagRow;
use askama::Template;
use rocket::{get, routes, Route};
use tin_cloak_workshop::{Board, Cell, Counts, TrialPlan, TrialSet};

#[derive(Template)]
#[template(path = "printed.html")]
struct Printed {
    id: i64,
    step: i64,
    name: String,
    body: String,
    pieces: String,
    clear: bool,
    verdict: String,
    besides: Vec<String>,
    rows: Vec<SnagRow>,
    /// Pair, cells out of tolerance, deepest, least gap.
    pairs: Vec<(String, String, String, String)>,
    tried: Vec<String>,
}

pub(crate) fn verdict(board: Option<&Board>) -> String {
    let Some(board) = board else { return "Nothing is bound yet: nothing was tried.".to_owned() };
    if !board.is_whole() {
        return format!("Not known yet: {} cells are not measured.", board.missing());
    }
    let (bad, deepest) = (board.bad_cells(), board.deepest_mm());
    match bad {
        0 if board.is_clear() => "Clear: nothing pokes through in any counted pose.".to_owned(),
        0 => format!("{} cells cannot be measured.", board.unmeasurable_cells()),
        n => format!(
            "{n} cells out of tolerance, {deepest:.1} mm and {:.1} cm² in sight at most.",
            board.most_seen_cm2()
        ),
    }
}

pub(crate) fn besides(board: &Board) -> Vec<String> {
    let (stress, deepest) = board.stress_cells();
    let hidden = board.measured().filter(|c| c.2.is_hidden_only()).count();
    let mut lines = vec![format!("Up to {} mm are let pass.", board.tolerance_mm)];
    if stress > 0 {
        lines.push(format!("For stress only: {stress} cells out of tolerance, {deepest:.1} mm at most."));
    }
    if hidden > 0 {
        let how = if board.hidden_counts { "they count" } else { "they do not count" };
        lines.push(format!("In {hidden} cells something is through that nobody sees: {how}."));
    }
    lines
}

pub(crate) fn pair_rows(board: &Board) -> Vec<(String, String, String, String)> {
    let row = |(r, pair): (usize, &tin_cloak_workshop::BoardPair)| {
        let cells: Vec<&Cell> = board.cells.iter().filter_map(|column| column[r].as_ref()).collect();
        let bad = cells.iter().filter(|c| board.is_out(c)).count();
        let deepest = cells.iter().map(|c| c.depth_mm()).fold(0.0, f32::max);
        let gap = cells.iter().filter_map(|c| c.least_clearance_mm).reduce(f32::min);
        let name = match pair.counts {
            Counts::Counted => pair.label(),
            other => format!("{} ({})", pair.label(), other.word()),
        };
        let gap = gap.map_or(String::new(), |g| format!("{g:.1} mm"));
        (name, format!("{bad} of {}", cells.len()), format!("{deepest:.1} mm"), gap)
    };
    board.pairs.iter().enumerate().map(row).collect()
}

/// A line for each group of poses.
pub(crate) fn tried(set: &TrialSet, plan: &TrialPlan) -> Vec<String> {
    let mut groups: Vec<(&str, usize, usize)> = Vec::new();
    for t in &set.trials {
        let apart = usize::from(plan.of_pose(&t.group, &t.name, t.time) != Counts::Counted);
        match groups.last_mut() {
            Some(last) if last.0 == t.group => *last = (last.0, last.1 + 1, last.2 + apart),
            _ => groups.push((&t.group, 1, apart)),
        }
    }
    let mut lines: Vec<String> = groups
        .into_iter()
        .map(|(group, poses, apart)| match apart {
            0 => format!("{group}: {poses} poses"),
            n => format!("{group}: {poses} poses, {n} of them not counted"),
        })
        .collect();
    lines.extend(set.skipped.iter().map(|(name, why)| format!("left out: {name} ({why})")));
    lines
}

#[get("/fitting/<id>/report")]
async fn report(shop: &Shop, id: i64) -> Page {
    aside(shop, move |shop| {
        let open = shop.fitting(id)?;
        let room = &open.room;
        let board = shop.board(room)?;
        let board = board.as_deref();
        let snags = shop.worst_snags(room, 10)?;
        page(&Printed {
            id,
            step: open.fitting.cursor,
            name: open.fitting.name.clone(),
            body: room.dress.body.name.clone(),
            pieces: room.dress.pieces.iter().map(|p| p.name.as_str()).collect::<Vec<_>>().join(", "),
            clear: board.is_some_and(Board::is_clear),
            verdict: verdict(board),
            besides: board.map_or_else(Vec::new, besides),
            rows: snags.into_iter().enumerate().map(|(n, s)| SnagRow::new(room, n, s)).collect(),
            pairs: board.map_or_else(Vec::new, pair_rows),
            tried: tried(&room.trials, &room.state.plan),
        })
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![report]
}
