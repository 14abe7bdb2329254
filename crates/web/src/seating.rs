//! Seating: what moves pieces at rest.

use crate::answers::{Refusal, Tell};
use crate::blocking_pool::Shop;
use crate::by_hand::chosen_if;
use crate::look::{EaseRequest, WornShape};
use crate::steps::{changed_by, started, Started};
use rocket::form::Form;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{post, routes, FromForm, Route};
use serde::Deserialize;
use tin_cloak_workshop::{BrushStroke, CallingTurn, EaseOptions, PlaceOptions, Step, ViewRequest};

#[derive(FromForm)]
struct PlaceForm {
    #[field(name = "shift")]
    shift_mm: Vec<f32>,
    #[field(name = "turn")]
    turn_degrees: Vec<f32>,
    #[field(name = "size")]
    size_percent: Vec<f32>,
    about: Option<u16>,
    onto: Option<u16>,
}

fn three(list: &[f32], what: &str) -> Result<[f32; 3], Refusal> {
    let text = || format!("The {what} is three numbers: left, up, forward.");
    list.try_into().map_err(|_| Refusal::new(Status::UnprocessableEntity, text()))
}

#[post("/fitting/<id>/place/<piece>", data = "<form>")]
async fn place(shop: &Shop, id: i64, piece: u32, form: Form<PlaceForm>) -> Result<Tell, Refusal> {
    let options = PlaceOptions {
        shift_mm: three(&form.shift_mm, "shift")?,
        turn_degrees: three(&form.turn_degrees, "turn")?,
        size_percent: three(&form.size_percent, "size")?,
        about: form.about,
        onto: form.onto,
    };
    changed_by(shop, id, Step::Place { piece, options }).await
}

/// Which pieces (all when none is named) follow the shapes of the body, or no longer do.
#[derive(FromForm)]
struct FollowShapesForm {
    piece: Option<u32>,
    follow: bool,
    /// Only these, where only some are meant; else all.
    some: bool,
    shape: Vec<String>,
}

#[post("/fitting/<id>/follow-shapes", data = "<form>")]
async fn follow_shapes(shop: &Shop, id: i64, form: Form<FollowShapesForm>) -> Result<Tell, Refusal> {
    let FollowShapesForm { piece, follow, some, shape: shapes } = form.into_inner();
    let pieces = piece.into_iter().collect();
    let follow = follow && !(some && shapes.is_empty());
    changed_by(shop, id, Step::FollowShapes { pieces, follow, shapes }).await
}

/// Which turn calls up a shape; none where no joint is named.
#[derive(FromForm)]
struct CallUpForm {
    shape: String,
    joint: Option<String>,
    axis: Option<String>,
    from: Option<f32>,
    full: Option<f32>,
}

#[post("/fitting/<id>/call-up", data = "<form>")]
async fn call_up(shop: &Shop, id: i64, form: Form<CallUpForm>) -> Result<Tell, Refusal> {
    let CallUpForm { shape, joint, axis, from, full } = form.into_inner();
    let axis = match axis.as_deref() {
        None | Some("x") => [1.0, 0.0, 0.0],
        Some("y") => [0.0, 1.0, 0.0],
        Some("z") => [0.0, 0.0, 1.0],
        Some(_) => {
            return Err(Refusal::new(Status::UnprocessableEntity, "A joint turns about its x, y or z axis."))
        }
    };
    let turn = joint.filter(|name| !name.is_empty()).map(|joint| CallingTurn {
        joint,
        axis,
        from_degrees: from.unwrap_or(0.0),
        full_degrees: full.unwrap_or(90.0),
    });
    changed_by(shop, id, Step::CallUpShape { shape, turn }).await
}

#[derive(FromForm)]
struct BodyShapeForm {
    shape: String,
    percent: f32,
}

#[post("/fitting/<id>/body-shape", data = "<form>")]
async fn body_shape(shop: &Shop, id: i64, form: Form<BodyShapeForm>) -> Result<Tell, Refusal> {
    let BodyShapeForm { shape, percent } = form.into_inner();
    changed_by(shop, id, Step::WearBodyShape { shape, amount: percent * 0.01 }).await
}

#[post("/fitting/<id>/find-pose/<piece>")]
async fn find_pose(shop: &Shop, id: i64, piece: u32) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::FindPose { piece }).await
}

/// The pose the body was put in by hand, as the viewport has it.
#[post("/fitting/<id>/seat-from-pose/<piece>", data = "<view>")]
async fn seat_from_pose(
    shop: &Shop,
    id: i64,
    piece: u32,
    view: Json<ViewRequest>,
) -> Result<Json<Started>, Refusal> {
    let ViewRequest { pose, turns, .. } = view.into_inner();
    started(shop, id, Step::SeatFromPose { piece, pose, turns }).await
}

#[derive(FromForm)]
struct EaseForm {
    least: f32,
    most: Option<f32>,
    /// Only what is chosen by hand: the picks, as JSON.
    chosen: bool,
    picks: Option<String>,
}

#[post("/fitting/<id>/ease/<piece>", data = "<form>")]
async fn ease(shop: &Shop, id: i64, piece: u32, form: Form<EaseForm>) -> Result<Tell, Refusal> {
    let options = EaseOptions { least_mm: form.least, most_mm: form.most };
    let chosen = chosen_if(form.chosen, form.picks.as_deref())?;
    changed_by(shop, id, Step::Ease { piece, chosen, options }).await
}

#[post("/fitting/<id>/brush/<piece>", data = "<stroke>")]
async fn brush(
    shop: &Shop,
    id: i64,
    piece: u32,
    stroke: Json<BrushStroke>,
) -> Result<Json<Started>, Refusal> {
    started(shop, id, Step::Brush { piece, stroke: stroke.into_inner() }).await
}

#[post("/fitting/<id>/ease-part/<piece>", data = "<ease>")]
async fn ease_part(
    shop: &Shop,
    id: i64,
    piece: u32,
    ease: Json<EaseRequest>,
) -> Result<Json<Started>, Refusal> {
    let EaseRequest { chosen, options } = ease.into_inner();
    started(shop, id, Step::Ease { piece, chosen, options }).await
}

/// A pose set by hand, and its name.
#[derive(Deserialize)]
struct KeepPose {
    name: String,
    #[serde(flatten)]
    view: ViewRequest,
}

#[post("/fitting/<id>/keep-pose", data = "<pose>")]
async fn keep_pose(shop: &Shop, id: i64, pose: Json<KeepPose>) -> Result<Json<Started>, Refusal> {
    let KeepPose { name, view } = pose.into_inner();
    started(shop, id, Step::KeepPose { name, pose: view.pose, turns: view.turns }).await
}

/// The slider of a shape; it was moved to where it is now.
#[post("/fitting/<id>/wear/<piece>", data = "<worn>")]
async fn wear(shop: &Shop, id: i64, piece: u32, worn: Json<WornShape>) -> Result<Json<Started>, Refusal> {
    let WornShape { shape, amount } = worn.into_inner();
    started(shop, id, Step::WearShape { piece, shape, amount }).await
}

#[derive(FromForm)]
struct DropPose {
    name: String,
}

#[post("/fitting/<id>/drop-pose", data = "<form>")]
async fn drop_pose(shop: &Shop, id: i64, form: Form<DropPose>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::DropPose { name: form.into_inner().name }).await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![
        place,
        find_pose,
        body_shape,
        call_up,
        follow_shapes,
        seat_from_pose,
        ease,
        ease_part,
        brush,
        keep_pose,
        drop_pose,
        wear
    ]
}
