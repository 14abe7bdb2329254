//! Sorting what is worn: kind, place on the body, layer, the kind of each part.

use crate::answers::{Refusal, Tell};
use crate::blocking_pool::Shop;
use crate::steps::{changed_by, KindField};
use rocket::form::Form;
use rocket::http::Status;
use rocket::{post, routes, FromForm, Route};
use tin_cloak_workshop::core::intake::Place;
use tin_cloak_workshop::Step;

#[derive(FromForm)]
struct ToLayer {
    layer: u16,
}

#[post("/fitting/<id>/layer/<piece>", data = "<form>")]
async fn to_layer(shop: &Shop, id: i64, piece: u32, form: Form<ToLayer>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::MoveToLayer { piece, layer: form.layer }).await
}

#[derive(FromForm)]
struct ToKind {
    kind: KindField,
}

#[post("/fitting/<id>/kind/<piece>", data = "<form>")]
async fn to_kind(shop: &Shop, id: i64, piece: u32, form: Form<ToKind>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::SetKind { piece, kind: form.kind.into() }).await
}

#[derive(FromForm)]
struct PutOver {
    /// The piece beneath; next to the skin when there is none.
    over: Option<u32>,
}

#[post("/fitting/<id>/over/<piece>", data = "<form>")]
async fn put_over(shop: &Shop, id: i64, piece: u32, form: Form<PutOver>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::PutOver { piece, over: form.over }).await
}

#[derive(FromForm)]
struct ToPlace {
    place: String,
}

#[post("/fitting/<id>/worn-on/<piece>", data = "<form>")]
async fn to_place(shop: &Shop, id: i64, piece: u32, form: Form<ToPlace>) -> Result<Tell, Refusal> {
    let unknown = || Refusal::new(Status::UnprocessableEntity, "There is no such place on the body.");
    let place = Place::of_word(&form.place).ok_or_else(unknown)?;
    changed_by(shop, id, Step::SetPlace { piece, place }).await
}

#[derive(FromForm)]
struct ToShell {
    shell: u32,
    stiff: bool,
}

#[post("/fitting/<id>/shell/<piece>", data = "<form>")]
async fn to_shell(shop: &Shop, id: i64, piece: u32, form: Form<ToShell>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::SetShell { piece, shell: form.shell, stiff: form.stiff }).await
}

#[post("/fitting/<id>/mirror/<piece>")]
async fn mirror(shop: &Shop, id: i64, piece: u32) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::Mirror { piece }).await
}

#[post("/fitting/<id>/copy-mirrored/<piece>")]
async fn copy_mirrored(shop: &Shop, id: i64, piece: u32) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::CopyMirrored { piece }).await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![to_layer, to_kind, put_over, to_place, to_shell, mirror, copy_mirrored]
}
