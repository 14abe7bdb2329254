//! Binding: who takes weights from whom, and cleaning what came of it.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::aside;
use crate::blocking_pool::Shop;
use crate::by_hand::chosen_by_hand;
use crate::steps::{changed, changed_as, changed_by};
use askama::Template;
use rocket::form::Form;
use rocket::http::Status;
use rocket::{get, post, routes, FromForm, FromFormField, Route};
use tin_cloak_workshop::core::bind::clean::WeightGoes;
use tin_cloak_workshop::core::bind::sides::BodySide;
use tin_cloak_workshop::JointUseOfRoom;
use tin_cloak_workshop::{
    BindOptions, BindingStep, Chosen, Clean, FollowWish, JointChoice, JointUse, Method, Reach, SideWish,
    SourcePart, Step, Suiting, Takes,
};

/// The vertex that was clicked last, and of which part it is.
#[derive(Clone, Copy, FromForm)]
pub(crate) struct Picked {
    part: Option<u32>,
    vertex: Option<u32>,
}

impl Picked {
    /// The vertex, when it is one of this part.
    pub fn only_of(self, part: u32) -> Option<u32> {
        self.vertex.filter(|_| self.part == Some(part))
    }

    /// The vertex, when it is one of this part (0 is the body).
    fn on(self, part: u32, name: &str) -> Result<u32, Refusal> {
        let vertex = self.only_of(part);
        let ask = || Refusal::new(Status::UnprocessableEntity, format!("Click a place on {name} first."));
        vertex.ok_or_else(ask)
    }
}

#[derive(Clone, Copy, FromFormField)]
enum PartField {
    Whole,
    Joints,
    Shells,
    Left,
    Right,
    Patch,
    Kept,
}

#[derive(FromForm)]
struct TakeFrom {
    /// A piece by number, `beneath`, or nothing for the body.
    from: String,
    /// Pieces besides that one, whichever is nearest.
    also: Vec<u32>,
    part: PartField,
    /// Joints or numbers of parts, with commas.
    which: String,
    radius: f32,
    picked: Picked,
}

#[post("/fitting/<id>/take-from/<piece>", data = "<form>")]
async fn take_from(shop: &Shop, id: i64, piece: u32, form: Form<TakeFrom>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let takes = match form.from.as_str() {
            // Chosen where kept bindings are; here only its part could have been changed.
            kept if kept.starts_with("template:") => match shop.room(id, None)?.recipe_of(piece)? {
                recipe if matches!(recipe.takes, Takes::Template(_)) => recipe.takes,
                _ => Takes::Body,
            },
            "" => Takes::Body,
            "beneath" => Takes::Beneath,
            cage if cage.starts_with("cage:") => Takes::Cage(cage[5..].parse().unwrap_or(0)),
            first => {
                let others = form.also.iter().filter(|other| other.to_string() != first);
                Takes::Pieces(first.parse().ok().into_iter().chain(others.copied()).collect())
            }
        };
        let part = match form.part {
            PartField::Whole => SourcePart::Whole,
            PartField::Joints => SourcePart::Joints(names(&form.which)),
            // People count from one.
            PartField::Shells => SourcePart::Shells(
                names(&form.which).iter().filter_map(|n| n.parse::<u32>().ok()?.checked_sub(1)).collect(),
            ),
            PartField::Left => SourcePart::Side(BodySide::Left),
            PartField::Right => SourcePart::Side(BodySide::Right),
            PartField::Kept => SourcePart::Kept(form.which.trim().to_owned()),
            PartField::Patch => {
                let first = takes.pieces().first().copied().unwrap_or(0);
                let vertex = form.picked.on(first, "what it takes from")?;
                SourcePart::Patch(Reach { radius_mm: form.radius, dabs: vec![vertex], mirrored: false })
            }
        };
        Ok(Step::Binding(BindingStep::TakeFrom { piece, takes, part }))
    })
    .await
}

#[derive(FromForm)]
struct MethodForm {
    method: String,
    influences: usize,
    match_mm: Option<f32>,
    match_deg: f32,
    apart: bool,
    apart_mm: f32,
    first: String,
    second: String,
    stretch: f32,
    stiff_first: bool,
    #[field(default = 1.0)]
    bend_mm: f32,
}

#[post("/fitting/<id>/method/<piece>", data = "<form>")]
async fn choose_method(shop: &Shop, id: i64, piece: u32, form: Form<MethodForm>) -> Result<Tell, Refusal> {
    let no_way = || Refusal::new(Status::UnprocessableEntity, "Choose one of the ways to bind.");
    let end = |name: &str| Some(name.trim().to_owned()).filter(|n| !n.is_empty());
    let options = BindOptions {
        method: Method::of_word(&form.method).ok_or_else(no_way)?,
        max_influences: form.influences,
        match_mm: form.match_mm,
        match_deg: form.match_deg,
        apart_mm: form.apart.then_some(form.apart_mm),
        ends: [end(&form.first), end(&form.second)],
        stretch: form.stretch,
        bend_mm: form.stiff_first.then_some(form.bend_mm),
    };
    changed_by(shop, id, Step::Binding(BindingStep::ChooseMethod { piece, options })).await
}

#[derive(Clone, Copy, FromFormField)]
enum FollowField {
    Main,
    Joint,
    Blend,
    Patch,
}

#[derive(FromForm)]
struct FollowStiffForm {
    /// Counted from one; all stiff parts when there is none.
    shell: Option<u32>,
    follow: FollowField,
    joint: String,
}

