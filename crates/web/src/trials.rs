//! What is tried, how it counts, and the worst that was found.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::steps::changed_as;
use askama::Template;
use rocket::form::Form;
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Responder};
use rocket::serde::json::Json;
use rocket::{get, post, routes, FromForm, FromFormField, Request, Response, Route};
use std::io::Cursor;
use tin_cloak_workshop::core::trial::SwingAxis;
use tin_cloak_workshop::{
    AtRandom, BoardPair, CountRule, Counts, Frames, Room, Step, Sweep, Target, Trial, TrialChange, TrialPlan,
    WorstSnag,
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

#[derive(Clone, Copy, FromFormField)]
enum CountsField {
    Counted,
    Stress,
    Aside,
}

impl From<CountsField> for Counts {
    fn from(field: CountsField) -> Self {
        match field {
            CountsField::Counted => Self::Counted,
            CountsField::Stress => Self::Stress,
            CountsField::Aside => Self::Aside,
        }
    }
}

/// How one thing counts, as a form shows it.
pub(crate) struct CountRow {
    /// `pose`, `group` or `pair`.
    pub what: &'static str,
    pub words: String,
    pub counts: &'static str,
    pub note: String,
}

/// What can be said of the pose and the pair that are looked at.
pub(crate) struct CountsHere {
    pub pose: usize,
    pub rows: Vec<CountRow>,
    /// Outer and inner of the pair, its tolerance, and whether that is its own.
    pub pair: Option<(String, String, f32, bool)>,
    pub choices: [(&'static str, &'static str); 3],
}

impl CountsHere {
    pub fn new(room: &Room, pose: usize, pair: Option<&BoardPair>) -> Option<Self> {
        let (trial, plan) = (room.trials.trials.get(pose)?, &room.state.plan);
        let note = |target: &Target| {
            plan.counts.iter().find(|r| r.target == *target).map_or(String::new(), |r| r.note.clone())
        };
        let row = |what, words: String, counts, target: Target| {
            let (counts, note) = (counts_key(counts), note(&target));
            CountRow { what, words, counts, note }
        };
        let of_pose = plan.of_pose(&trial.group, &trial.name, trial.time);
        let mut rows = vec![row("pose", trial.label(), of_pose, pose_target(trial))];
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
            (p.outer.clone(), p.inner.clone(), own.unwrap_or(room.state.tolerance_mm), own.is_some())
        });
        Some(Self { pose, rows, pair, choices: COUNTS })
    }
}

/// Of a clip's frame that frame, else the pose by its name.
fn pose_target(trial: &Trial) -> Target {
    let group = trial.group.clone();
    match trial.is_still {
        true => Target::Pose { group, name: trial.name.clone() },
        false => Target::Frames { group, from_s: trial.time, to_s: trial.time },
    }
}

