//! Mending a dress: push layers off each other, and say what a fresh measure of the result says.

use crate::mending::regressions::kept_of_change;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::clearance::{AtRest, Outfit, Place, Settings};
use tin_cloak_core::mend::{
    keep_rigid, look_of_change, make_alike, push_out_with, Look, Mending, PieceReport, PoseCache,
    PushSettings, TrialPose, Trouble,
};
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_formats::PieceKind;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::push::{Against, MendOptions};
use tin_cloak_model::state::trial_plan::Counts;

/// What became of the pieces.
#[derive(Clone, Debug)]
pub struct MendOutcome {
    /// New rest positions (welded) of each piece of the dress; `None` where nothing moved.
    pub rest: Vec<Option<Vec<Vec3>>>,
    /// What is claimed of each piece that was tried.
    pub claims: Vec<Claim>,
    /// Counted cells out of tolerance, before and after.
    pub cells: (usize, usize),
    /// The board as it was measured where they are now.
    pub board: Arc<Board>,
    /// What the best of the states that were not taken would have brought: counted cells out of tolerance, and the sum
    /// of their depths before and then, millimetres.
    pub not_taken: Option<(usize, f32, f32)>,
}

impl MendOutcome {
    /// A sentence for each piece that was tried and had anything to it, after one of the whole.
    pub fn notes(&self) -> Vec<String> {
        let (before, after) = self.cells;
        let whole = format!("{before} cells were out of tolerance, {after} are");
        let told = self.claims.iter().filter(|c| c.moved > 0 || c.spots_before > 0 || c.spots_after > 0);
        let mut notes: Vec<String> = std::iter::once(whole).chain(told.map(Claim::sentence)).collect();
        if let Some((cells, was, then)) = self.not_taken {
            notes.push(format!(
                "nothing was taken: of all states that were tried the best has {cells} cells out, {then:.0} mm deep in \
                 all instead of {was:.0} mm"
            ));
        }
        let clear: Vec<&str> = self.claims.iter().filter(|c| c.is_clear()).map(|c| c.name.as_str()).collect();
        if !clear.is_empty() {
            notes.push(format!("clear already: {}", clear.join(", ")));
        }
        notes
    }
}

/// What is claimed of a piece: the figures of a board of the dress before and after.
#[derive(Clone, Debug, PartialEq)]
pub struct Claim {
    /// Its place in the dress.
    pub piece: usize,
    /// Its name.
    pub name: String,
    /// Deepest of what shows through it in any pose before, millimetres.
    pub before_mm: f32,
    /// And after.
    pub after_mm: f32,
    /// How many spots showed before, over all poses.
    pub spots_before: usize,
    /// And after.
    pub spots_after: usize,
    /// Vertices moved.
    pub moved: usize,
    /// Furthest move, millimetres.
    pub furthest_mm: f32,
    /// What that did to its faces.
    pub look: Look,
    /// Why something is left, in plain words.
    pub left: String,
}

impl Claim {
    fn is_clear(&self) -> bool {
        self.moved == 0 && self.spots_before == 0 && self.spots_after == 0
    }

    fn sentence(&self) -> String {
        let Self { name, left, .. } = self;
        let depth = format!("{:.1} mm → {:.1} mm", self.before_mm, self.after_mm);
        let moved = match self.moved {
            0 => "nothing moved".to_owned(),
            n => format!(
                "{n} vertices moved, at most {:.1} mm, {}",
                self.furthest_mm,
                look_in_words(&self.look)
            ),
        };
        match self.spots_after {
            0 => format!("{name}: {depth}, {moved}"),
            n => format!("{name}: {depth}, {moved}; {n} spots are left: {left}"),
        }
    }
}

/// “faces turned by 7° (95 %), 31° at most, none over; folds by 1.2°”.
pub fn look_in_words(look: &Look) -> String {
    let Look { turned, most, over, folds, .. } = look;
    let over = if *over == 0 { "none over".to_owned() } else { format!("{over} over") };
    format!("faces turned by {turned:.0}° (95 %), {most:.0}° at most, {over}; folds by {folds:.1}°")
}

