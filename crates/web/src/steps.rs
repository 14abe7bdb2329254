//! What changes a fitting.

use crate::answers::{Refusal, Tell};
use rocket::form::Form;
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Responder};
use rocket::{get, post, routes, FromForm, FromFormField, Request, Response, Route, State};
use serde_json::json;
use std::io::Cursor;
use std::sync::Arc;
use tin_cloak_workshop::{Chosen, MendOptions, PieceKind, Step, Workshop};

pub(crate) type Shop = State<Arc<Workshop>>;

/// Begins a step as a job, and tells the page to watch it.
pub(crate) fn changed_by(shop: &Shop, id: i64, step: Step) -> Result<Tell, Refusal> {
    let job = shop.start(id, step)?;
    Ok(Tell(json!({ "job-started": { "job": job } })))
}

pub(crate) fn changed() -> Tell {
    Tell(json!({ "fitting-changed": {} }))
}

#[derive(Clone, Copy, FromFormField)]
pub(crate) enum KindField {
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

#[derive(FromForm)]
struct AddPiece {
    asset: i64,
    layer: u16,
    kind: KindField,
}

#[post("/fitting/<id>/add", data = "<form>")]
fn add(shop: &Shop, id: i64, form: Form<AddPiece>) -> Result<Tell, Refusal> {
    let step = shop.piece_step(form.asset, form.layer, form.kind.into())?;
    changed_by(shop, id, step)
}

#[post("/fitting/<id>/remove/<piece>")]
fn remove(shop: &Shop, id: i64, piece: u32) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::RemovePiece { piece })
}

#[derive(FromForm)]
struct Bind {
    /// One piece; all of them when there is none.
    piece: Option<u32>,
    /// Only what is not bound yet.
    missing: bool,
}

#[post("/fitting/<id>/bind", data = "<form>")]
fn bind(shop: &Shop, id: i64, form: Form<Bind>) -> Result<Tell, Refusal> {
    let pieces = match form.piece {
        None if form.missing => shop.fitting(id)?.room.unbound_pieces(),
        one => one.into_iter().collect(),
    };
    changed_by(shop, id, Step::Bind { pieces })
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
    routes![add, remove, cure, bind, push, undo, redo, go_to, export]
}
