//! A plan of mending: made, shown as far as it is, stopped, done.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::mending_rows::PlanShown;
use crate::steps::changed_as;
use askama::Template;
use rocket::http::Status;
use rocket::{get, post, routes, Route};
use tin_cloak_workshop::WorkshopError;

/// The card of the plan alone.
#[derive(Template)]
#[template(path = "card_plan.html")]
struct PlanPart {
    s: OfFitting,
}

struct OfFitting {
    id: i64,
    mending: Option<PlanShown>,
}

#[get("/fitting/<id>/plan")]
async fn shown(shop: &Shop, id: i64) -> Page {
    aside(shop, move |shop| {
        let mending = PlanShown::shown(shop, id, &*shop.room(id, None)?)?;
        page(&PlanPart { s: OfFitting { id, mending } })
    })
    .await
}

#[post("/fitting/<id>/plan")]
async fn make(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        let job = shop.make_plan(id, Vec::new())?;
        Ok(Tell::job_started(job))
    })
    .await
}

#[post("/fitting/<id>/plan/all")]
async fn do_all(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        let job = shop.do_plan(id)?;
        Ok(Tell::job_started(job))
    })
    .await
}

/// Does the next step of the plan.
#[post("/fitting/<id>/plan/next")]
async fn do_next(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let plan = shop.plan_of(&*shop.room(id, None)?)?;
        let next = plan.and_then(|p| p.steps.first().map(|t| t.means.step.clone()));
        Ok(next.ok_or(WorkshopError::NoPlan)?)
    })
    .await
}

/// Stops making it: what was found by then is a plan.
#[post("/fitting/<id>/plan/stop")]
fn stop(shop: &Shop, id: i64) -> Status {
    let job = shop.plan_so_far(id).and_then(|_| shop.jobs().running(id));
    if let Some((_, job)) = job {
        job.stop();
    }
    Status::NoContent
}

pub(crate) fn routes() -> Vec<Route> {
    routes![shown, make, do_all, do_next, stop]
}
