//! The board as it fills: its fragment, how far it is, and how to stop it.

use crate::answers::{page, Page, Refusal};
use crate::blocking_pool::{aside, Shop};
use crate::fitting::{BoardForm, BoardLook, MeasuredView};
use rocket::http::Status;
use rocket::response::stream::{Event, EventStream};
use rocket::tokio::time::{sleep, Duration};
use rocket::{get, post, routes, Route, Shutdown};
use std::sync::Arc;

/// The board and what it tells.
#[get("/fitting/<id>/board?<station>&<against>&<look..>")]
async fn board(shop: &Shop, id: i64, station: usize, against: Option<i64>, look: BoardForm) -> Page {
    let look = BoardLook::new(against, look);
    aside(shop, move |shop| page(&MeasuredView::new(shop, id, station, &look)?)).await
}

/// Measures what is missing.
#[post("/fitting/<id>/measure")]
async fn measure(shop: &Shop, id: i64) -> Result<Status, Refusal> {
    aside(shop, move |shop| {
        shop.measure(id)?;
        Ok(Status::NoContent)
    })
    .await
}

/// Stops that: what is measured by then stays.
#[post("/fitting/<id>/measure/stop")]
fn stop(shop: &Shop, id: i64) -> Status {
    shop.stop_measuring(id);
    Status::NoContent
}

/// How many poses are left, as they become fewer; ends when nothing is being measured.
#[get("/fitting/<id>/measuring")]
fn events(shop: &Shop, id: i64, mut end: Shutdown) -> EventStream![] {
    let shop = Arc::clone(shop);
    EventStream! {
        loop {
            let state = shop.measuring(id);
            yield Event::json(&serde_json::json!({ "running": state.running, "left": state.left }));
            if !state.running {
                break;
            }
            rocket::tokio::select! {
                () = sleep(Duration::from_millis(120)) => {}
                () = &mut end => break,
            }
        }
    }
}

pub(crate) fn routes() -> Vec<Route> {
    routes![board, measure, stop, events]
}
