//! The Fitting screen and its fragments.

use crate::answers::{page, Page, Refusal};
use crate::blocking_pool::{aside, look_aside, Shop};
use crate::board_svg::{draw, Drawing, Wish};
use crate::body_parts::{body_mesh_rows, BodyMeshRow};
use crate::handover::LimitFields;
use crate::layers_svg::{cut, CutLine, WIDTH};
use crate::looked_over::{
    body_shape_rows, body_shape_words, called_rows, finding_groups, joint_rows, seat_rows, sort_rows,
    CalledRow, FindingGroup, JointRow, SeatRow, ShapeRow, SortRow,
};
use crate::mending_rows::{
    corrective_groups, corrective_names, hidden_rows, out_pairs, tried_rows, CorrectiveGroup, HiddenRow,
    OutPair, PlanShown, TriedRow,
};
use crate::piece_rows::{methods, piece_row, PieceRow};
use crate::shelf::{asset_card, other_bodies, to_sort, AssetCard};
use crate::snag_acts::{snag_presses, SnagPress};
use crate::trials::{CountsHere, PlanCard};
use askama::Template;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{get, post, routes, FromForm, Route};
use std::sync::Arc;
use tin_cloak_workshop::core::intake::Place;
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::OutdatedOfRoom;
use tin_cloak_workshop::ProbeOfRoom;
use tin_cloak_workshop::SnagCardsOfRoom;
use tin_cloak_workshop::TuckOfRoom;
use tin_cloak_workshop::{
    harmless_cures, through_in_words, Asset, Board, Effect, Fitting, OpenFitting, Proof, Room, SnagCard,
    TrialSet, TuckRow, ViewRequest, Workshop, WorseCell, COMBINED,
};

/// Names of the stations, in the order of work.
const STATIONS: [&str; 6] = ["Intake", "Seating", "Binding", "Trials", "Mending", "Handover"];

struct Station {
    number: usize,
    name: &'static str,
    on: bool,
    /// `done`, `warn` or nothing.
    mark: &'static str,
}

struct StepLine {
    seq: i64,
    sentence: String,
    now: bool,
    undone: bool,
    depth: String,
}

