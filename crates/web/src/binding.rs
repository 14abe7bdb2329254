//! Binding: who takes weights from whom, and cleaning what came of it.

use crate::answers::{Refusal, Tell};
use crate::steps::{changed_by, Shop};
use rocket::form::Form;
use rocket::{post, routes, FromForm, FromFormField, Route};
use tin_cloak_workshop::core::bind::clean::WeightGoes;
use tin_cloak_workshop::{Chosen, Clean, JointChoice, Step};

#[derive(FromForm)]
struct TakeFrom {
    /// A piece; the body when there is none.
    from: Option<u32>,
}

#[post("/fitting/<id>/take-from/<piece>", data = "<form>")]
fn take_from(shop: &Shop, id: i64, piece: u32, form: Form<TakeFrom>) -> Result<Tell, Refusal> {
    changed_by(shop, id, Step::TakeFrom { piece, from: form.from })
}

#[derive(FromForm)]
struct Joints {
    only: bool,
    joints: String,
}

#[post("/fitting/<id>/joints/<piece>", data = "<form>")]
fn choose_joints(shop: &Shop, id: i64, piece: u32, form: Form<Joints>) -> Result<Tell, Refusal> {
    let joints = names(&form.joints);
    let choice = (!joints.is_empty()).then_some(JointChoice { only: form.only, joints });
    changed_by(shop, id, Step::ChooseJoints { piece, choice })
}

#[derive(Clone, Copy, FromFormField)]
enum How {
    Limit,
    Prune,
    Smooth,
    Torn,
    Strays,
    Mirror,
    Remove,
}

#[derive(Clone, Copy, FromFormField)]
enum GoesField {
    Others,
    Parent,
    Surface,
}

/// All fields of the card; each way reads its own.
#[derive(FromForm)]
struct CleanForm {
    piece: u32,
    how: How,
    most: usize,
    least: f32,
    strength: f32,
    times: usize,
    from_left: bool,
    blend: f32,
    joint: String,
    goes: GoesField,
    locked: String,
}

#[post("/fitting/<id>/clean", data = "<form>")]
fn clean(shop: &Shop, id: i64, form: Form<CleanForm>) -> Result<Tell, Refusal> {
    let form = form.into_inner();
    let goes = match form.goes {
        GoesField::Others => WeightGoes::ToOthers,
        GoesField::Parent => WeightGoes::ToParent,
        GoesField::Surface => WeightGoes::ToSurface,
    };
    let clean = match form.how {
        How::Limit => Clean::Limit { most: form.most },
        How::Prune => Clean::Prune { least: form.least },
        How::Smooth => Clean::Smooth { strength: form.strength, times: form.times },
        How::Torn => Clean::MendTorn,
        How::Strays => Clean::DropStrays,
        How::Mirror => Clean::Mirror { from_left: form.from_left, blend_mm: form.blend },
        How::Remove => Clean::RemoveJoints { joints: names(&form.joint), goes },
    };
    let (piece, chosen, locked) = (form.piece, Chosen::Everything, names(&form.locked));
    changed_by(shop, id, Step::Clean { piece, clean, chosen, locked })
}

/// Names of joints with commas between them.
fn names(text: &str) -> Vec<String> {
    text.split(',').map(str::trim).filter(|n| !n.is_empty()).map(str::to_owned).collect()
}

pub(crate) fn routes() -> Vec<Route> {
    routes![take_from, choose_joints, clean]
}
