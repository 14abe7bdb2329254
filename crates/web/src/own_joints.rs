//! Joints of the pieces' own: added, set and taken out.

use crate::answers::{Refusal, Tell};
use crate::binding::Picked;
use crate::blocking_pool::Shop;
use crate::steps::{changed_as, changed_by};
use rocket::form::Form;
use rocket::http::Status;
use rocket::{post, routes, FromForm, FromFormField, Route};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::units::from_mm;
use tin_cloak_workshop::{BindingStep, OwnJoint, Step};

#[derive(Clone, Copy, FromFormField)]
enum AxisField {
    Left,
    Up,
    Forward,
}

impl AxisField {
    fn unit(self) -> Vec3 {
        match self {
            Self::Left => Vec3::X,
            Self::Up => Vec3::Y,
            Self::Forward => Vec3::Z,
        }
    }
}

#[derive(FromForm)]
struct NewJoint {
    name: String,
    parent: String,
    axis: AxisField,
    least: f32,
    most: f32,
    /// Length of its bone, straight down, millimetres.
    length: f32,
    reach: f32,
    picked: Picked,
}

#[post("/fitting/<id>/own-joint/<piece>", data = "<form>")]
async fn add_joint(shop: &Shop, id: i64, piece: u32, form: Form<NewJoint>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let room = shop.room(id, None)?;
        let picked = form.picked.only_of(piece);
        let place = room.place_for_joint(piece, picked)?;
        let joint = OwnJoint {
            name: form.name.trim().to_owned(),
            parent: form.parent.trim().to_owned(),
            piece,
            place,
            tip: place - Vec3::Y * from_mm(form.length),
            axis: form.axis.unit(),
            range: [form.least, form.most],
            reach_mm: form.reach,
        };
        Ok(Step::Binding(BindingStep::AddJoint { joint }))
    })
    .await
}

#[derive(FromForm)]
struct JointForm {
    name: String,
    parent: String,
    /// Millimetres.
    place: Vec<f32>,
    tip: Vec<f32>,
    axis: AxisField,
    least: f32,
    most: f32,
    reach: f32,
}

#[post("/fitting/<id>/own-joints/change", data = "<form>")]
async fn change_joint(shop: &Shop, id: i64, form: Form<JointForm>) -> Result<Tell, Refusal> {
    let joint = OwnJoint {
        name: form.name.clone(),
        parent: form.parent.trim().to_owned(),
        // Whose it is stays as it was.
        piece: 0,
        place: point(&form.place)?,
        tip: point(&form.tip)?,
        axis: form.axis.unit(),
        range: [form.least, form.most],
        reach_mm: form.reach,
    };
    changed_by(shop, id, Step::Binding(BindingStep::ChangeJoint { joint })).await
}

fn point(mm: &[f32]) -> Result<Vec3, Refusal> {
    let [x, y, z] = *mm else {
        return Err(Refusal::new(Status::UnprocessableEntity, "A place is three numbers, millimetres."));
    };
    Ok(from_mm(Vec3::new(x, y, z)))
}

pub(crate) fn routes() -> Vec<Route> {
    routes![add_joint, change_joint]
}
