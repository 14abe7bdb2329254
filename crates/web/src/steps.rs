//! What changes a fitting.

use crate::answers::{Refusal, Tell};
use rocket::form::Form;
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Responder};
use rocket::serde::json::Json;
use rocket::{get, post, routes, FromForm, FromFormField, Request, Response, Route, State};
use serde::Serialize;
use serde_json::json;
use std::io::Cursor;
use std::sync::Arc;
use tin_cloak_workshop::{
    BindOptions, BrushStroke, Chosen, EaseOptions, MendOptions, Method, PieceKind, PlaceOptions, Step,
    ViewRequest, Workshop,
};

pub(crate) type Shop = State<Arc<Workshop>>;

/// Begins a step as a job, and tells the page to watch it.
pub(crate) fn changed_by(shop: &Shop, id: i64, step: Step) -> Result<Tell, Refusal> {
    let job = shop.start(id, step)?;
    Ok(Tell(json!({ "job-started": { "job": job } })))
}

fn changed() -> Tell {
    Tell(json!({ "fitting-changed": {} }))
}

#[derive(Clone, Copy, FromFormField)]
enum KindField {
    Soft,
    Stiff,
    Mixed,
}

impl From<KindField> for PieceKind {
    fn from(k: KindField) -> Self {
        match k {
            KindField::Soft => Self::Soft,
            KindField::Stiff => Self::Stiff,
            KindField::Mixed => Self::Mixed,
        }
    }
}

fn checked_layer(layer: u16) -> Result<u16, Refusal> {
    if (1..=99).contains(&layer) {
        return Ok(layer);
    }
    Err(Refusal::new(Status::UnprocessableEntity, "A layer is a number from 1 (next to the skin) to 99."))
}

#[derive(FromForm)]
struct AddPiece {
    asset: i64,
    layer: u16,
    kind: KindField,
}

#[post("/fitting/<id>/add", data = "<form>")]
fn add(shop: &Shop, id: i64, form: Form<AddPiece>) -> Result<Tell, Refusal> {
    let step = shop.piece_step(form.asset, checked_layer(form.layer)?, form.kind.into())?;
    changed_by(shop, id, step)
}

#[post("/fitting/<id>/remove/<piece>")]
fn remove(shop: &Shop, id: i64, piece: u32) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::RemovePiece { piece })
}

#[derive(FromForm)]
struct ToLayer {
    layer: u16,
}

#[post("/fitting/<id>/layer/<piece>", data = "<form>")]
fn to_layer(shop: &Shop, id: i64, piece: u32, form: Form<ToLayer>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::MoveToLayer { piece, layer: checked_layer(form.layer)? })
}

#[derive(FromForm)]
struct ToKind {
    kind: KindField,
}

#[post("/fitting/<id>/kind/<piece>", data = "<form>")]
fn to_kind(shop: &Shop, id: i64, piece: u32, form: Form<ToKind>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::SetKind { piece, kind: form.kind.into() })
}

#[derive(Clone, Copy, FromFormField)]
enum MethodField {
    Inpaint,
    Surface,
    Vertex,
}

#[derive(FromForm)]
struct Bind {
    piece: Option<u32>,
    method: MethodField,
    #[field(validate = range(1..=8))]
    influences: usize,
}

#[post("/fitting/<id>/bind", data = "<form>")]
fn bind(shop: &Shop, id: i64, form: Form<Bind>) -> Result<Tell, Refusal> {
    let method = match form.method {
        MethodField::Inpaint => Method::Inpaint,
        MethodField::Surface => Method::Surface,
        MethodField::Vertex => Method::Vertex,
    };
    let options = BindOptions { method, max_influences: form.influences };
    changed_by(shop, id, Step::Bind { pieces: form.piece.into_iter().collect(), options })
}

#[derive(FromForm)]
struct Push {
    piece: Option<u32>,
    margin: f32,
    limit: f32,
}

#[post("/fitting/<id>/push", data = "<form>")]
fn push(shop: &Shop, id: i64, form: Form<Push>) -> Result<Tell, Refusal> {
    let sane = |x: f32| x.is_finite() && (0.0..=200.0).contains(&x);
    if !sane(form.margin) || !sane(form.limit) {
        return Err(Refusal::new(
            Status::UnprocessableEntity,
            "Margin and limit are millimetres from 0 to 200.",
        ));
    }
    let tolerance_mm = shop.fitting(id)?.room.state.tolerance_mm;
    let options = MendOptions { tolerance_mm, margin_mm: form.margin, limit_mm: form.limit };
    let pieces = form.piece.into_iter().collect();
    changed_by(shop, id, Step::PushOut { pieces, chosen: Chosen::Everything, options })
}

#[post("/fitting/<id>/undo")]
fn undo(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    shop.undo(id)?;
    Ok(changed())
}

#[post("/fitting/<id>/redo")]
fn redo(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    shop.redo(id)?;
    Ok(changed())
}

#[post("/fitting/<id>/go/<seq>")]
fn go_to(shop: &Shop, id: i64, seq: i64) -> Result<Tell, Refusal> {
    shop.go_to(id, seq)?;
    Ok(changed())
}

