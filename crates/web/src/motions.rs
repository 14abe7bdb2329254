//! Motions from other files, joints' roles and how far they turn.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::aside;
use crate::blocking_pool::Shop;
use crate::joint_match::{JointMatch, MatchWords};
use crate::steps::changed_as;
use askama::Template;
use rocket::form::Form;
use rocket::http::Status;
use rocket::{get, post, routes, FromForm, Route};
use tin_cloak_workshop::core::trial::{JointRange, MotionRanges};
use tin_cloak_workshop::{MotionJoints, Room, Step, TrialStep, Workshop};

/// An axis of a joint's range.
struct AxisRow {
    /// Also the field's name in the form.
    name: &'static str,
    least: f32,
    most: f32,
    /// What the clips use.
    used: String,
}

/// One joint's range as the editor shows it.
#[derive(Template)]
#[template(path = "range.html")]
struct RangeEditor {
    fitting: i64,
    joint: String,
    role: &'static str,
    roles: &'static [&'static str],
    /// None when the joint is no known part of a person.
    axes: Option<[AxisRow; 3]>,
    by_hand: bool,
    /// Number and name of every piece.
    pieces: Vec<(u32, String)>,
    /// Those that narrow it.
    narrowed_by: Vec<(u32, String)>,
    worn: String,
}

const ROLES: [&str; 5] = ["deforms", "twist", "control", "attachment", "carries"];

fn words(range: JointRange) -> String {
    let part = |name: &str, [least, most]: [f32; 2]| format!("{name} {least:.0} to {most:.0}°");
    let parts = [part("forward", range.forward), part("sideways", range.sideways), part("turn", range.turn)];
    parts.join(", ")
}

fn editor(fitting: i64, room: &Room, joint: &str) -> Result<RangeEditor, Refusal> {
    let body = &room.dress.body;
    let missing = || Refusal::new(Status::NotFound, "There is no such joint here: reload the page.");
    let id = body.skeleton.find(joint).ok_or_else(missing)?;
    let found = room.range_of(&MotionRanges::new(&body.skeleton), id);
    let used = found.as_ref().and_then(|f| f.1);
    let axis = |name, [least, most]: [f32; 2], used: Option<[f32; 2]>| {
        let used = used.map_or(String::new(), |[a, b]| format!("{a:.0} to {b:.0}°"));
        AxisRow { name, least: least.round(), most: most.round(), used }
    };
    let pieces: Vec<(u32, String)> = (0..room.dress.pieces.len())
        .map(|i| (room.piece_state(i).id, room.dress.pieces[i].name.clone()))
        .collect();
    let narrowed = found.as_ref().map_or(&[][..], |f| &f.0.narrowed_by);
    Ok(RangeEditor {
        fitting,
        joint: joint.to_owned(),
        role: body.joint_facts()[id.index()].role.word(),
        roles: &ROLES,
        axes: found.as_ref().map(|(row, _)| {
            [
                axis("forward", row.own.forward, used.map(|u| u.forward)),
                axis("sideways", row.own.sideways, used.map(|u| u.sideways)),
                axis("turn", row.own.turn, used.map(|u| u.turn)),
            ]
        }),
        by_hand: found.as_ref().is_some_and(|f| f.0.by_hand),
        narrowed_by: pieces.iter().filter(|p| narrowed.contains(&p.0)).cloned().collect(),
        worn: found.map_or(String::new(), |(row, _)| words(row.worn)),
        pieces,
    })
}

#[get("/fitting/<id>/range?<joint>")]
async fn range(shop: &Shop, id: i64, joint: String) -> Page {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        page(&editor(id, &room, &joint)?)
    })
    .await
}

#[derive(FromForm)]
struct MotionForm {
    asset: i64,
}

#[post("/fitting/<id>/motion", data = "<form>")]
async fn add_motion(shop: &Shop, id: i64, form: Form<MotionForm>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| Ok(shop.motion_step(form.asset)?)).await
}

const WORDS: MatchWords = MatchWords {
    joint: "joint of the body",
    is: "follows",
    none: "nothing",
    field: "source",
    button: "Match so",
};

fn motion_at(shop: &Workshop, room: &Room, motion: usize) -> Result<MotionJoints, Refusal> {
    let gone = || Refusal::new(Status::NotFound, "There is no such motion here: reload the page.");
    shop.motion_joints(room)?.into_iter().nth(motion).ok_or_else(gone)
}

#[get("/fitting/<id>/motion/<motion>")]
async fn motion_table(shop: &Shop, id: i64, motion: usize) -> Page {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let MotionJoints { joints, source_of, .. } = motion_at(shop, &room, motion)?;
        let names = room.dress.body.skeleton.names.iter().cloned();
        let rows = names.zip(source_of.into_iter().map(Option::unwrap_or_default)).collect();
        page(&JointMatch {
            action: format!("/fitting/{id}/motion/{motion}/match"),
            words: WORDS,
            joints,
            rows,
        })
    })
    .await
}

#[derive(FromForm)]
struct MatchForm {
    /// For each joint of the body the motion's joint, or nothing.
    source: Vec<String>,
}

#[post("/fitting/<id>/motion/<motion>/match", data = "<form>")]
async fn match_joints(shop: &Shop, id: i64, motion: usize, form: Form<MatchForm>) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let room = shop.room(id, None)?;
        let names = room.dress.body.skeleton.names.iter().cloned();
        let pairs = form.into_inner().source.into_iter().zip(names);
        let pairs = pairs.filter(|(source, _)| !source.is_empty()).collect();
        Ok(Step::Trial(TrialStep::MatchJoints { motion, pairs }))
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![range, add_motion, motion_table, match_joints]
}