/// What is chosen of a piece by its place in the dress, none for the body: a flag a vertex.
pub type ChosenOn = (Option<usize>, Vec<bool>);

/// What is to be mended.
pub struct ToMend<'a> {
    pub dress: &'a Dress,
    /// The number that each layer goes by on the board.
    pub ids: &'a [PieceId],
    pub trials: &'a TrialSet,
    /// Pieces that may move: indices into the dress.
    pub pieces: &'a [usize],
    /// Whether the body may, too.
    pub body: bool,
    /// The only vertices of them that may; what is not named may move as a whole.
    pub chosen: &'a [ChosenOn],
    pub options: MendOptions,
    /// What is let pass, millimetres.
    pub tolerance_mm: f32,
    pub against: Against,
}

/// A dress as measured, where its pieces are then, and what the push there told.
type State = (Measured, Vec<Option<Vec<Vec3>>>, Vec<PieceReport>);

/// Measures the dress with pieces at other rest positions.
pub type Measure<'a> =
    &'a dyn Fn(&[Option<Vec<Vec3>>], &(dyn Fn(f32) -> bool + Sync)) -> Result<Measured, WorkshopError>;

/// At most so often it is pushed and measured, each time no further than a place can be followed; what is no better
/// than the best, but for the first, is the last.
const PASSES: usize = 8;
/// A pass that clears no cell and wins less than this share of what is left is not worth another like it.
const WORTH_GOING_ON: f32 = 0.05;
/// How a pass goes: rounds, how far each goes (millimetres), and whether cloth in creases may go any way.
#[derive(Clone, Copy, PartialEq)]
struct Pace {
    rounds: usize,
    step_mm: f32,
    any_way: bool,
}

/// So many pieces are a pile.
const PILE: usize = 3;
/// Long steps spoil in a pile what they cure.
const FIRST: Pace = Pace { rounds: 2, step_mm: 4.0, any_way: false };
const NEXT: Pace = Pace { rounds: 1, step_mm: 2.0, any_way: false };
/// The paces of an outfit: the first pass's, the next ones', and that of the last, when those bring no more. In a pile
/// what goes any way slides into what lies beside it, so that it goes along its normals.
fn paces(pieces: usize) -> [Pace; 3] {
    let any_way = |pace: Pace| Pace { any_way: true, ..pace };
    if pieces >= PILE {
        [FIRST, NEXT, NEXT]
    } else {
        [any_way(FIRST), any_way(NEXT), NEXT]
    }
}
/// So far in one pass, millimetres.
const PASS_MM: f32 = 6.0;

