//! What is tried, how it counts, and the worst that was found.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::snag_acts::{snag_presses, SnagPress};
use crate::steps::changed_as;
use askama::Template;
use rocket::form::Form;
use rocket::http::{ContentType, Header};
use rocket::response::{self, Responder};
use rocket::serde::json::Json;
use rocket::{get, post, routes, FromForm, Request, Response, Route};
use std::io::Cursor;
use tin_cloak_workshop::core::trial::SwingAxis;
use tin_cloak_workshop::{
    snag_verdict, AtRandom, BoardPair, CountRule, Counts, Frames, Room, Step, Sweep, Target, Trial,
    TrialChange, TrialPlan, TrialStep, WorstSnag,
};

/// On the page, for each way to count its field's value and its words.
pub(crate) const COUNTS: [(&str, &str); 3] =
    [("counted", "counted"), ("stress", "stress only"), ("aside", "left aside")];

pub(crate) fn counts_key(counts: Counts) -> &'static str {
    match counts {
        Counts::Counted => "counted",
        Counts::Stress => "stress",
        Counts::Aside => "aside",
    }
}

/// How one thing counts, as a form shows it.
pub(crate) struct CountRow {
    /// `pose`, `group` or `pair`.
    pub what: &'static str,
    /// The step that says it, as JSON; its form says how.
    pub step: String,
    pub words: String,
    pub counts: &'static str,
    pub note: String,
}

/// What can be said of the pose and the pair that are looked at.
pub(crate) struct CountsHere {
    pub rows: Vec<CountRow>,
    /// Of the pair the step that gives it a tolerance, which it has, and whether that is its own.
    pub pair: Option<(String, f32, bool)>,
    pub choices: [(&'static str, &'static str); 3],
}

impl CountsHere {
    pub fn new(room: &Room, pose: usize, pair: Option<&BoardPair>) -> Option<Self> {
        let (trial, plan) = (room.trials.trials.get(pose)?, &room.state.plan);
        let note = |target: &Target| {
            plan.counts.iter().find(|r| r.target == *target).map_or(String::new(), |r| r.note.clone())
        };
        let row = |what, words: String, counts, target: Target| {
            let (key, note) = (counts_key(counts), note(&target));
            let step = step_json(TrialChange::Count { target, counts, note: String::new() });
            CountRow { what, step, words, counts: key, note }
        };
        let of_pose = plan.of_pose(&trial.group, &trial.name, trial.time);
        let mut rows = vec![row("pose", trial.label(), of_pose, trial.target())];
        let group = Target::Group { group: trial.group.clone() };
        let of_group = plan.counts.iter().find(|r| r.target == group).map_or(Counts::Counted, |r| r.counts);
        if !trial.is_rest() {
            rows.push(row("group", format!("all of {}", trial.group), of_group, group));
        }
        if let Some(p) = pair {
            let target = Target::Pair { outer: p.outer.clone(), inner: p.inner.clone() };
            rows.push(row("pair", p.label(), p.counts, target));
        }
        let pair = pair.map(|p| {
            let own = plan.tolerance_of(&p.outer, &p.inner);
            let (outer, inner) = (p.outer.clone(), p.inner.clone());
            let step = step_json(TrialChange::PairTolerance { outer, inner, tolerance_mm: None });
            (step, own.unwrap_or(room.state.tolerance_mm), own.is_some())
        });
        Some(Self { rows, pair, choices: COUNTS })
    }
}

/// The step that changes one thing of the trials, as a form has it.
fn step_json(change: TrialChange) -> String {
    serde_json::to_string(&Step::Trial(TrialStep::ChangeTrials { change })).unwrap_or_default()
}

