//! The one way to a step: typed, as JSON. A button or a form sends it in a field, a script by itself.

use crate::answers::{Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::steps::changed_by;
use rocket::form::Form;
use rocket::http::Status;
use rocket::serde::json::{Json, Value};
use rocket::{post, routes, FromForm, Route};
use serde::Serialize;
use tin_cloak_workshop::{Step, TrialPlan, TrialStep};

#[derive(FromForm)]
struct StepField {
    step: String,
}

/// A step as the page may take it: it shows rest, whatever a plan of trials leaves out.
fn of_page(step: Step) -> Step {
    match step {
        Step::Trial(TrialStep::Try { plan, said }) => {
            Step::Trial(TrialStep::Try { plan: TrialPlan { left_out: Vec::new(), ..plan }, said })
        }
        other => other,
    }
}

fn refused(why: &serde_json::Error) -> Refusal {
    Refusal::new(Status::UnprocessableEntity, format!("That is no step: {why}."))
}

/// `first`: it is tried, and nothing is changed.
#[post("/fitting/<id>/step?<first>", format = "form", data = "<form>")]
async fn by_form(shop: &Shop, id: i64, first: bool, form: Form<StepField>) -> Result<Tell, Refusal> {
    let step: Step = serde_json::from_str(&form.step).map_err(|why| refused(&why))?;
    let step = of_page(step);
    if !first {
        return changed_by(shop, id, step).await;
    }
    aside(shop, move |shop| Ok(Tell::job_started(shop.try_step(id, step)?))).await
}

/// Does a step that was tried.
#[post("/fitting/<id>/tried/<place>")]
async fn do_tried(shop: &Shop, id: i64, place: usize) -> Result<Tell, Refusal> {
    aside(shop, move |shop| Ok(Tell::job_started(shop.do_tried(id, place)?))).await
}

/// Forgets those that were tried.
#[post("/fitting/<id>/forget-tried")]
async fn forget_tried(shop: &Shop, id: i64) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        shop.forget_tried(id);
        Ok(Tell::fitting_changed())
    })
    .await
}

/// A job that was begun for a script that waits for it.
#[derive(Serialize)]
pub(crate) struct Started {
    job: u64,
    /// Number of the step that it makes, if nothing refuses it.
    step: i64,
}

/// `instead_of`: it takes the place of the last step, which has that number.
#[post("/fitting/<id>/step?<instead_of>", format = "json", data = "<step>")]
async fn by_script(
    shop: &Shop,
    id: i64,
    instead_of: Option<i64>,
    step: Json<Value>,
) -> Result<Json<Started>, Refusal> {
    let step = serde_json::from_value(step.into_inner()).map_err(|why| refused(&why))?;
    let step = of_page(step);
    let Some(seq) = instead_of else { return started(shop, id, step).await };
    aside(shop, move |shop| Ok(Json(Started { job: shop.start_instead(id, step, seq)?, step: seq }))).await
}

pub(crate) async fn started(shop: &Shop, id: i64, step: Step) -> Result<Json<Started>, Refusal> {
    aside(shop, move |shop| {
        let step_made = shop.stored(id)?.cursor + 1;
        Ok(Json(Started { job: shop.start(id, step)?, step: step_made }))
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![by_form, by_script, do_tried, forget_tried]
}
