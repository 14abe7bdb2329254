//! The report of a fitting as one page that needs nothing else: pictures are in it, and it prints well.

use crate::answers::Refusal;
use crate::blocking_pool::{aside, Shop};
use crate::mending_rows::{hidden_rows, HiddenRow};
use crate::printed::{besides, pair_rows, tried, verdict};
use crate::trials::SnagRow;
use askama::Template;
use base64::prelude::{Engine, BASE64_STANDARD};
use rocket::http::{ContentType, Header};
use rocket::response::Responder;
use rocket::{get, routes, Route};
use std::sync::Arc;
use tin_cloak_workshop::core::units::to_mm;
use tin_cloak_workshop::OutdatedOfRoom;
use tin_cloak_workshop::{Beyond, Board, Effect, OpenFitting, Piece, Proof, Workshop, WorkshopError};

#[derive(Template)]
#[template(path = "report_file.html")]
struct ReportFile {
    name: String,
    body: String,
    clear: bool,
    verdict: String,
    besides: Vec<String>,
    proof: Option<Arc<Proof>>,
    /// Of what, and the picture.
    views: Vec<(&'static str, String)>,
    snags: Vec<(SnagRow, String)>,
    left: Vec<(usize, String)>,
    /// What poses show that nothing was made for, once a plan is done.
    held: Option<String>,
    board: Option<BoardShown>,
    pairs: Vec<(String, String, String, String)>,
    steps: Vec<StepDone>,
    pieces: Vec<PieceFigures>,
    masks: Vec<HiddenRow>,
    /// By set of limits, what is beyond it.
    limits: Vec<(String, Vec<Beyond>)>,
    tried: Vec<String>,
    /// A sentence each.
    outdated: Vec<String>,
}

/// A step, what it did to the deepest, and what it said.
struct StepDone {
    seq: i64,
    sentence: String,
    deepest: String,
    notes: Vec<String>,
}

struct PieceFigures {
    name: String,
    layer: u16,
    vertices: usize,
    joints: usize,
    strain: String,
    stiffness: String,
    moved: String,
}

/// The board drawn: cells of one size, a row a pair.
struct BoardShown {
    width: usize,
    height: usize,
    rows: Vec<(String, usize, Vec<CellShown>)>,
}

struct CellShown {
    x: usize,
    class: &'static str,
    says: String,
}

/// The report of a fitting as it stands.
///
/// # Errors
/// When the fitting is not there.
pub fn report_file(shop: &Workshop, fitting: i64) -> Result<String, WorkshopError> {
    let open = shop.fitting(fitting)?;
    let room = &open.room;
    let board = shop.board(room)?;
    let board = board.as_deref();
    let colour = |part: usize| crate::look::colour(room, part);
    let mut snags = Vec::new();
    for (n, snag) in shop.worst_snags(room, 8)?.into_iter().enumerate() {
        let picture = in_page(&shop.snag_picture(room, n, colour, 300, 224)?);
        snags.push((SnagRow::new(room, n, snag), picture));
    }
    let mut views = Vec::new();
    for (of, degrees) in [("front", 0.0f32), ("side", 90.0), ("back", 180.0)] {
        views.push((of, in_page(&shop.view_of(room, degrees, colour)?)));
    }
    // Of a plan that is not done yet this is what would be left.
    let plan = shop.plan_of(room)?.filter(|p| p.steps.is_empty());
    let page = ReportFile {
        name: open.fitting.name.clone(),
        body: room.dress.body.name.clone(),
        clear: board.is_some_and(Board::is_clear),
        verdict: verdict(board),
        besides: board.map_or_else(Vec::new, besides),
        proof: shop.proof_of(room)?,
        views,
        snags,
        left: plan.as_ref().map_or_else(Vec::new, |p| p.left.clone()),
        held: plan.as_ref().and_then(|p| p.held.left_in_words()),
        board: board.map(BoardShown::new),
        pairs: board.map_or_else(Vec::new, pair_rows),
        steps: steps_done(&open),
        pieces: room.dress.pieces.iter().map(|p| PieceFigures::new(p, board)).collect(),
        masks: hidden_rows(room),
        limits: shop.limits_met(room)?,
        tried: tried(&room.trials, &room.state.plan),
        outdated: room.outdated(),
    };
    // The template asks for nothing that can fail.
    Ok(page.render().unwrap_or_default())
}

fn in_page(png: &[u8]) -> String {
    format!("data:image/png;base64,{}", BASE64_STANDARD.encode(png))
}

fn steps_done(open: &OpenFitting) -> Vec<StepDone> {
    let done = open.steps.iter().filter(|s| s.seq <= open.fitting.cursor);
    done.map(|s| {
        let effect: Effect = serde_json::from_str(&s.effect).unwrap_or_default();
        let deepest = match (effect.deepest_before_mm, effect.deepest_after_mm) {
            (Some(before), Some(after)) => format!("{before:.1} → {after:.1} mm"),
            (None, Some(after)) => format!("{after:.1} mm"),
            _ => String::new(),
        };
        StepDone { seq: s.seq, sentence: s.sentence.clone(), deepest, notes: effect.notes }
    })
    .collect()
}

impl PieceFigures {
    fn new(piece: &Piece, board: Option<&Board>) -> Self {
        let id = piece.id;
        let own = |board: &Board| {
            let mut worst = (1.0f32, 0.0f32);
            for (_, _, cell) in board.measured().filter(|(_, r, _)| board.pairs[*r].ids[0] == id) {
                if (cell.worst_strain - 1.0).abs() > (worst.0 - 1.0).abs() {
                    worst.0 = cell.worst_strain;
                }
                worst.1 = worst.1.max(cell.stiffness_mm);
            }
            worst
        };
        let (strain, stiffness) = board.map_or((1.0, 0.0), own);
        let came = piece.topology.weld.gather(&piece.mesh.positions);
        let moved = came.iter().zip(piece.unshaped.iter()).map(|(a, b)| to_mm(a.distance(*b)));
        Self {
            name: piece.name.clone(),
            layer: piece.layer,
            vertices: piece.mesh.positions.len(),
            joints: piece.bound.as_ref().map_or(0, |b| b.skin.max_influences()),
            strain: format!("{:.0} %", strain * 100.0),
            stiffness: if stiffness > 0.0 { format!("{stiffness:.1} mm") } else { String::new() },
            moved: format!("{:.1} mm", moved.fold(0.0, f32::max)),
        }
    }
}

/// Width and height of a cell, and where cells begin.
const CELL: (usize, usize) = (9, 14);
const NAMES: usize = 190;

impl BoardShown {
    fn new(board: &Board) -> Self {
        let row = |(r, pair): (usize, &tin_cloak_workshop::BoardPair)| {
            let cells = (0..board.poses.len()).filter_map(|p| {
                let cell = board.cells[p][r].as_ref()?;
                let class = match cell {
                    c if c.is_bad() && board.counts(p, r) != tin_cloak_workshop::Counts::Counted => "stress",
                    c if c.is_bad() => "out",
                    c if c.is_hidden_only() => "hidden",
                    _ => return None,
                };
                let says = format!("{}, {}: {:.1} mm", pair.label(), board.poses[p].name, cell.depth_mm());
                Some(CellShown { x: NAMES + p * CELL.0, class, says })
            });
            (pair.label(), r * CELL.1, cells.collect::<Vec<_>>())
        };
        let rows: Vec<_> = board.pairs.iter().enumerate().map(row).collect();
        Self { width: NAMES + board.poses.len() * CELL.0, height: rows.len() * CELL.1, rows }
    }

    fn names(&self) -> usize {
        NAMES
    }
}

/// A page that is kept as a file.
struct KeptPage(String);

impl<'r> Responder<'r, 'static> for KeptPage {
    fn respond_to(self, request: &'r rocket::Request<'_>) -> rocket::response::Result<'static> {
        let mut response = (ContentType::HTML, self.0).respond_to(request)?;
        response.set_header(Header::new("Content-Disposition", "attachment; filename=\"report.html\""));
        Ok(response)
    }
}

#[get("/fitting/<id>/report.html")]
async fn report(shop: &Shop, id: i64) -> Result<KeptPage, Refusal> {
    aside(shop, move |shop| Ok(KeptPage(report_file(shop, id)?))).await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![report]
}