/// Everything the screen shows; fragments are parts of the same template.
struct FittingView {
    id: i64,
    name: String,
    meta: String,
    stations: Vec<Station>,
    station: usize,
    can_undo: bool,
    can_redo: bool,
    steps: Vec<StepLine>,
    cut: CutLine,
    svg_width: u32,
    pieces: Vec<PieceRow>,
    methods: Vec<(&'static str, &'static str)>,
    unbound: usize,
    mending: Option<PlanShown>,
    /// What is hidden, a row a part.
    masks: Vec<HiddenRow>,
    /// Poses on the way to the built-in ones are mended for, too.
    on_the_way: bool,
    tucks: Vec<TuckRow>,
    /// Pairs of layers with cells out of tolerance.
    out_pairs: Vec<OutPair>,
    correctives: Vec<CorrectiveGroup>,
    /// Steps that were tried and not done.
    tried: Vec<TriedRow>,
    /// For so many combined poses mends are made besides, where that is ticked.
    combined: usize,
    proof: Option<Arc<Proof>>,
    /// The limits that are asked for at first, and the sets that were kept.
    limits: LimitFields,
    /// How many are older than the weights that theirs were taken from.
    older: usize,
    /// What is older than what it was made of, a sentence each.
    outdated: Vec<String>,
    library: Vec<AssetCard>,
    /// Bodies that could wear it.
    bodies: Vec<AssetCard>,
    /// Cures that lose nothing.
    harmless: usize,
    /// What is worn, outermost first.
    sorted: Vec<SortRow>,
    places: [&'static str; 9],
    /// Files whose groups wait to be sorted.
    to_sort: Vec<AssetCard>,
    next_layer: u16,
    joints: usize,
    clips: usize,
    skipped: Vec<(String, String)>,
    /// Poses held within a range of motion, and with which joints.
    held: Vec<String>,
    /// Clips that leave one.
    beyond: Vec<String>,
    /// Motions tried, with how many joints follow, and those that could be.
    motions: Vec<(String, usize)>,
    /// The clips of the body, and the group of the poses that are built in.
    clip_names: Vec<String>,
    /// The clips that go out.
    clips_out: Vec<String>,
    more_motions: Vec<AssetCard>,
    /// Names of the poses set by hand.
    kept_poses: Vec<String>,
    board: Option<Drawing>,
    wish: Wish,
    /// Cells that are not measured yet, and whether they are being measured.
    missing: usize,
    measuring: bool,
    board_words: String,
    deepest: Option<f32>,
    bad_cells: usize,
    unmeasurable: usize,
    /// Cells out of tolerance that are there for stress only, and the deepest of them.
    stress: (usize, f32),
    plan: Option<PlanCard>,
    all_cells: usize,
    worst: String,
    tolerance: f32,
    body_meshes: Vec<BodyMeshRow>,
    findings: Vec<FindingGroup>,
    joint_rows: Vec<JointRow>,
    seats: Vec<SeatRow>,
    /// The shapes of the body, in words.
    body_shapes: String,
    /// How much it wears of each that no pose calls up.
    body_worn: Vec<ShapeRow>,
    /// Which turn calls up each of its shapes.
    called_up: Vec<CalledRow>,
    /// Their names.
    shape_names: Vec<String>,
    /// The names of the correctives.
    corrective_names: Vec<String>,
    /// How many pieces follow them.
    following: usize,
    /// Joints by number and name, to turn pieces about.
    joint_names: Vec<String>,
    last_sentence: String,
    effect: Effect,
    worst_new: Option<WorstNew>,
    running: Option<u64>,
}

/// What the last step made worse the most, and the cell to go to.
struct WorstNew {
    words: String,
    column: usize,
    row: usize,
}

impl WorstNew {
    fn new(worse: &WorseCell, board: &Board) -> Option<Self> {
        let (column, row) = board.find(worse)?;
        let (pose, pair) = (&board.poses[column], &board.pairs[row]);
        let at = if pose.time_s > 0.0 { format!(" at {:.2} s", pose.time_s) } else { String::new() };
        let place = if worse.place.is_empty() { String::new() } else { format!(", {}", worse.place) };
        let through = through_in_words(&pair.outer, &pair.inner);
        let words = format!(
            "{:.1} mm deeper in {}{at}{place}: {through}, {:.1} mm now",
            worse.by_mm, pose.name, worse.depth_mm
        );
        Some(Self { words, column, row })
    }
}

#[derive(Template)]
#[template(path = "fitting.html")]
struct FittingPage {
    s: FittingView,
}

#[derive(Template)]
#[template(path = "panels.html")]
struct Panels {
    s: FittingView,
    /// True in a fragment: the parts replace those of the page.
    swap: bool,
}

/// The board, and all else that is told by what is measured.
#[derive(Template)]
#[template(path = "measured.html")]
pub(crate) struct MeasuredView {
    s: FittingView,
    swap: bool,
}

impl MeasuredView {
    pub fn new(shop: &Workshop, id: i64, station: usize, look: &BoardLook) -> Result<Self, Refusal> {
        Ok(Self { s: shown(shop, id, Some(station), look)?, swap: true })
    }
}

fn checked_station(station: Option<usize>, open: &OpenFitting) -> Result<usize, Refusal> {
    match station {
        Some(s) if (1..=STATIONS.len()).contains(&s) => Ok(s),
        Some(_) => Err(Refusal::new(Status::NotFound, "There are six stations, 1 to 6.")),
        None => Ok(next_station(open)),
    }
}

/// Where work goes on: put pieces on, bind them, look at the trials.
fn next_station(open: &OpenFitting) -> usize {
    let pieces = &open.room.dress.pieces;
    if pieces.is_empty() {
        1
    } else if pieces.iter().any(|p| p.bound.is_none()) {
        3
    } else {
        4
    }
}

/// How the board is looked at.
#[derive(Default)]
pub(crate) struct BoardLook {
    /// The step it is compared with; the one before the last when there is none.
    pub against: Option<i64>,
    pub wish: Wish,
}

impl BoardLook {
    pub fn new(against: Option<i64>, form: BoardForm) -> Self {
        let BoardForm { only, counted, worst, group } = form;
        let wish = Wish { only, counted, worst_first: worst, group: group.filter(|g| !g.is_empty()) };
        Self { against, wish }
    }
}

/// The same as an address says it.
#[derive(FromForm)]
pub(crate) struct BoardForm {
    only: Option<u32>,
    counted: bool,
    worst: bool,
    group: Option<String>,
}

fn shown(shop: &Workshop, id: i64, station: Option<usize>, look: &BoardLook) -> Result<FittingView, Refusal> {
    let against = look.against;
    let open = shop.fitting(id)?;
    let station = checked_station(station, &open)?;
    let room = &open.room;
    let [board, before] = boards(shop, &open, against)?;
    let board = board.as_deref();
    let pieces: Vec<PieceRow> = (0..room.dress.pieces.len()).map(|i| piece_row(&open, i)).collect();
    let unbound = pieces.iter().filter(|p| !p.bound).count();
    let worst = board.and_then(Board::worst);
    let worn =
        |a: &Asset| room.state.pieces.iter().any(|p| p.source.file == a.file && p.source.mesh == a.mesh);
    let assets = shop.assets()?;
    let to_sort = to_sort(&assets);
    let tried = |a: &Asset| room.state.motions.iter().any(|m| m.source.file == a.file);
    let more_motions = assets.iter().filter(|a| a.role == "motion" && !tried(a)).map(asset_card).collect();
    let bodies = other_bodies(&assets, &room.dress.body.name);
    let library = assets.iter().filter(|a| a.role == "piece" && !worn(a)).map(asset_card).collect();
    let effect = open.effect();
    // Looked over first: the stations' marks tell of it.
    let findings = if station == 1 { finding_groups(room) } else { Vec::new() };
    let seats = if station == 2 { seat_rows(room) } else { Vec::new() };
    let unseated = (!seats.is_empty()).then(|| seats.iter().any(|s| !s.seated));
    Ok(FittingView {
        id,
        name: open.fitting.name.clone(),
        meta: meta(&open),
        stations: stations(&open, board, station, unseated),
        station,
        can_undo: open.can_undo(),
        can_redo: open.can_redo(),
        steps: step_lines(&open),
        cut: cut(room, board),
        svg_width: WIDTH,
        unbound,
        mending: PlanShown::shown(shop, id, room)?,
        masks: hidden_rows(room),
        on_the_way: room.state.plan.on_the_way,
        tucks: room.tucks(),
        corrective_names: corrective_names(room),
        shape_names: room.dress.body.own_shapes().iter().map(|m| m.name.clone()).collect(),
        out_pairs: board.map_or(Vec::new(), out_pairs),
        correctives: corrective_groups(room),
        tried: tried_rows(shop, id)?,
        combined: COMBINED,
        proof: shop.proof_of(room)?,
        limits: LimitFields::new(shop, None)?,
        older: room.older_pieces().len(),
        outdated: room.outdated(),
        bodies,
        next_layer: room.dress.pieces.iter().map(|p| p.layer).max().unwrap_or(0) + 1,
        joints: room.dress.body.skeleton.len(),
        clips: room.dress.body.clips.len(),
        skipped: room.trials.skipped.clone(),
        held: held(&room.trials),
        beyond: beyond(&room.trials),
        motions: room.state.motions.iter().map(|m| (m.source.mesh.clone(), m.pairs.len())).collect(),
        more_motions,
        clip_names: clip_names(room),
        clips_out: room.dress.body.clips.iter().map(|c| c.name.clone()).collect(),
        kept_poses: room.state.poses.iter().map(|p| p.name.clone()).collect(),
        board_words: board.map_or(String::new(), |b| board_words(b, before.as_deref(), against)),
        missing: board.map_or(0, Board::missing),
        measuring: shop.measuring(id).running,
        deepest: board.map(Board::deepest_mm),
        bad_cells: board.map_or(0, Board::bad_cells),
        unmeasurable: board.map_or(0, Board::unmeasurable_cells),
        all_cells: board.map_or(0, Board::size),
        stress: board.map_or((0, 0.0), Board::stress_cells),
        plan: (station == 4).then(|| plan_card(shop, &open)).transpose()?,
        worst: worst.zip(board).map_or(String::new(), |((p, r), b)| {
            let pair = &b.pairs[r];
            format!("{}, {}", through_in_words(&pair.outer, &pair.inner), room.trials.trials[p].label())
        }),
        wish: look.wish.clone(),
        board: board.map(|b| draw(b, before.as_deref(), &look.wish).with_beyond(&room.trials.beyond)),
        tolerance: room.state.tolerance_mm,
        body_meshes: if station == 1 { body_mesh_rows(room) } else { Vec::new() },
        findings,
        joint_rows: if station == 1 { joint_rows(room) } else { Vec::new() },
        following: seats.iter().filter(|s| s.follows).count(),
        body_shapes: body_shape_words(room),
        body_worn: if station == 1 { body_shape_rows(room) } else { Vec::new() },
        called_up: if station == 1 { called_rows(room) } else { Vec::new() },
        seats,
        joint_names: if station <= 2 || station == 5 {
            room.dress.body.skeleton.names.clone()
        } else {
            Vec::new()
        },
        last_sentence: open.current().map_or(String::new(), |s| s.sentence.clone()),
        worst_new: board.and_then(|b| WorstNew::new(effect.worst_new.as_ref()?, b)),
        effect,
        running: shop.jobs().running(id).map(|(job, _)| job),
        pieces,
        methods: methods(),
        library,
        harmless: if station == 1 { harmless_cures(room).len() } else { 0 },
        sorted: if station == 1 { sort_rows(room) } else { Vec::new() },
        places: Place::ALL.map(Place::word),
        to_sort,
    })
}

/// The trials of a fitting; those of all others can be taken over.
fn plan_card(shop: &Workshop, open: &OpenFitting) -> Result<PlanCard, Refusal> {
    let others = shop.fittings()?.into_iter().filter(|f| f.id != open.fitting.id);
    let pieces: Vec<&str> = open.room.dress.pieces.iter().map(|p| p.name.as_str()).collect();
    Ok(PlanCard::new(&open.room.state.plan, &pieces, others.map(|f| (f.id, f.name)).collect()))
}

/// A board, when there is anything to measure.
type MaybeBoard = Option<Arc<Board>>;

/// The board as it stands, and that of the step it is compared with.
fn boards(shop: &Workshop, open: &OpenFitting, against: Option<i64>) -> Result<[MaybeBoard; 2], Refusal> {
    let before = match against.unwrap_or(open.fitting.cursor - 1) {
        seq if seq >= 1 => shop.board(&*shop.room(open.fitting.id, Some(seq))?)?,
        _ => None,
    };
    Ok([shop.board(&open.room)?, before])
}

fn held(trials: &TrialSet) -> Vec<String> {
    let held = trials.trials.iter().filter(|t| !t.held.is_empty());
    held.map(|t| format!("{} ({})", t.name, t.held.join(", "))).collect()
}

fn beyond(trials: &TrialSet) -> Vec<String> {
    let line =
        |(clip, joint, by): &(String, String, f32)| format!("{clip} takes {joint} {by:.0}° beyond its range");
    trials.beyond.iter().map(line).collect()
}

fn meta(open: &OpenFitting) -> String {
    let count = open.room.dress.pieces.len();
    let pieces = if count == 1 { "1 piece".to_owned() } else { format!("{count} pieces") };
    format!("{} · {pieces} · step {}", open.room.dress.body.name, open.fitting.cursor)
}

/// The mark of a station that tells of trouble only once it has been looked for.
fn looked_at(trouble: Option<bool>) -> &'static str {
    trouble.map_or("", |t| if t { "warn" } else { "done" })
}

