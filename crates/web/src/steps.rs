//! What changes a fitting.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use askama::Template;
use rocket::form::Form;
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Redirect, Responder};
use rocket::{get, post, routes, FromForm, FromFormField, Request, Response, Route};
use std::io::Cursor;
use std::sync::Arc;
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::VolumeOfRoom;
use tin_cloak_workshop::{BindingStep, LostRow, PieceKind, Step, Workshop, LEAST_LOST_MM};

/// Begins a step as a job, and tells the page to watch it.
pub(crate) async fn changed_by(shop: &Shop, id: i64, step: Step) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |_| Ok(step)).await
}

/// The same with a step that has to be looked up.
pub(crate) async fn changed_as(
    shop: &Shop,
    id: i64,
    step: impl FnOnce(&Arc<Workshop>) -> Result<Step, Refusal> + Send + 'static,
) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        let job = shop.start(id, step(shop)?)?;
        Ok(Tell::job_started(job))
    })
    .await
}

pub(crate) fn changed() -> Tell {
    Tell::fitting_changed()
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
async fn add(shop: &Shop, id: i64, form: Form<AddPiece>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let step = shop.piece_step(form.asset, form.layer, form.kind.into())?;
        Ok(step)
    })
    .await
}

#[post("/fitting/<id>/put-on-all")]
async fn put_on_all(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| Ok(shop.put_on_step(id, &[])?)).await
}

#[derive(FromForm)]
struct Bind {
    /// One piece; all of them when there is none.
    piece: Option<u32>,
    /// Only what is not bound yet.
    missing: bool,
    /// Only what is older than the weights that it was taken from.
    older: bool,
}

#[post("/fitting/<id>/bind", data = "<form>")]
async fn bind(shop: &Shop, id: i64, form: Form<Bind>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let pieces = match form.piece {
            None if form.older => shop.room(id, None)?.older_pieces(),
            None if form.missing => shop.room(id, None)?.unbound_pieces(),
            one => one.into_iter().collect(),
        };
        Ok(Step::Binding(BindingStep::Bind { pieces }))
    })
    .await
}

/// What twists, turns of wrists and deep bends draw in.
#[derive(Template)]
#[template(path = "volume.html")]
struct VolumeShown {
    id: i64,
    /// Less than this is not given back, millimetres.
    least_mm: f32,
    /// The numbers of the body and of what is bound.
    bound: Vec<u32>,
    lost: Vec<LostRow>,
    /// True when some of it is not given back yet.
    left: bool,
}

#[get("/fitting/<id>/volume")]
async fn volume(shop: &Shop, id: i64) -> Page {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let lost = room.lost_volume();
        let worn = room.dress.pieces.iter().filter(|p| p.bound.is_some() && !p.cage);
        let bound = std::iter::once(0).chain(worn.map(|p| p.id)).collect();
        page(&VolumeShown {
            id,
            least_mm: LEAST_LOST_MM,
            bound,
            left: lost.iter().any(|l| !l.given_back),
            lost,
        })
    })
    .await
}

/// Makes the file and reads it again.
#[post("/fitting/<id>/prove")]
async fn prove(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        let job = shop.prove(id)?;
        Ok(Tell::job_started(job))
    })
    .await
}

#[post("/fitting/<id>/undo")]
async fn undo(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        shop.undo(id)?;
        Ok(changed())
    })
    .await
}

#[post("/fitting/<id>/redo")]
async fn redo(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        shop.redo(id)?;
        Ok(changed())
    })
    .await
}

#[post("/fitting/<id>/go/<seq>")]
async fn go_to(shop: &Shop, id: i64, seq: i64) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        shop.go_to(id, seq)?;
        Ok(changed())
    })
    .await
}

/// A copy of the fitting as it was after a step: a second way on, beside the first.
#[post("/fitting/<id>/copy/<seq>")]
async fn copy(shop: &Shop, id: i64, seq: i64) -> Result<Redirect, Refusal> {
    aside(shop, move |shop| {
        let new = shop.copy(id, Some(seq))?;
        Ok(Redirect::to(format!("/fitting/{new}")))
    })
    .await
}

#[derive(FromForm)]
struct NameForm {
    name: String,
}

#[post("/fitting/<id>/name", data = "<form>")]
async fn rename(shop: &Shop, id: i64, form: Form<NameForm>) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        shop.rename(id, &form.name)?;
        Ok(changed())
    })
    .await
}

#[derive(FromForm)]
struct CureForm {
    /// The button's words, so that a page gone stale does not cure something else.
    label: String,
}

/// Runs the cure of a finding: of the body (0) or a piece, by its place in the list.
#[post("/fitting/<id>/cure/<subject>/<number>", data = "<form>")]
async fn cure(
    shop: &Shop,
    id: i64,
    subject: u32,
    number: usize,
    form: Form<CureForm>,
) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let room = shop.room(id, None)?;
        let list = room.findings().into_iter().find(|(s, _)| *s == subject).map(|f| f.1);
        let cure = list.as_ref().and_then(|l| l.get(number)).and_then(|f| f.cure.as_ref());
        let stale =
            || Refusal::new(Status::Conflict, "That finding is no longer there: look at the list again.");
        let cure = cure.filter(|c| c.label == form.label).ok_or_else(stale)?;
        Ok(cure.step.clone())
    })
    .await
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

#[get("/fitting/<id>/dressed.glb?<whole>")]
async fn export(shop: &Shop, id: i64, whole: bool) -> Result<Download, Refusal> {
    let (name, bytes) = aside(shop, move |shop| Ok(shop.export(id, whole)?)).await?;
    Ok(Download { name, bytes })
}

pub(crate) fn routes() -> Vec<Route> {
    routes![add, put_on_all, cure, bind, volume, prove, undo, redo, go_to, copy, rename, export]
}