#[derive(FromForm)]
struct PlaceForm {
    #[field(name = "shift")]
    shift_mm: Vec<f32>,
    #[field(name = "turn")]
    turn_degrees: Vec<f32>,
    #[field(name = "size")]
    size_percent: Vec<f32>,
    about: Option<u16>,
}

fn three(list: &[f32], what: &str) -> Result<[f32; 3], Refusal> {
    let text = || format!("The {what} is three numbers: left, up, forward.");
    list.try_into().map_err(|_| Refusal::new(Status::UnprocessableEntity, text()))
}

#[post("/fitting/<id>/place/<piece>", data = "<form>")]
fn place(shop: &Shop, id: i64, piece: u32, form: Form<PlaceForm>) -> Result<Tell, Refusal> {
    let options = PlaceOptions {
        shift_mm: three(&form.shift_mm, "shift")?,
        turn_degrees: three(&form.turn_degrees, "turn")?,
        size_percent: three(&form.size_percent, "size")?,
        about: form.about,
    };
    changed_by(shop, id, Step::Place { piece, options })
}

#[post("/fitting/<id>/find-pose/<piece>")]
fn find_pose(shop: &Shop, id: i64, piece: u32) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::FindPose { piece })
}

/// The pose the body was put in by hand, as the viewport has it.
#[post("/fitting/<id>/seat-from-pose/<piece>", data = "<view>")]
fn seat_from_pose(
    shop: &Shop,
    id: i64,
    piece: u32,
    view: Json<ViewRequest>,
) -> Result<Json<Started>, Refusal> {
    let ViewRequest { pose, turns, .. } = view.into_inner();
    let job = shop.start(id, Step::SeatFromPose { piece, pose, turns })?;
    Ok(Json(Started { job }))
}

#[derive(FromForm)]
struct EaseForm {
    least: f32,
    most: Option<f32>,
}

#[post("/fitting/<id>/ease/<piece>", data = "<form>")]
fn ease(shop: &Shop, id: i64, piece: u32, form: Form<EaseForm>) -> Result<Tell, Refusal> {
    let options = EaseOptions { least_mm: form.least, most_mm: form.most };
    changed_by(shop, id, Step::Ease { piece, chosen: Chosen::Everything, options })
}

/// A job that was begun for a script that waits for it.
#[derive(Serialize)]
struct Started {
    job: u64,
}

#[post("/fitting/<id>/brush/<piece>", data = "<stroke>")]
fn brush(shop: &Shop, id: i64, piece: u32, stroke: Json<BrushStroke>) -> Result<Json<Started>, Refusal> {
    let job = shop.start(id, Step::Brush { piece, stroke: stroke.into_inner() })?;
    Ok(Json(Started { job }))
}

#[derive(FromForm)]
struct CureForm {
    /// The button's words, so that a page gone stale does not cure something else.
    label: String,
}

/// Runs the cure of a finding: of the body (0) or a piece, by its place in the list.
#[post("/fitting/<id>/cure/<subject>/<number>", data = "<form>")]
fn cure(shop: &Shop, id: i64, subject: u32, number: usize, form: Form<CureForm>) -> Result<Tell, Refusal> {
    let room = shop.fitting(id)?.room;
    let list = room.findings().iter().find(|(s, _)| *s == subject);
    let cure = list.and_then(|(_, l)| l.get(number)).and_then(|f| f.cure.as_ref());
    let stale = || Refusal::new(Status::Conflict, "That finding is no longer there: look at the list again.");
    let cure = cure.filter(|c| c.label == form.label).ok_or_else(stale)?;
    changed_by(shop, id, cure.step.clone())
}

/// A file to keep.
struct Download {
    name: String,
    bytes: Vec<u8>,
}

impl<'r> Responder<'r, 'static> for Download {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        let safe: String =
            self.name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
        let disposition = format!("attachment; filename=\"{}.glb\"", safe.trim_matches('-'));
        Response::build()
            .header(ContentType::new("model", "gltf-binary"))
            .header(Header::new("Content-Disposition", disposition))
            .sized_body(self.bytes.len(), Cursor::new(self.bytes))
            .max_chunk_size(256 << 10)
            .ok()
    }
}

#[get("/fitting/<id>/dressed.glb")]
async fn export(shop: &Shop, id: i64) -> Result<Download, Refusal> {
    let shop = Arc::clone(shop);
    let made = rocket::tokio::task::spawn_blocking(move || shop.export(id)).await;
    let failed =
        |_| Refusal::new(Status::InternalServerError, "The file could not be made: an unexpected fault.");
    let (name, bytes) = made.map_err(failed)??;
    Ok(Download { name, bytes })
}

pub(crate) fn routes() -> Vec<Route> {
    routes![
        add,
        remove,
        to_layer,
        to_kind,
        place,
        find_pose,
        seat_from_pose,
        ease,
        brush,
        cure,
        bind,
        push,
        undo,
        redo,
        go_to,
        export
    ]
}