/// The whole plan, as the card shows it.
pub(crate) struct PlanCard {
    /// What is not simply counted: words, how, why, and the step after which it is.
    pub rules: Vec<(String, &'static str, String, String)>,
    pub tolerances: Vec<(String, f32)>,
    /// Words, how many poses, and the step that ends it.
    pub sweeps: Vec<(String, usize, String)>,
    /// Poses at random, and of an arm, a leg and the trunk at once: how many, and their seed.
    pub random: (usize, u64),
    pub combined: (usize, u64),
    /// As the step has it, and each way that is offered with its words.
    pub frames: String,
    pub frame_choices: [(String, String); 6],
    pub hidden_counts: bool,
    pub body_shapes: bool,
    pub shapes_in_clips: bool,
    pub driven_off: bool,
    pub ground: bool,
    pub on_the_way: bool,
    /// Pieces, and whether they are off while it is asked what is seen.
    pub pieces: Vec<(String, bool)>,
    /// Other fittings whose trials can be taken over.
    pub others: Vec<(i64, String)>,
    pub axes: [&'static str; 3],
}

/// Ways to try clips that the page offers.
const FRAMES: [Frames; 6] =
    [Frames::Some(6), Frames::Some(12), Frames::Some(24), Frames::Rate(15), Frames::Rate(30), Frames::All];

/// As the form has it: none, of the first seed, where nothing was said.
fn poses_and_seed(drawn: Option<AtRandom>) -> (usize, u64) {
    drawn.map_or((0, 1), |r| (r.poses, r.seed))
}

impl PlanCard {
    pub fn new(plan: &TrialPlan, pieces: &[&str], others: Vec<(i64, String)>) -> Self {
        let rule = |r: &CountRule| {
            let again = step_json(TrialChange::CountAgain { target: r.target.clone() });
            (r.target.words(), r.counts.word(), r.note.clone(), again)
        };
        let swing = |s: &Sweep| {
            let end = step_json(TrialChange::NoSwing { group: s.group() });
            (s.group(), s.steps, end)
        };
        let json = |frames: Frames| serde_json::to_string(&frames).unwrap_or_default();
        Self {
            rules: plan.counts.iter().map(rule).collect(),
            tolerances: (plan.tolerances.iter())
                .map(|t| (format!("{} over {}", t.outer, t.inner), t.tolerance_mm))
                .collect(),
            sweeps: plan.sweeps.iter().map(swing).collect(),
            random: poses_and_seed(plan.random),
            combined: poses_and_seed(plan.combined),
            frames: json(plan.frames),
            frame_choices: FRAMES.map(|f| (json(f), f.words())),
            hidden_counts: plan.hidden_counts,
            body_shapes: plan.body_shapes,
            shapes_in_clips: plan.shapes_in_clips,
            driven_off: plan.driven_off,
            ground: plan.ground,
            on_the_way: plan.on_the_way,
            pieces: pieces.iter().map(|p| ((*p).to_owned(), plan.is_off(p))).collect(),
            others,
            axes: SwingAxis::ALL.map(SwingAxis::word),
        }
    }
}

#[derive(FromForm)]
struct FromOther {
    fitting: i64,
}

/// Takes over the trials of another fitting.
#[post("/fitting/<id>/trials-of", data = "<form>")]
async fn trials_of(shop: &Shop, id: i64, form: Form<FromOther>) -> Result<Tell, Refusal> {
    let other = form.fitting;
    changed_as(shop, id, move |shop| {
        let room = shop.room(id, None)?;
        let from = shop.room(other, None)?;
        let mut plan = from.state.plan.clone();
        plan.sweeps.retain(|s| room.dress.body.skeleton.find(&s.joint).is_some());
        let said = format!("Trials: as in {}", shop.stored(other)?.name);
        Ok(Step::Trial(TrialStep::Try { plan, said }))
    })
    .await
}

/// A trial set of a file.
#[post("/fitting/<id>/trials.json", data = "<plan>")]
async fn put_set(shop: &Shop, id: i64, plan: String) -> Result<Json<serde_json::Value>, Refusal> {
    aside(shop, move |shop| {
        let plan = TrialPlan::of_json("The file", plan.as_bytes())?;
        // The page shows rest, whatever a file leaves out.
        let plan = TrialPlan { left_out: Vec::new(), ..plan };
        let job =
            shop.start(id, Step::Trial(TrialStep::Try { plan, said: "Trials: as a file says".to_owned() }))?;
        Ok(Json(serde_json::json!({ "job": job })))
    })
    .await
}

/// Text to keep as a file.
pub(crate) struct TextFile {
    pub name: &'static str,
    pub kind: ContentType,
    pub text: String,
}

impl<'r> Responder<'r, 'static> for TextFile {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        let bytes = self.text.into_bytes();
        Response::build()
            .header(self.kind)
            .header(Header::new("Content-Disposition", format!("attachment; filename=\"{}\"", self.name)))
            .sized_body(bytes.len(), Cursor::new(bytes))
            .ok()
    }
}

#[get("/fitting/<id>/trials.json")]
async fn get_set(shop: &Shop, id: i64) -> Result<TextFile, Refusal> {
    aside(shop, move |shop| {
        let plan = &shop.room(id, None)?.state.plan;
        let text = serde_json::to_string_pretty(plan).unwrap_or_default();
        Ok(TextFile { name: "trials.json", kind: ContentType::JSON, text })
    })
    .await
}

