//! What a script of a pipeline asks for besides steps: lists, states and reports, as JSON. `openapi.json` beside the
//! page's files describes all of it.

use crate::answers::Refusal;
use crate::blocking_pool::{aside, Shop};
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{get, routes, Route};
use serde::Serialize;
use tin_cloak_workshop::{BlobId, PieceKind, Report};

/// What is on the Shelf.
#[derive(Serialize)]
struct AssetRow {
    id: i64,
    name: String,
    /// `body`, `piece`, `motion` …
    role: String,
    /// The three that a step names a mesh by.
    file: BlobId,
    file_name: String,
    mesh: String,
}

#[get("/assets.json")]
async fn assets(shop: &Shop) -> Result<Json<Vec<AssetRow>>, Refusal> {
    aside(shop, |shop| {
        let row = |a: tin_cloak_workshop::Asset| AssetRow {
            id: a.id,
            name: a.name,
            role: a.role,
            file: a.file,
            file_name: a.file_name,
            mesh: a.mesh,
        };
        Ok(Json(shop.assets()?.into_iter().map(row).collect()))
    })
    .await
}

#[derive(Serialize)]
struct FittingRow {
    id: i64,
    name: String,
    /// The step it stands at.
    step: i64,
}

#[get("/fittings.json")]
async fn fittings(shop: &Shop) -> Result<Json<Vec<FittingRow>>, Refusal> {
    aside(shop, |shop| {
        let all = shop.fittings()?.into_iter();
        Ok(Json(all.map(|f| FittingRow { id: f.id, name: f.name, step: f.cursor }).collect()))
    })
    .await
}

#[derive(Serialize)]
struct WornRow {
    id: u32,
    name: String,
    layer: u16,
    kind: PieceKind,
    bound: bool,
}

/// What a fitting is made of.
#[derive(Serialize)]
struct FittingShown {
    name: String,
    step: i64,
    body: String,
    joints: Vec<String>,
    pieces: Vec<WornRow>,
    poses: Vec<String>,
    /// What the last step said besides its sentence.
    notes: Vec<String>,
}

#[get("/fitting/<id>/state.json")]
async fn state(shop: &Shop, id: i64) -> Result<Json<FittingShown>, Refusal> {
    aside(shop, move |shop| {
        let open = shop.fitting(id)?;
        let dress = &open.room.dress;
        let worn = |(n, p): (usize, &tin_cloak_workshop::Piece)| WornRow {
            id: p.id,
            name: p.name.clone(),
            layer: open.room.piece_state(n).layer,
            kind: p.kind,
            bound: p.bound.is_some(),
        };
        Ok(Json(FittingShown {
            name: open.fitting.name.clone(),
            step: open.fitting.cursor,
            body: dress.body.name.clone(),
            joints: dress.body.skeleton.names.clone(),
            pieces: dress.pieces.iter().enumerate().map(worn).collect(),
            poses: open.room.trials.trials.iter().map(|t| t.label()).collect(),
            notes: open.effect().notes,
        }))
    })
    .await
}

/// The report that `check` writes; what of the board is missing is measured first.
#[get("/fitting/<id>/report.json")]
async fn report(shop: &Shop, id: i64) -> Result<Json<Report>, Refusal> {
    aside(shop, move |shop| {
        let board = shop.measure_now(id)?;
        let room = shop.room(id, None)?;
        let mut report = Report::of_pieces(&room.dress, room.state.tolerance_mm);
        report.add_board(&board);
        Ok(Json(report))
    })
    .await
}

/// The description of all that a script may ask.
pub const OPENAPI: &str = include_str!("openapi.json");

#[get("/openapi.json")]
fn openapi() -> (ContentType, &'static str) {
    (ContentType::JSON, OPENAPI)
}

pub(crate) fn routes() -> Vec<Route> {
    routes![assets, fittings, state, report, openapi]
}