/// Pushes pieces off what pokes through them, and what they poke through off them, in every pose that counts: a push,
/// a fresh measure, and the same again from there, as long as fewer cells are out. The best state that was measured is
/// taken, if it is better than the first. `measure` measures in the layers of `cache`, in which the trials are posed.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn mend(
    what: &ToMend,
    measure: Measure,
    cache: &PoseCache,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<MendOutcome, WorkshopError> {
    let whole = (2 * PASSES + 1) as f32;
    let none: Vec<Option<Vec<Vec3>>> = vec![None; what.dress.pieces.len()];
    let first = measure(&none, &|s| progress(s / whole))?;
    // The state that is worked on, and the best that was measured.
    let (mut now, mut rest) = (None, none.clone());
    let mut best: Option<State> = None;
    let mut least_worse: Option<(usize, f32)> = None;
    let [mut pace, mut next_pace, last_pace] = paces(what.pieces.len());
    for pass in 0..PASSES {
        let here: &Measured = now.as_ref().unwrap_or(&first);
        if here.trouble.iter().all(Vec::is_empty) {
            break;
        }
        let from = (2 * pass + 1) as f32 / whole;
        let known = best.as_ref().map_or(&first.board, |b| &b.0.board).clone();
        let tell = |s: f32| progress(from + s / whole);
        let Some((after, next, reports)) =
            passed(what, measure, cache, Reached { measured: here, rest: &rest }, pace, &known, &tell)?
        else {
            break;
        };
        let told = (after.board.bad_cells(), what.curable_mm(&after.board));
        tracing::info!(pass, pace.any_way, cells = told.0, mm = told.1, "pushed");
        if least_worse.is_none_or(|known| told.1 < known.1) {
            least_worse = Some(told);
        }
        let is_best = is_better(what, &after.board, &known);
        let wins = told.0 < known.bad_cells() || told.1 < what.curable_mm(&known) * (1.0 - WORTH_GOING_ON);
        if is_best {
            best = Some((after.clone(), next.clone(), reports));
        }
        // On from where fewer cells are out, though what is left may be deeper for now.
        let goes_on = if is_best { wins } else { told.0 < here.board.bad_cells() };
        if is_best || goes_on {
            (now, rest) = (Some(after), next);
        }
        if !goes_on {
            if pace == last_pace {
                break;
            }
            next_pace = if pass == 0 { next_pace } else { last_pace };
            now = best.as_ref().map(|b| b.0.clone());
            rest = best.as_ref().map_or_else(|| none.clone(), |b| b.1.clone());
        }
        pace = next_pace;
    }
    let was = what.curable_mm(&first.board);
    let not_taken = least_worse.filter(|_| best.is_none()).map(|(cells, then)| (cells, was, then));
    let nothing = (first.clone(), none, Vec::new());
    let (after, rest, left) = best.unwrap_or(nothing);
    let claims = claims(what, &first, &after, &rest, &left);
    let (cells, board) = ((first.board.bad_cells(), after.board.bad_cells()), Arc::clone(&after.board));
    Ok(MendOutcome { rest, claims, cells, board, not_taken })
}

/// What pieces are at, as measured.
#[derive(Clone, Copy)]
struct Reached<'a> {
    measured: &'a Measured,
    rest: &'a [Option<Vec<Vec3>>],
}

