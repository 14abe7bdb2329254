//! Seating: which shapes pieces follow, and what calls them up.

use crate::answers::{Refusal, Tell};
use crate::blocking_pool::Shop;
use crate::steps::changed_by;
use rocket::form::Form;
use rocket::http::Status;
use rocket::{post, routes, FromForm, Route};
use tin_cloak_workshop::{CallingTurn, IntakeStep, SeatingStep, Step};

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
    changed_by(shop, id, Step::Seating(SeatingStep::FollowShapes { pieces, follow, shapes })).await
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
    changed_by(shop, id, Step::Intake(IntakeStep::CallUpShape { shape, turn })).await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![call_up, follow_shapes]
}