fn stations(open: &OpenFitting, board: Option<&Board>, on: usize, unseated: Option<bool>) -> Vec<Station> {
    let pieces = &open.room.dress.pieces;
    let any = !pieces.is_empty();
    let bound = any && pieces.iter().all(|p| p.bound.is_some());
    let bad = board.is_some_and(|b| b.bad_cells() > 0);
    let clear = board.is_some_and(Board::is_clear);
    let mark = |number: usize| match number {
        1 => looked_at(open.room.has_trouble()),
        2 => looked_at(unseated),
        3 if bound => "done",
        3 if any => "warn",
        4 if bound && bad => "warn",
        4 | 5 if bound && clear => "done",
        _ => "",
    };
    STATIONS
        .iter()
        .enumerate()
        .map(|(i, name)| Station { number: i + 1, name, on: i + 1 == on, mark: mark(i + 1) })
        .collect()
}

fn clip_names(room: &Room) -> Vec<String> {
    let clips = room.dress.body.clips.iter().map(|c| c.name.as_str());
    clips.chain(["range"]).map(str::to_owned).collect()
}

fn step_lines(open: &OpenFitting) -> Vec<StepLine> {
    let depth = |effect: &str| {
        let e: Effect = serde_json::from_str(effect).unwrap_or_default();
        e.deepest_after_mm.map_or(String::new(), |d| format!("{d:.1} mm"))
    };
    open.steps
        .iter()
        .rev()
        .map(|s| StepLine {
            seq: s.seq,
            sentence: s.sentence.clone(),
            now: s.seq == open.fitting.cursor,
            undone: s.seq > open.fitting.cursor,
            depth: depth(&s.effect),
        })
        .collect()
}

