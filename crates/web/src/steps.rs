//! What changes a fitting.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::by_hand::chosen_if;
use askama::Template;
use rocket::form::Form;
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Responder};
use rocket::{get, post, routes, FromForm, FromFormField, Request, Response, Route};
use std::io::Cursor;
use std::sync::Arc;
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::VolumeOfRoom;
use tin_cloak_workshop::{Against, LostRow, MendOptions, PieceKind, Step, Workshop, COMBINED, LEAST_LOST_MM};

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
        Ok(Step::Bind { pieces })
    })
    .await
}

#[derive(FromForm)]
struct Push {
    /// Those that may move; all when none is named.
    piece: Vec<u32>,
    /// True when those not named may not.
    named: bool,
    /// Against what is through between two layers: the outer one’s number, a dash, the inner one’s.
    pair: Option<String>,
    /// Only in one pose.
    here: bool,
    pose: Option<usize>,
    /// Joints turned by hand in it, as JSON.
    turns: Option<String>,
    margin: f32,
    limit: f32,
    /// Both sides of a piece alike.
    alike: bool,
    /// Rows of vertices stay straight.
    rows: bool,
    /// For combined poses too.
    combined: bool,
    /// Only what is chosen by hand: the picks, as JSON.
    chosen: bool,
    picks: Option<String>,
}

#[post("/fitting/<id>/push", data = "<form>")]
async fn push(shop: &Shop, id: i64, form: Form<Push>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |_| {
        if form.named && form.piece.is_empty() {
            let words = "Nothing may move: choose a piece under “which may move”.";
            return Err(Refusal::new(Status::UnprocessableEntity, words));
        }
        if form.here && form.combined {
            let words =
                "It is pushed in the pose that is shown, or for combined poses too: take one of them.";
            return Err(Refusal::new(Status::UnprocessableEntity, words));
        }
        let (margin_mm, limit_mm, alike, rows) = (form.margin, form.limit, form.alike, form.rows);
        let options = MendOptions { margin_mm, limit_mm, alike, rows, combined: combined_if(form.combined) };
        let chosen = chosen_if(form.chosen, form.picks.as_deref())?;
        let pair = form.pair.as_deref().filter(|p| !p.is_empty()).map(pair_of).transpose()?;
        let against = Against { pair, pose: form.pose.filter(|_| form.here) };
        let turns = match form.turns.as_deref().filter(|_| form.here) {
            None => Vec::new(),
            Some(json) => serde_json::from_str(json).map_err(|_| {
                Refusal::new(Status::UnprocessableEntity, "Turns are a list of joints and degrees.")
            })?,
        };
        Ok(Step::PushOut { pieces: form.piece.clone(), chosen, options, against, turns })
    })
    .await
}

/// So many combined poses are mended for besides, when that is ticked.
fn combined_if(ticked: bool) -> usize {
    if ticked {
        COMBINED
    } else {
        0
    }
}

fn pair_of(words: &str) -> Result<(u32, u32), Refusal> {
    let numbers = words.split_once('-').and_then(|(a, b)| Some((a.parse().ok()?, b.parse().ok()?)));
    let wrong = "A pair is two numbers with a dash: that of the outer layer, then that of the inner one.";
    numbers.ok_or_else(|| Refusal::new(Status::UnprocessableEntity, wrong))
}

/// What twists and turns of wrists draw in.
#[derive(Template)]
#[template(path = "volume.html")]
struct VolumeShown {
    id: i64,
    /// Less than this is not given back, millimetres.
    least_mm: f32,
    lost: Vec<LostRow>,
    /// True when some of it is not given back yet.
    left: bool,
}

#[get("/fitting/<id>/volume")]
async fn volume(shop: &Shop, id: i64) -> Page {
    aside(shop, move |shop| {
        let lost = shop.room(id, None)?.lost_volume();
        page(&VolumeShown { id, least_mm: LEAST_LOST_MM, left: lost.iter().any(|l| !l.given_back), lost })
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
    routes![add, put_on_all, cure, bind, push, volume, prove, undo, redo, go_to, export]
}