/// The board as a table.
#[get("/fitting/<id>/board.csv")]
async fn board_csv(shop: &Shop, id: i64) -> Result<TextFile, Refusal> {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let board = shop.board(&room)?;
        let text = board.map_or(String::new(), |b| b.to_csv());
        Ok(TextFile { name: "board.csv", kind: ContentType::CSV, text })
    })
    .await
}

/// One of the worst snags on its card.
pub(crate) struct SnagRow {
    pub number: usize,
    pub snag: WorstSnag,
    /// Pose, place from the left and height of a bar for each pose that has it.
    pub bars: Vec<(usize, String, f32, f32)>,
    /// `x,y,z` of the place and from where it is seen best.
    pub spot: String,
    pub acts: Vec<SnagPress>,
    /// The piece on which its vertices can be chosen, and what they are to choosing, as JSON.
    pub choose: Option<u32>,
    pub what: String,
    pub verdict: String,
}

/// Width and height of a strip of depths by pose.
const STRIP: (f32, f32) = (138.0, 14.0);

impl SnagRow {
    pub fn new(room: &Room, number: usize, snag: WorstSnag) -> Self {
        let poses = snag.depths_mm.len().max(1) as f32;
        let bar = |(pose, depth): (usize, &f32)| {
            let label = room.trials.trials.get(pose).map_or_else(String::new, Trial::label);
            let height = (depth / snag.card.deepest_mm * STRIP.1).max(1.5);
            (pose, format!("{label}: {depth:.1} mm"), pose as f32 / poses * STRIP.0, height)
        };
        let bars = snag.depths_mm.iter().enumerate().filter(|d| *d.1 > 0.0).map(bar).collect();
        let spot = snag.card.point.iter().chain(&snag.card.look).map(|v| format!("{v:.4}"));
        let (acts, verdict) = (snag_presses(room, snag.ids, snag.pose), snag_verdict(room, &snag));
        let choose = Some(snag.ids[0]).filter(|id| room.index_of(*id).is_some());
        let (what, spot) = (format!("{{\"snag\":{number}}}"), spot.collect::<Vec<_>>().join(","));
        Self { number, bars, spot, acts, choose, what, verdict, snag }
    }

    /// Width of a bar.
    pub fn bar(&self) -> f32 {
        (STRIP.0 / self.snag.depths_mm.len().max(1) as f32 - 0.6).max(0.8)
    }
}

#[derive(Template)]
#[template(path = "worst_snags.html")]
struct WorstSnags {
    id: i64,
    step: i64,
    rows: Vec<SnagRow>,
}

/// The worst snags over all poses.
#[get("/fitting/<id>/worst-snags")]
async fn worst_snags(shop: &Shop, id: i64) -> Page {
    aside(shop, move |shop| {
        let step = shop.stored(id)?.cursor;
        let room = shop.room(id, None)?;
        let snags = shop.worst_snags(&room, 10)?;
        let rows = snags.into_iter().enumerate().map(|(n, s)| SnagRow::new(&room, n, s)).collect();
        page(&WorstSnags { id, step, rows })
    })
    .await
}

/// A picture of one of them; `step` only tells one state of the fitting from another.
#[get("/fitting/<id>/snag/<number>/picture.png?<step>")]
async fn snag_picture(
    shop: &Shop,
    id: i64,
    number: usize,
    step: Option<i64>,
) -> Result<(ContentType, Vec<u8>), Refusal> {
    aside(shop, move |shop| {
        let room = shop.room(id, step)?;
        let colour = |part: usize| crate::look::colour(&room, part);
        Ok((ContentType::PNG, shop.snag_picture(&room, number, colour, 150, 112)?))
    })
    .await
}

/// What a joint moves of both layers of a snag, side by side.
#[get("/fitting/<id>/snag/<number>/cause.png?<joint>&<step>")]
async fn cause_picture(
    shop: &Shop,
    id: i64,
    number: usize,
    joint: String,
    step: Option<i64>,
) -> Result<(ContentType, Vec<u8>), Refusal> {
    aside(shop, move |shop| {
        let room = shop.room(id, step)?;
        Ok((ContentType::PNG, shop.cause_picture(&room, number, &joint, 260, 130)?))
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![trials_of, put_set, get_set, board_csv, worst_snags, snag_picture, cause_picture]
}
