//! Joints that a piece came with, and the body's that stand for them.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::joint_match::{JointMatch, MatchWords};
use crate::steps::changed_as;
use rocket::form::Form;
use rocket::http::Status;
use rocket::{get, post, routes, FromForm, Route};
use tin_cloak_workshop::{BindingStep, Room, Step};

const WORDS: MatchWords = MatchWords {
    joint: "joint of its file",
    is: "is",
    none: "the joint above it",
    field: "of_body",
    button: "Keep its weights so",
};

/// The joints of a piece's file that move it.
fn carrying(room: &Room, piece: u32) -> Result<Vec<String>, Refusal> {
    let found = room.dress.pieces.iter().find(|p| p.id == piece).and_then(|p| p.came.clone());
    let gone = || Refusal::new(Status::NotFound, "This piece came without weights: reload the page.");
    let came = found.ok_or_else(gone)?;
    Ok(came.carrying().into_iter().map(|j| came.skeleton.names[j.index()].clone()).collect())
}

#[get("/fitting/<id>/came/<piece>")]
async fn came_table(shop: &Shop, id: i64, piece: u32) -> Page {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let own = carrying(&room, piece)?;
        let pairs = room.state.pieces.iter().find(|p| p.id == piece).map(|p| p.recipe.came.clone());
        let pairs = pairs.unwrap_or_default();
        let of_body = |name: &String| pairs.iter().find(|p| p.0 == *name).map(|p| p.1.clone());
        let rows = own.into_iter().map(|n| (n.clone(), of_body(&n).unwrap_or_default())).collect();
        let joints = room.dress.body.skeleton.names.clone();
        page(&JointMatch { action: format!("/fitting/{id}/came/{piece}"), words: WORDS, joints, rows })
    })
    .await
}

#[derive(FromForm)]
struct CameForm {
    /// For each joint of the piece's file the body's, or nothing.
    of_body: Vec<String>,
}

#[post("/fitting/<id>/came/<piece>", data = "<form>")]
async fn match_came(shop: &Shop, id: i64, piece: u32, form: Form<CameForm>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let own = carrying(&*shop.room(id, None)?, piece)?;
        let pairs = own.into_iter().zip(form.into_inner().of_body);
        let pairs = pairs.filter(|(_, of_body)| !of_body.is_empty()).collect();
        Ok(Step::Binding(BindingStep::MatchCame { piece, pairs }))
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![came_table, match_came]
}