/// The whole plan, as the card shows it.
pub(crate) struct PlanCard {
    /// What is not simply counted: words, how, why, and the rule's place.
    pub rules: Vec<(String, &'static str, String, usize)>,
    pub tolerances: Vec<(String, f32, usize)>,
    pub sweeps: Vec<(String, usize, usize)>,
    /// Poses at random, and of an arm, a leg and the trunk at once: how many, and their seed.
    pub random: (usize, u64),
    pub combined: (usize, u64),
    pub frames: &'static str,
    pub frame_choices: [(&'static str, String); 6],
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

/// Ways to try clips that the page offers, by their field's value.
const FRAMES: [(&str, Frames); 6] = [
    ("6", Frames::Some(6)),
    ("12", Frames::Some(12)),
    ("24", Frames::Some(24)),
    ("r15", Frames::Rate(15)),
    ("r30", Frames::Rate(30)),
    ("all", Frames::All),
];

/// As the form has it: none, of the first seed, where nothing was said.
fn poses_and_seed(drawn: Option<AtRandom>) -> (usize, u64) {
    drawn.map_or((0, 1), |r| (r.poses, r.seed))
}

impl PlanCard {
    pub fn new(plan: &TrialPlan, pieces: &[&str], others: Vec<(i64, String)>) -> Self {
        let rule = |(at, r): (usize, &CountRule)| (r.target.words(), r.counts.word(), r.note.clone(), at);
        let frames = FRAMES.iter().find(|f| f.1 == plan.frames).map_or("", |f| f.0);
        Self {
            rules: plan.counts.iter().enumerate().map(rule).collect(),
            tolerances: (plan.tolerances.iter().enumerate())
                .map(|(at, t)| (format!("{} over {}", t.outer, t.inner), t.tolerance_mm, at))
                .collect(),
            sweeps: plan.sweeps.iter().enumerate().map(|(at, s)| (s.group(), s.steps, at)).collect(),
            random: poses_and_seed(plan.random),
            combined: poses_and_seed(plan.combined),
            frames,
            frame_choices: FRAMES.map(|f| (f.0, f.1.words())),
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

/// Leads a form to the one change of the trials that it asks for.
async fn tried(
    shop: &Shop,
    id: i64,
    change: impl FnOnce(&Room) -> Result<TrialChange, Refusal> + Send + 'static,
) -> Result<Tell, Refusal> {
    changed_as(shop, id, move |shop| {
        let change = change(&*shop.room(id, None)?)?;
        Ok(Step::ChangeTrials { change })
    })
    .await
}

#[derive(FromForm)]
struct CountForm {
    what: String,
    pose: usize,
    outer: Option<String>,
    inner: Option<String>,
    counts: CountsField,
    note: Option<String>,
}

#[post("/fitting/<id>/counts", data = "<form>")]
async fn counts(shop: &Shop, id: i64, form: Form<CountForm>) -> Result<Tell, Refusal> {
    let form = form.into_inner();
    tried(shop, id, move |room| {
        let gone =
            || Refusal::new(Status::NotFound, "That pose is no longer tried: look at the board again.");
        let trial = room.trials.trials.get(form.pose).ok_or_else(gone)?;
        let target = match (form.what.as_str(), form.outer, form.inner) {
            ("pair", Some(outer), Some(inner)) => Target::Pair { outer, inner },
            ("group", ..) => Target::Group { group: trial.group.clone() },
            _ => pose_target(trial),
        };
        let note = form.note.unwrap_or_default();
        Ok(TrialChange::Count { target, counts: Counts::from(form.counts), note })
    })
    .await
}

#[post("/fitting/<id>/counts/<rule>/remove")]
async fn count_again(shop: &Shop, id: i64, rule: usize) -> Result<Tell, Refusal> {
    tried(shop, id, move |room| {
        let gone = || Refusal::new(Status::NotFound, "That is no longer set apart: look at the list again.");
        let target = room.state.plan.counts.get(rule).map(|r| r.target.clone()).ok_or_else(gone)?;
        Ok(TrialChange::CountAgain { target })
    })
    .await
}

#[derive(FromForm)]
struct ToleranceForm {
    outer: Option<String>,
    inner: Option<String>,
    mm: Option<f32>,
}

/// What is let pass: everywhere, or in a pair (as everywhere again when nothing is said).
#[post("/fitting/<id>/tolerance", data = "<form>")]
async fn tolerance(shop: &Shop, id: i64, form: Form<ToleranceForm>) -> Result<Tell, Refusal> {
    let ToleranceForm { outer, inner, mm } = form.into_inner();
    changed_as(shop, id, move |_| {
        let wanted = || Refusal::new(Status::UnprocessableEntity, "Say how many millimetres are let pass.");
        let Some((outer, inner)) = outer.zip(inner) else {
            return Ok(Step::SetTolerance { tolerance_mm: mm.ok_or_else(wanted)? });
        };
        Ok(Step::ChangeTrials { change: TrialChange::PairTolerance { outer, inner, tolerance_mm: mm } })
    })
    .await
}

#[derive(FromForm)]
struct HiddenForm {
    counts: bool,
}

#[post("/fitting/<id>/hidden", data = "<form>")]
async fn hidden(shop: &Shop, id: i64, form: Form<HiddenForm>) -> Result<Tell, Refusal> {
    let on = form.counts;
    tried(shop, id, move |_| Ok(TrialChange::HiddenCounts { on })).await
}

/// What is tried besides the poses, each on or off.
#[derive(FromForm)]
struct BesidesForm {
    body_shapes: bool,
    shapes_in_clips: bool,
    driven: bool,
    ground: bool,
    on_the_way: bool,
}

#[post("/fitting/<id>/besides", data = "<form>")]
async fn besides(shop: &Shop, id: i64, form: Form<BesidesForm>) -> Result<Tell, Refusal> {
    let form = form.into_inner();
    tried(shop, id, move |room| {
        // The form tells all of them; what is not as it stands was ticked.
        let plan = &room.state.plan;
        Ok(if plan.body_shapes != form.body_shapes {
            TrialChange::BodyShapes { on: form.body_shapes }
        } else if plan.shapes_in_clips != form.shapes_in_clips {
            TrialChange::ShapesInClips { on: form.shapes_in_clips }
        } else if plan.ground != form.ground {
            TrialChange::Ground { on: form.ground }
        } else if plan.on_the_way != form.on_the_way {
            TrialChange::OnTheWay { on: form.on_the_way }
        } else {
            TrialChange::DrivenShapes { on: form.driven }
        })
    })
    .await
}

#[derive(FromForm)]
struct OnTheWayForm {
    on: bool,
}

/// Whether poses on the way to the built-in ones are mended for, too.
#[post("/fitting/<id>/on-the-way", data = "<form>")]
async fn on_the_way(shop: &Shop, id: i64, form: Form<OnTheWayForm>) -> Result<Tell, Refusal> {
    let on = form.on;
    tried(shop, id, move |_| Ok(TrialChange::OnTheWay { on })).await
}

#[derive(FromForm)]
struct OffForm {
    off: Vec<String>,
}

/// Pieces that are off while it is asked what is seen.
#[post("/fitting/<id>/taken-off", data = "<form>")]
async fn taken_off(shop: &Shop, id: i64, form: Form<OffForm>) -> Result<Tell, Refusal> {
    let pieces = form.into_inner().off;
    tried(shop, id, move |_| Ok(TrialChange::TakenOff { pieces })).await
}

#[derive(FromForm)]
struct FramesForm {
    frames: String,
}

#[post("/fitting/<id>/frames", data = "<form>")]
async fn frames(shop: &Shop, id: i64, form: Form<FramesForm>) -> Result<Tell, Refusal> {
    let wished = form.into_inner().frames;
    tried(shop, id, move |_| {
        let unknown = || Refusal::new(Status::UnprocessableEntity, "Choose one of the rates on the list.");
        let (_, frames) = FRAMES.iter().find(|f| f.0 == wished).ok_or_else(unknown)?;
        Ok(TrialChange::FramesOfClips { frames: *frames })
    })
    .await
}

#[derive(FromForm)]
struct SwingForm {
    joint: String,
    /// Forward, sideways or turn; all three when nothing is said.
    axis: Option<String>,
    steps: usize,
    both: bool,
    coupled: bool,
}

#[post("/fitting/<id>/swing", data = "<form>")]
async fn swing(shop: &Shop, id: i64, form: Form<SwingForm>) -> Result<Tell, Refusal> {
    let SwingForm { joint, axis, steps, both, coupled } = form.into_inner();
    tried(shop, id, move |_| {
        let unknown = || Refusal::new(Status::UnprocessableEntity, "Choose one of the axes on the list.");
        let known = |word: String| SwingAxis::ALL.into_iter().find(|a| a.word() == word).ok_or_else(unknown);
        let axis = axis.map(known).transpose()?;
        Ok(TrialChange::Swing { joint, axis, steps, both_sides: both, coupled })
    })
    .await
}

#[post("/fitting/<id>/swing/<at>/remove")]
async fn no_swing(shop: &Shop, id: i64, at: usize) -> Result<Tell, Refusal> {
    tried(shop, id, move |room| {
        let gone =
            || Refusal::new(Status::NotFound, "That swing is no longer tried: look at the list again.");
        let group = room.state.plan.sweeps.get(at).map(Sweep::group).ok_or_else(gone)?;
        Ok(TrialChange::NoSwing { group })
    })
    .await
}

#[derive(FromForm)]
struct RandomForm {
    poses: usize,
    seed: u64,
}

#[post("/fitting/<id>/random", data = "<form>")]
async fn random(shop: &Shop, id: i64, form: Form<RandomForm>) -> Result<Tell, Refusal> {
    let RandomForm { poses, seed } = form.into_inner();
    tried(shop, id, move |_| Ok(TrialChange::Random { poses, seed })).await
}

/// Poses of an arm, a leg and the trunk at once.
#[post("/fitting/<id>/combined", data = "<form>")]
async fn combined(shop: &Shop, id: i64, form: Form<RandomForm>) -> Result<Tell, Refusal> {
    let RandomForm { poses, seed } = form.into_inner();
    tried(shop, id, move |_| Ok(TrialChange::Combined { poses, seed })).await
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
        Ok(Step::Try { plan, said })
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
        let job = shop.start(id, Step::Try { plan, said: "Trials: as a file says".to_owned() })?;
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
}

/// Width and height of a strip of depths by pose.
const STRIP: (f32, f32) = (150.0, 14.0);

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
        Self { number, bars, spot: spot.collect::<Vec<_>>().join(","), snag }
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
        Ok((ContentType::PNG, shop.snag_picture(&room, number, colour, (150, 112))?))
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
        Ok((ContentType::PNG, shop.cause_picture(&room, number, &joint, (260, 130))?))
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![
        counts,
        count_again,
        tolerance,
        hidden,
        besides,
        on_the_way,
        taken_off,
        frames,
        swing,
        no_swing,
        random,
        combined,
        trials_of,
        put_set,
        get_set,
        board_csv,
        worst_snags,
        snag_picture,
        cause_picture
    ]
}