/// One pass from where the pieces are `here`; measured, without what it spoils where it is no better than what is
/// `known`. None when nothing moves. `tell` is told 0 to 1 while it is pushed, 1 to 2 while it is measured.
fn passed(
    what: &ToMend,
    measure: Measure,
    cache: &PoseCache,
    from: Reached,
    pace: Pace,
    known: &Board,
    tell: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Option<State>, WorkshopError> {
    let Reached { measured: here, rest } = from;
    let pushed = pushed(what, here, pace, rest, cache, tell)?;
    let next = pushed.joined(what, &here.piece_of, rest);
    if next == rest {
        return Ok(None);
    }
    let after = measure(&next, &|s| tell(1.0 + s))?;
    // Taken back on one side only both would not be alike.
    if what.options.alike || is_better(what, &after.board, known) {
        return Ok(Some((after, next, pushed.reports)));
    }
    let less = without_what_spoils(what, here, rest, &after, &next);
    let then = measure(&less, &|s| tell(1.0 + s))?;
    let helps = is_better(what, &then.board, &after.board) || is_better(what, &then.board, known);
    let (after, next) = if helps { (then, less) } else { (after, next) };
    Ok(Some((after, next, pushed.reports)))
}

/// The pieces after a pass, but where it spoils what was clear they stay where they were.
fn without_what_spoils(
    what: &ToMend,
    before: &Measured,
    rest: &[Option<Vec<Vec3>>],
    after: &Measured,
    next: &[Option<Vec<Vec3>>],
) -> Vec<Option<Vec<Vec3>>> {
    let mut less = next.to_vec();
    for (piece, shares) in kept_of_change(before, after) {
        let Some(now) = less[piece].as_mut() else { continue };
        let worn = &what.dress.pieces[piece];
        let was = rest[piece].as_ref().unwrap_or(&worn.rest);
        for (v, share) in shares {
            now[v] = was[v].lerp(now[v], share);
        }
        keep_rigid(&rigid_parts(worn), &worn.rest, now, from_mm(what.options.limit_mm));
    }
    less
}

fn claims(
    what: &ToMend,
    before: &Measured,
    after: &Measured,
    rest: &[Option<Vec<Vec3>>],
    reports: &[PieceReport],
) -> Vec<Claim> {
    let claim = |(layer, piece): (usize, usize)| {
        let (before_mm, spots_before) = showing(&before.board, what.ids[layer]);
        let (after_mm, spots_after) = showing(&after.board, what.ids[layer]);
        let worn = &what.dress.pieces[piece];
        let place = rest[piece].as_ref().unwrap_or(&worn.rest);
        let moves: Vec<f32> = worn.rest.iter().zip(place).map(|(a, b)| to_mm(a.distance(*b))).collect();
        let report = reports.iter().find(|r| r.layer == layer);
        let furthest_mm = moves.iter().copied().fold(0.0, f32::max);
        let at_limit = furthest_mm >= what.options.limit_mm * 0.999;
        let (name, moved) = (worn.name.clone(), moves.iter().filter(|m| **m > 0.01).count());
        let left = why_left(report, at_limit, worn.kind == PieceKind::Stiff, &what.options);
        let look = look_of_change(&worn.topology, &worn.rest, place);
        Claim { piece, name, before_mm, after_mm, spots_before, spots_after, moved, furthest_mm, look, left }
    };
    let layers = before.piece_of.iter().enumerate().filter_map(|(layer, piece)| Some((layer, (*piece)?)));
    let claims = layers.filter(|(_, piece)| what.pieces.contains(piece)).map(claim);
    // Of a piece that it was not about nothing is claimed, unless it moved.
    let about = |claim: &Claim| {
        let id = what.dress.pieces[claim.piece].id;
        claim.moved > 0 || what.against.pair.is_none_or(|(outer, inner)| [outer, inner].contains(&id))
    };
    claims.filter(about).collect()
}

/// Where layers were pushed to.
struct Pushed {
    rest: Vec<Vec<Vec3>>,
    reports: Vec<PieceReport>,
}

impl Pushed {
    /// The pieces after it that were at `rest` before.
    fn joined(
        &self,
        what: &ToMend,
        piece_of: &[Option<usize>],
        rest: &[Option<Vec<Vec3>>],
    ) -> Vec<Option<Vec<Vec3>>> {
        let mut next = rest.to_vec();
        for report in self.reports.iter().filter(|r| r.moved > 0) {
            let Some(piece) = piece_of[report.layer] else { continue };
            let limit = from_mm(what.options.limit_mm);
            let start = &what.dress.pieces[piece].rest;
            let within = |(now, start): (&Vec3, &Vec3)| *start + (*now - *start).clamp_length_max(limit);
            let mut all: Vec<Vec3> = self.rest[report.layer].iter().zip(start.iter()).map(within).collect();
            if what.options.alike {
                what.make_alike(piece, &mut all);
            }
            keep_rigid(&rigid_parts(&what.dress.pieces[piece]), start, &mut all, limit);
            next[piece] = Some(all);
        }
        next
    }
}

/// What is pushed, and in which poses.
pub struct Pushing {
    /// The layers as measured, with their stiff parts.
    pub outfit: Outfit,
    /// Those that may move.
    pub movable: Vec<usize>,
    /// What each pair has at rest.
    pub at_rest: Vec<Arc<AtRest>>,
    /// The poses that count, by number; of each its matrices, and what is through in it.
    pub counted: Vec<usize>,
    pub poses: Vec<TrialPose>,
    pub trouble: Vec<Trouble>,
}

impl Pushing {
    pub fn new(what: &ToMend, now: &Measured) -> Self {
        let ToMend { dress, trials, .. } = what;
        let (mut outfit, piece_of) = (now.outfit.clone(), &now.piece_of);
        for (layer, piece) in outfit.layers.iter_mut().zip(piece_of) {
            layer.rigid = Arc::new(piece.map_or_else(Vec::new, |p| rigid_parts(&dress.pieces[p])));
        }
        let may = |piece: &Option<usize>| piece.map_or(what.body, |p| what.pieces.contains(&p));
        let movable: Vec<usize> = (0..piece_of.len()).filter(|&l| may(&piece_of[l])).collect();
        // Poses that do not count are not mended for.
        let counts = |pose: &usize| now.board.poses[*pose].counts == Counts::Counted;
        let counted: Vec<usize> = (0..trials.trials.len()).filter(counts).collect();
        let all = trials.poses(&dress.body);
        let poses: Vec<TrialPose> = counted.iter().map(|p| all[*p].clone()).collect();
        let id_of = |layer: usize| piece_of[layer].map_or(BODY, |p| dress.pieces[p].id);
        let pulls = |pose: usize, place: &Place| {
            let between = outfit.lying_at(place).map(|[a, b]| (id_of(a.0.max(b.0)), id_of(a.0.min(b.0))));
            // What lies in its own fold pulls at nothing: it is known by all of it.
            let meant = what.against.pose.is_none_or(|only| only == pose)
                && what.against.pair.is_none_or(|only| between.is_none_or(|b| b == only));
            place.is_in_itself() || meant
        };
        let of = |p: &usize| -> Trouble {
            now.trouble[*p].iter().filter(|place| pulls(*p, place)).copied().collect()
        };
        let trouble: Vec<Trouble> = counted.iter().map(of).collect();
        Self { outfit, movable, at_rest: now.at_rest.clone(), counted, poses, trouble }
    }
}

impl ToMend<'_> {
    fn curable_mm(&self, board: &Board) -> f32 {
        curable_mm(board, self.options.limit_mm)
    }

    /// The only vertices of a piece, or of the body, that may move; none where all may.
    pub fn chosen_on(&self, piece: Option<usize>) -> Option<&Vec<bool>> {
        self.chosen.iter().find(|(p, _)| *p == piece).map(|c| &c.1)
    }

    /// Moves what may move of a piece alike on both sides of the body's plane.
    fn make_alike(&self, piece: usize, now: &mut [Vec3]) {
        let worn = &self.dress.pieces[piece];
        let chosen = self.chosen_on(Some(piece));
        let may = |v: usize| chosen.is_none_or(|c| c[v]);
        let mut moves: Vec<Vec3> = now.iter().zip(worn.rest.iter()).map(|(p, r)| *p - *r).collect();
        let plane = self.dress.body.plane();
        make_alike(&worn.rest, &worn.topology.triangles, plane, &may, &mut moves);
        now.iter_mut().zip(worn.rest.iter()).zip(&moves).for_each(|((p, r), m)| *p = *r + *m);
    }

    /// What counts, and how clear it is to come.
    pub fn settings(&self) -> PushSettings {
        PushSettings {
            measure: Settings { tolerance: from_mm(self.tolerance_mm), ..Settings::default() },
            margin: from_mm(self.options.margin_mm),
            keep_rows: self.options.rows,
            ..PushSettings::default()
        }
    }
}