/// “1 cell better”.
pub(crate) fn better_words(cells: usize) -> String {
    format!("{cells} {} better", if cells == 1 { "cell" } else { "cells" })
}

fn board_words(board: &Board, before: Option<&Board>, against: Option<i64>) -> String {
    let changed = before.map_or((0, 0), |old| board.better_and_worse(old));
    match (against, changed) {
        (Some(seq), (better, worse)) => {
            format!("against step {seq}: {}, {worse} worse", better_words(better))
        }
        (None, _) if !board.is_whole() => format!("{} out of tolerance so far", board.bad_cells()),
        (None, (0, 0)) => format!("{} of {} cells out of tolerance", board.bad_cells(), board.size()),
        (None, (better, worse)) => format!("last step: {}, {worse} worse", better_words(better)),
    }
}

#[get("/fitting/<id>?<station>", rank = 2)]
async fn fitting(shop: &Shop, id: i64, station: Option<usize>) -> Page {
    aside(shop, move |shop| match shown(shop, id, station, &BoardLook::default()) {
        Ok(s) => page(&FittingPage { s }),
        Err(why) if why.is_of_the_store() => page(&Broken { f: shop.stored(id)?, why: why.to_string() }),
        Err(why) => Err(why),
    })
    .await
}

#[get("/fitting/<id>/panels?<station>&<against>&<look..>")]
async fn panels(shop: &Shop, id: i64, station: Option<usize>, against: Option<i64>, look: BoardForm) -> Page {
    let look = BoardLook::new(against, look);
    aside(shop, move |shop| page(&Panels { s: shown(shop, id, station, &look)?, swap: true })).await
}

