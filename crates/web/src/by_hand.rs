//! Weights by hand: choosing vertices, and changing what moves them.

use crate::answers::Refusal;
use crate::binary::Binary;
use crate::blocking_pool::{look_aside, Shop};
use crate::look::preview;
use crate::typed_step::{started, Started};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{post, routes, Route};
use serde::Deserialize;
use tin_cloak_workshop::HandViewOfRoom;
use tin_cloak_workshop::{
    table_of_text, BindingStep, Chosen, ChosenView, Clean, Cleaned, HandChange, Pick, Reach, Room, Step,
    ViewRequest,
};

/// What is chosen, and in which pose.
#[derive(Deserialize)]
struct ChooseRequest {
    picks: Vec<Pick>,
    view: ViewRequest,
}

#[post("/fitting/<id>/choose/<piece>", data = "<asked>")]
async fn choose(
    shop: &Shop,
    id: i64,
    piece: u32,
    asked: Json<ChooseRequest>,
) -> Result<Json<ChosenView>, Refusal> {
    look_aside(shop, move |shop| Ok(Json(shop.choose(id, piece, &asked.picks, &asked.view)?))).await
}

/// What is chosen by hand, as a form sends it along.
pub(crate) fn chosen_by_hand(picks: Option<&str>) -> Result<Chosen, Refusal> {
    let ask = "Choose some vertices of it first, above the board.";
    let picks = picks.and_then(|p| serde_json::from_str(p).ok());
    let some = picks.filter(|p: &Vec<Pick>| !p.is_empty());
    Ok(Chosen::Picks(some.ok_or_else(|| Refusal::new(Status::UnprocessableEntity, ask))?))
}

/// A change, where, and the joints that keep their weights.
#[derive(Deserialize)]
struct HandRequest {
    #[serde(default)]
    picks: Vec<Pick>,
    /// Under a brush, instead of what is picked.
    #[serde(default)]
    brush: Option<Reach>,
    /// So much of a brush's radius gets all of it, in percent.
    #[serde(default)]
    firm_percent: Option<f32>,
    change: HandChange,
    #[serde(default)]
    locked: Vec<String>,
    #[serde(default)]
    view: ViewRequest,
}

impl HandRequest {
    fn cleaned(self) -> Cleaned {
        let chosen = self.brush.map_or(Chosen::Picks(self.picks), Chosen::Around);
        let clean = Clean::ByHand { change: self.change, firm_percent: self.firm_percent };
        Cleaned { clean, chosen, locked: self.locked }
    }
}

#[post("/fitting/<id>/by-hand-view/<piece>", data = "<asked>")]
async fn by_hand_view(shop: &Shop, id: i64, piece: u32, asked: Json<HandRequest>) -> Result<Binary, Refusal> {
    preview(shop, id, move |room: &Room| {
        let asked = asked.into_inner();
        let view = asked.view.clone();
        room.hand_view(piece, &asked.cleaned(), &view)
    })
    .await
}

/// A table of weights as text.
#[derive(Deserialize)]
struct TableRequest {
    text: String,
    /// By the places of a table that has both.
    #[serde(default)]
    by_place: bool,
    #[serde(default)]
    locked: Vec<String>,
}

#[post("/fitting/<id>/by-hand-table/<piece>", data = "<table>")]
async fn by_hand_table(
    shop: &Shop,
    id: i64,
    piece: u32,
    table: Json<TableRequest>,
) -> Result<Json<Started>, Refusal> {
    let TableRequest { text, by_place, locked } = table.into_inner();
    let clean = Clean::ByHand { change: table_of_text(&text, by_place)?, firm_percent: None };
    started(shop, id, Step::Binding(BindingStep::Clean { piece, clean, chosen: Chosen::Everything, locked }))
        .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![choose, by_hand_view, by_hand_table]
}