#[post("/fitting/<id>/follow/<piece>", data = "<form>")]
async fn follow(shop: &Shop, id: i64, piece: u32, form: Form<FollowStiffForm>) -> Result<Tell, Refusal> {
    let follow = match form.follow {
        FollowField::Main => FollowWish::Main,
        FollowField::Joint => FollowWish::Joint(form.joint.trim().to_owned()),
        FollowField::Blend => FollowWish::Blend,
        FollowField::Patch => FollowWish::Patch,
    };
    let shell = form.shell.map(|s| s.saturating_sub(1));
    changed_by(shop, id, Step::Binding(BindingStep::Follow { piece, shell, follow })).await
}

#[derive(Clone, Copy, FromFormField)]
enum SideField {
    Left,
    Centre,
    Right,
}

#[derive(FromForm)]
struct SideForm {
    side: SideField,
    reach: f32,
    picked: Picked,
}

#[post("/fitting/<id>/side/<piece>", data = "<form>")]
async fn mark_side(shop: &Shop, id: i64, piece: u32, form: Form<SideForm>) -> Result<Tell, Refusal> {
    let side = match form.side {
        SideField::Left => BodySide::Left,
        SideField::Centre => BodySide::Centre,
        SideField::Right => BodySide::Right,
    };
    let vertex = form.picked.on(piece, "this piece")?;
    changed_by(
        shop,
        id,
        Step::Binding(BindingStep::MarkSide { piece, mark: SideWish { vertex, side, reach_mm: form.reach } }),
    )
    .await
}

#[derive(FromForm)]
struct JointUses {
    only: bool,
    joints: String,
}

#[post("/fitting/<id>/joints/<piece>", data = "<form>")]
async fn choose_joints(shop: &Shop, id: i64, piece: u32, form: Form<JointUses>) -> Result<Tell, Refusal> {
    let joints = names(&form.joints);
    let choice = (!joints.is_empty()).then_some(JointChoice { only: form.only, joints });
    changed_by(shop, id, Step::Binding(BindingStep::ChooseJoints { piece, choice })).await
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
    /// Of mirroring: only the joints named.
    only_joint: bool,
    goes: GoesField,
    locked: String,
    /// Only round the place that was clicked.
    near: bool,
    near_mm: f32,
    /// Only what is chosen by hand: the picks, as JSON.
    chosen: bool,
    picks: Option<String>,
    picked: Picked,
}

#[post("/fitting/<id>/clean", data = "<form>")]
async fn clean(shop: &Shop, id: i64, form: Form<CleanForm>) -> Result<Tell, Refusal> {
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
        How::Mirror => {
            let joints = if form.only_joint { names(&form.joint) } else { Vec::new() };
            Clean::Mirror { from_left: form.from_left, blend_mm: form.blend, joints }
        }
        How::Remove => Clean::RemoveJoints { joints: names(&form.joint), goes },
    };
    let (piece, locked) = (form.piece, names(&form.locked));
    let chosen = match form.near {
        _ if form.chosen => chosen_by_hand(form.picks.as_deref())?,
        true => {
            let dabs = vec![form.picked.on(piece, "the piece to clean")?];
            Chosen::Around(Reach { radius_mm: form.near_mm, dabs, mirrored: false })
        }
        false => Chosen::Everything,
    };
    changed_by(shop, id, Step::Binding(BindingStep::Clean { piece, clean, chosen, locked })).await
}

#[derive(Template)]
#[template(path = "templates_for.html")]
struct TemplatesFor {
    id: i64,
    piece: u32,
    kept: Vec<Suiting>,
}

/// The kept bindings for a piece, by likeness.
#[get("/fitting/<id>/templates-for/<piece>")]
async fn templates_for(shop: &Shop, id: i64, piece: u32) -> Page {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let missing = || Refusal::new(Status::NotFound, "There is no such piece here: reload the page.");
        let index = room.index_of(piece).ok_or_else(missing)?;
        page(&TemplatesFor { id, piece, kept: shop.templates_for(&room, index)? })
    })
    .await
}

#[derive(FromForm)]
struct UseTemplate {
    template: i64,
}

#[post("/fitting/<id>/use-template/<piece>", data = "<form>")]
async fn use_template(shop: &Shop, id: i64, piece: u32, form: Form<UseTemplate>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| Ok(shop.template_step(form.template, piece)?)).await
}

#[derive(FromForm)]
struct KeepTemplate {
    name: String,
}

#[post("/fitting/<id>/keep-template/<piece>", data = "<form>")]
async fn keep_template(shop: &Shop, id: i64, piece: u32, form: Form<KeepTemplate>) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        shop.keep_template(id, piece, &form.name)?;
        Ok(changed())
    })
    .await
}

#[derive(Template)]
#[template(path = "piece_joints.html")]
struct PieceJoints {
    joints: Vec<JointUse>,
    /// How many of them move it.
    used: usize,
}

/// Who moves a piece.
#[get("/fitting/<id>/piece-joints/<piece>")]
async fn piece_joints(shop: &Shop, id: i64, piece: u32) -> Page {
    aside(shop, move |shop| {
        let joints = shop.room(id, None)?.joint_use(piece)?;
        let used = joints.iter().filter(|j| j.vertices > 0).count();
        page(&PieceJoints { joints, used })
    })
    .await
}

/// Names of joints with commas between them.
fn names(text: &str) -> Vec<String> {
    text.split(',').map(str::trim).filter(|n| !n.is_empty()).map(str::to_owned).collect()
}

pub(crate) fn routes() -> Vec<Route> {
    routes![
        take_from,
        choose_method,
        choose_joints,
        follow,
        mark_side,
        clean,
        templates_for,
        use_template,
        keep_template,
        piece_joints
    ]
}