/// A fitting whose state cannot be read.
#[derive(Template)]
#[template(path = "broken.html")]
struct Broken {
    f: Fitting,
    why: String,
}

#[derive(Template)]
#[template(path = "snags.html")]
struct Snags {
    id: i64,
    /// Parts that lie over the spot.
    hiding: String,
    pose: String,
    cards: Vec<SnagCard>,
    /// How many smaller ones there are.
    more: usize,
    here: Option<CountsHere>,
    acts: Vec<SnagPress>,
    /// The piece whose vertices there can be chosen, and what they are to choosing, as JSON.
    choose: Option<u32>,
    what: &'static str,
}

/// What is through in the pose looked at, as a pick says it.
const WHAT_IS_THROUGH: &str = "\"through\"";

/// The snags of a pose with joints turned by hand.
#[post("/fitting/<id>/snags-here", data = "<request>")]
async fn snags_here(shop: &Shop, id: i64, request: Json<ViewRequest>) -> Page {
    look_aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let (cards, more) = room.snag_cards(request.pose, &request.turns, None, 12)?;
        let (pose, hiding) = ("As turned by hand".to_owned(), String::new());
        let (acts, choose) = (Vec::new(), None);
        page(&Snags { id, hiding, pose, cards, more, here: None, acts, choose, what: WHAT_IS_THROUGH })
    })
    .await
}

/// The snags of a pose, of one board row when it is named.
#[get("/fitting/<id>/snags?<pose>&<row>")]
async fn snags(shop: &Shop, id: i64, pose: usize, row: Option<usize>) -> Page {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let (mut cards, more) = room.snag_cards(pose, &[], row, 12)?;
        let board = shop.board(&room)?;
        if let Some((board, row)) = board.as_ref().zip(row).filter(|_| cards.is_empty()) {
            cards.extend(board.crossing_card(pose, row));
        }
        let pair = board.as_ref().zip(row).and_then(|(b, r)| b.pairs.get(r));
        let cell = board.as_ref().zip(row).and_then(|(b, r)| b.cells.get(pose)?.get(r)?.as_ref()?.spot);
        let hiding = match cell.zip(pair) {
            Some(((at, look), pair)) => room.in_the_way(pose, at, look, pair.ids)?,
            None => Vec::new(),
        };
        let hiding = hiding.iter().map(u32::to_string).collect::<Vec<_>>().join(",");
        let here = CountsHere::new(&room, pose, pair);
        let ids = pair.filter(|_| !cards.is_empty()).map(|p| p.ids);
        let acts = ids.map_or_else(Vec::new, |ids| snag_presses(&room, ids, pose));
        // Of a pair that which gives way at first: the outer one.
        let choose = ids.map(|ids| ids[0]).filter(|id| room.index_of(*id).is_some());
        let pose = room.trials.trials.get(pose).map_or(String::new(), |t| t.label());
        page(&Snags { id, hiding, pose, cards, more, here, acts, choose, what: WHAT_IS_THROUGH })
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![fitting, panels, snags, snags_here]
}
