//! The skeleton in the viewport: where its joints are, a limb that is pulled, a joint beside its range.

use crate::answers::Refusal;
use crate::blocking_pool::{look_aside, Shop};
use rocket::serde::json::Json;
use rocket::{post, routes, Route};
use serde::Deserialize;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::{
    JointPlacesOfRoom, Pull, PullingOfRoom, RangeHere, RangeHereOfRoom, Turn, ViewRequest,
};

/// A pose with turns by hand, and what is pulled in it.
#[derive(Deserialize)]
struct PullRequest {
    pose: usize,
    #[serde(default)]
    turns: Vec<Turn>,
    joint: u16,
    by_mm: [f32; 3],
    #[serde(default)]
    both_sides: bool,
}

#[post("/fitting/<id>/pull", data = "<asked>")]
async fn pull(shop: &Shop, id: i64, asked: Json<PullRequest>) -> Result<Json<Vec<Turn>>, Refusal> {
    look_aside(shop, move |shop| {
        let PullRequest { pose, turns, joint, by_mm, both_sides } = &*asked;
        let pull = Pull { joint: *joint, by_mm: *by_mm, both_sides: *both_sides };
        Ok(Json(shop.room(id, None)?.pulled(*pose, turns, pull)?))
    })
    .await
}

/// A pose with turns by hand, and the joint that is asked about.
#[derive(Deserialize)]
struct RangeRequest {
    pose: usize,
    #[serde(default)]
    turns: Vec<Turn>,
    joint: u16,
}

/// How far a joint is turned, beside its range.
#[post("/fitting/<id>/range-here", data = "<asked>")]
async fn range_here(
    shop: &Shop,
    id: i64,
    asked: Json<RangeRequest>,
) -> Result<Json<Option<RangeHere>>, Refusal> {
    look_aside(shop, move |shop| {
        Ok(Json(shop.room(id, None)?.range_here(asked.pose, &asked.turns, asked.joint)?))
    })
    .await
}

/// The place of every joint in what is looked at, metres.
#[post("/fitting/<id>/joint-places", data = "<asked>")]
async fn joint_places(shop: &Shop, id: i64, asked: Json<ViewRequest>) -> Result<Json<Vec<Vec3>>, Refusal> {
    look_aside(shop, move |shop| Ok(Json(shop.room(id, None)?.joint_places(&asked)?))).await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![pull, joint_places, range_here]
}
