//! A limb pulled in the viewport.

use crate::answers::Refusal;
use crate::blocking_pool::{look_aside, Shop};
use rocket::serde::json::Json;
use rocket::{post, routes, Route};
use serde::Deserialize;
use tin_cloak_workshop::{Pull, PullingOfRoom, Turn};

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

pub(crate) fn routes() -> Vec<Route> {
    routes![pull]
}