fn pushed(
    what: &ToMend,
    now: &Measured,
    pace: Pace,
    rest: &[Option<Vec<Vec3>>],
    cache: &PoseCache,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Pushed, WorkshopError> {
    let ToMend { dress, options, .. } = what;
    let Pushing { outfit, movable, at_rest, counted, poses, trouble } = Pushing::new(what, now);
    let limit = from_mm(options.limit_mm);
    // What is not chosen stays, and so does what has gone as far as it may.
    let held = |piece: &Option<usize>| {
        let Some(piece) = *piece else { return Vec::new() };
        let start = &dress.pieces[piece].rest;
        let chosen = what.chosen_on(Some(piece));
        let place = rest[piece].as_ref().unwrap_or(start);
        let far = |v: usize| start[v].distance(place[v]) >= limit * 0.999;
        (0..start.len()).map(|v| chosen.is_some_and(|c| !c[v]) || far(v)).collect()
    };
    let held: Vec<Vec<bool>> = now.piece_of.iter().map(held).collect();
    let settings = PushSettings {
        limit: from_mm(options.limit_mm.min(PASS_MM)),
        reach: limit,
        rounds: pace.rounds,
        step: from_mm(pace.step_mm),
        any_way: pace.any_way,
        judged: false,
        reweighed: 1,
        ..what.settings()
    };
    let mending = Mending {
        outfit: &outfit,
        movable: &movable,
        held: &held,
        poses: &poses,
        trouble: &trouble,
        at_rest: &at_rest,
        shape: None,
        settings,
    };
    let fail = |source| WorkshopError::Bind { piece: dress.body.name.clone(), source };
    let mended =
        push_out_with(mending, cache, &counted, progress).map_err(fail)?.ok_or(WorkshopError::Stopped)?;
    let mut places = mended.rest;
    for (layer, piece) in now.piece_of.iter().enumerate() {
        let Some(piece) = *piece else { continue };
        let place = rest[piece].as_ref().unwrap_or(&dress.pieces[piece].rest);
        without_always_on(&mut places[layer], &outfit.layers[layer].rest, place);
    }
    Ok(Pushed { rest: places, reports: mended.pieces })
}

/// A layer lies at rest with the shapes that are always on, its piece without: the piece goes as far as the layer.
fn without_always_on(pushed: &mut [Vec3], layer: &[Vec3], piece: &[Vec3]) {
    if layer == piece {
        return;
    }
    pushed.iter_mut().zip(layer).zip(piece).for_each(|((now, from), at)| *now = *at + (*now - *from));
}

fn why_left(report: Option<&PieceReport>, at_limit: bool, is_stiff: bool, options: &MendOptions) -> String {
    match report {
        _ if at_limit => format!("it reached the limit of {:.0} mm", options.limit_mm),
        Some(r) if r.left > from_mm(options.limit_mm) => {
            format!("some of it is deeper than the {:.0} mm that anything may move", options.limit_mm)
        }
        _ if is_stiff => "it is stiff: no single move of the whole plate clears every pose".to_owned(),
        _ => "what clears one pose spoils another, or presses into what lies above or beneath".to_owned(),
    }
}

/// The depths of the counted cells out of tolerance that moving could cure, millimetres: not of what lies in itself,
/// and of no cell more than `most_mm`.
pub fn curable_mm(board: &Board, most_mm: f32) -> f32 {
    let out = board.out(Counts::Counted).filter(|(_, row, _)| !board.pairs[*row].is_itself());
    out.map(|(_, _, cell)| cell.depth_mm().min(most_mm)).sum()
}

/// No more counted cells are out of tolerance, those that a push could cure are less deep in all, and all of them
/// together, deeper than it reaches or not, no deeper.
pub fn is_better(what: &ToMend, after: &Board, before: &Board) -> bool {
    after.bad_cells() <= before.bad_cells()
        && what.curable_mm(after) < what.curable_mm(before)
        && after.out_mm() <= before.out_mm()
}

/// Deepest of what shows through the layer of a number on a board, and how many spots of it show.
fn showing(board: &Board, id: PieceId) -> (f32, usize) {
    let own = |r: &usize| board.pairs[*r].ids[0] == id && board.pairs[*r].is_over_another();
    let rows: Vec<usize> = (0..board.pairs.len()).filter(own).collect();
    let cells = board.measured().filter(|(_, r, cell)| rows.contains(r) && cell.is_bad());
    cells.fold((0.0, 0), |(deepest, spots), (_, _, cell)| {
        (cell.depth_mm().max(deepest), spots + cell.poking + cell.sunk)
    })
}
