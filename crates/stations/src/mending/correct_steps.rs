//! Correctives as steps: shapes that turns of joints call up on pieces, made, changed and taken off.

use crate::intake::finding::counted;
use crate::making::doing::{Doing, Phase};
use crate::making::draft::Draft;
use crate::mending::correct::{is_no_deeper, next_sought, shape_for, Begins, CalledUp, Gives, Sought, Way};
use crate::mending::left::Left;
use crate::mending::push_out::{ChosenOn, ToMend};
use rayon::prelude::*;
use std::sync::atomic::AtomicBool;
use std::sync::Arc;
use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::mend::{PoseCache, Trouble};
use tin_cloak_core::units::to_mm;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::{trials_on_the_way, TrialSet};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_positions;
use tin_cloak_model::state::corrective::Corrective;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::made_of::{Facet, MadeOf};
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::push::{Against, MendOptions};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::turn::Turn;

/// So many turns are tried at most.
const TURNS: usize = 300;
/// So many are tried side by side at most.
const AHEAD: usize = 4;
/// Nothing is squeezed in, and nothing tried that is uncertain.
const FIRST: Way =
    Way { gives: Gives::Outer, begins: Begins::Early, in_folds: false, thorough: false, only: None };
/// All turns are tried in each of these ways in turn, in the first one once more, as others have changed what is left.
const WAYS: [Way; 8] = [
    FIRST,
    FIRST,
    Way { begins: Begins::Late, ..FIRST },
    Way { gives: Gives::Both, ..FIRST },
    Way { gives: Gives::Both, begins: Begins::Late, ..FIRST },
    Way { in_folds: true, ..FIRST },
    Way { gives: Gives::Both, in_folds: true, ..FIRST },
    Way { gives: Gives::Both, begins: Begins::Late, in_folds: true, ..FIRST },
];
/// From here on they are tried once more behind layers by themselves.
const AGAIN: usize = 5;

/// All ways for so many layers, where it is not for combined poses too: what is sought there last brings little, and
/// takes longest. These are those of all, each layer by itself, the outermost first, the last ones again; then
/// those of all, thoroughly.
fn ways(layers: usize) -> Vec<Way> {
    let alone = |layer: usize| {
        [Begins::Early, Begins::Late].map(|begins| Way { begins, only: Some(layer), in_folds: true, ..FIRST })
    };
    let alone = (1..layers).rev().flat_map(alone);
    let thorough = WAYS[1..].iter().map(|way| Way { thorough: true, ..*way });
    WAYS.into_iter().chain(alone).chain(WAYS[AGAIN..].iter().copied()).chain(thorough).collect()
}

/// What follows where a shape lets something else through.
#[derive(Clone, Copy)]
enum WayOn {
    /// The shape is sought anew, and what came through is kept clear.
    Anew,
    /// What came through is mended on top of it.
    OnTop,
    /// It is taken back about there.
    Less,
}

const QUICK: [WayOn; 2] = [WayOn::Anew, WayOn::Less];
const THOROUGH: [WayOn; 3] = [WayOn::Anew, WayOn::OnTop, WayOn::Less];

/// A shape that is tried: from where on, against what was there at first.
#[derive(Clone, Copy)]
struct TriedShape<'a> {
    base: &'a Room,
    what: &'a ToMend<'a>,
    here: &'a TriedDepth,
    first: &'a Board,
    sought: &'a Sought,
    cache: &'a PoseCache,
    /// Set when anything lies between two sides of a fold.
    meets_folds: &'a AtomicBool,
}

/// Where making correctives has come to.
#[derive(Clone)]
struct TriedDepth {
    draft: Draft,
    /// None before anything is made.
    room: Option<Arc<Room>>,
    now: Measured,
    left: Left,
    /// What brought something, and may bring more.
    taken: Vec<Driver>,
}

impl TriedDepth {
    /// The shapes that were taken, by what calls them up.
    fn shapes(&self) -> Vec<Driver> {
        let mut shapes: Vec<Driver> = Vec::new();
        self.taken.iter().for_each(|d| shapes.extend((!shapes.contains(d)).then_some(*d)));
        shapes
    }

    /// Its draft, with what is told of it: `was` cells were out of tolerance at first, and what is left on the way.
    fn told(mut self, was: usize, is_stopped: bool, on_the_way: Option<String>) -> Draft {
        if is_stopped {
            self.draft.notes.push("stopped before all was tried: these were found by then".to_owned());
        }
        match &self.room {
            Some(room) => {
                self.draft.notes.push(format!("{was} cells were out of tolerance, {} are", self.left.cells));
                self.draft.notes.extend(on_the_way);
                self.draft.notes.extend(corrective_notes(room, &self.taken));
            }
            None => self.draft.notes.push(format!(
                "nothing was taken: no shape that a turn calls up brings the {was} cells out of tolerance down"
            )),
        }
        self.draft
    }
}

/// Correctives on their way.
struct Seeking<'a> {
    /// What it begins from.
    base: &'a Room,
    bound: &'a [usize],
    body: bool,
    chosen: &'a [ChosenOn],
    options: MendOptions,
    against: Against,
    /// What was there before any.
    first: &'a Board,
    here: TriedDepth,
    /// Of all that it came through, the state with the fewest cells.
    best: TriedDepth,
    /// Posed layers.
    cache: PoseCache,
    /// In which ways shapes are sought.
    ways: Vec<Way>,
}

impl Seeking<'_> {
    /// What it has come to, in words.
    fn so_far(&self) -> String {
        let (was, Left { cells, .. }) = (self.first.bad_cells(), self.best.left);
        format!("{was} → {cells} cells by {}", counted(self.best.shapes().len(), "shape", "shapes"))
    }

    /// Goes on from a state to which a shape has led.
    fn take(&mut self, next: TriedDepth, driver: Driver) {
        self.here = next;
        self.here.taken.push(driver);
        if self.here.left.is_better_than(self.best.left) {
            self.best = self.here.clone();
        }
    }
}

/// One that was tried: where that leads to in the sweep, what it met, and the state when it helps.
struct InLine {
    pub sought: Sought,
    at: AmountSweep,
    pub meets_folds: bool,
    next: Option<TriedDepth>,
}

/// What brought nothing. Where it met no fold it is the same whether it is tried between two sides of one.
pub struct InVain {
    pub sought: Sought,
    pub meets_folds: bool,
}

/// Where going through all turns has come to.
#[derive(Clone, Default)]
pub struct AmountSweep {
    /// What brings no more.
    tried: Vec<Driver>,
    /// How often all turns were tried.
    done: usize,
    /// Whether anything was taken since this sweep began.
    is_changed: bool,
}

/// Which turns were tried.
#[derive(Default)]
pub struct Sweeps {
    ways: Vec<Way>,
    at: AmountSweep,
    /// What brought nothing, whichever way led to it.
    in_vain: Vec<InVain>,
}

impl Sweeps {
    /// On from where a turn was tried that brought nothing.
    pub fn go_on_in_vain(&mut self, at: AmountSweep, in_vain: InVain) {
        self.at = at;
        self.at.tried.push(in_vain.sought.turn.driver);
        self.in_vain.push(in_vain);
    }

    /// True of what is known to bring nothing.
    pub fn is_in_vain(&self, sought: &Sought) -> bool {
        let same =
            |known: &InVain| known.sought == *sought || (!known.meets_folds && known.sought.is_alike(sought));
        self.in_vain.iter().any(same)
    }

    /// On from where a turn was tried that helped, and may help more.
    fn go_on(&mut self, at: AmountSweep, driver: Driver, brings_more: bool) {
        self.at = AmountSweep { is_changed: true, ..at };
        self.at.tried.extend((!brings_more).then_some(driver));
    }

    /// The next ones to try, at most `count`, each as if those before it were in vain; with where that leads.
    fn next(&self, what: &ToMend, here: &TriedDepth, count: usize) -> Vec<(Sought, AmountSweep)> {
        let mut line: Vec<(Sought, AmountSweep)> = Vec::new();
        let mut at = self.at.clone();
        while let Some(way) = self.ways.get(at.done).copied().filter(|_| line.len() < count) {
            if let Some(sought) = next_sought(what, &here.now, &at.tried, &here.taken, way) {
                let driver = sought.turn.driver;
                let is_known = self.is_in_vain(&sought) || line.iter().any(|l| l.0 == sought);
                line.extend((!is_known).then(|| (sought, at.clone())));
                at.tried.push(driver);
                continue;
            }
            // Nothing has changed: the same would bring nothing again.
            let again = self.ways[at.done..].iter().take_while(|w| **w == way).count();
            let done = at.done + if at.is_changed { 1 } else { again };
            at = AmountSweep { done, ..AmountSweep::default() };
        }
        line
    }
}

impl Doing<'_> {
    /// Shapes that turns of joints call up on pieces, against what is through: of the turns to blame the worst first,
    /// each measured on top of those before, and kept when less is left in all; of all that it comes through, the state
    /// with the fewest cells is taken. Stopped, the best so far is.
    /// Only of what is chosen, against what is through in one pose or between two layers alone, where that is said.
    pub fn correct(
        &mut self,
        pieces: &[PieceId],
        chosen: &Chosen,
        options: MendOptions,
        against: Against,
        turns: &[Turn],
    ) -> Result<String, WorkshopError> {
        let options = options.checked()?;
        self.check_against(against)?;
        match options.combined {
            0 => self.corrected(pieces, chosen, options, against, turns, ways),
            _ if against.pose.is_some() => Err(WorkshopError::OnePoseOrMore),
            more => self.in_more_poses(more, |doing| {
                doing.corrected(pieces, chosen, options, against, turns, |_| WAYS.to_vec())
            }),
        }
    }

    fn corrected(
        &mut self,
        pieces: &[PieceId],
        chosen: &Chosen,
        options: MendOptions,
        against: Against,
        turns: &[Turn],
        ways: impl Fn(usize) -> Vec<Way>,
    ) -> Result<String, WorkshopError> {
        let (bound, body) = self.bound_parts(pieces)?;
        let movable: Vec<Option<usize>> =
            bound.iter().map(|i| Some(*i)).chain(body.then_some(None)).collect();
        let names: Vec<&str> = movable.iter().map(|i| self.room.dress.layer_name(*i)).collect();
        let only = self.only_chosen(&movable, chosen)?;
        let said = self.in_pose(against.pose, turns);
        let (asked, meant) = self.asked_in(against, turns)?;
        let base = asked.as_ref().map_or(self.room, |(room, _)| room);
        let draft = asked.as_ref().map_or(&*self.draft, |(_, draft)| draft).clone();
        let cache = PoseCache::new(base.trials.trials.len());
        let now = self.measured_in(base, &cache, &|s| self.of_turn(0, 0.0, 1.0).tell(s))?;
        let (first, left) = (Arc::clone(&now.board), Left::on(&now.board, options.limit_mm));
        let begun = TriedDepth { draft, room: None, now, left, taken: Vec::new() };
        let (ways, best) = (ways(begun.now.outfit.layers.len()), begun.clone());
        let (against, chosen, first) = (meant, &only[..], &*first);
        let (bound, here) = (&bound[..], begun);
        let mut seeking =
            Seeking { base, bound, body, chosen, options, against, first, best, here, cache, ways };
        let is_stopped = match self.sought(&mut seeking) {
            Err(WorkshopError::Stopped) if seeking.best.room.is_some() => true,
            other => other.map(|()| false)?,
        };
        let on_the_way = match self.left_on_the_way(&seeking.best) {
            // What was found is kept, though nobody waits to be told of the way.
            Err(WorkshopError::Stopped) => None,
            told => told?,
        };
        let mut made = seeking.best.told(first.bad_cells(), is_stopped, on_the_way);
        // What it was tried in besides is not of the fitting.
        made.state.plan.clone_from(&self.draft.state.plan);
        made.state.poses.clone_from(&self.draft.state.poses);
        *self.draft = made;
        Ok(format!("Make correctives for {}{said}", names.join(", ")))
    }

    /// What is left where the poses that were mended for are on their way, unless these are tried as well.
    fn left_on_the_way(&self, reached: &TriedDepth) -> Result<Option<String>, WorkshopError> {
        let Some(room) = reached.room.as_ref().filter(|room| !room.state.plan.on_the_way) else {
            return Ok(None);
        };
        let trials = TrialSet { trials: trials_on_the_way(&room.trials), ..TrialSet::default() };
        let tell = |s: f32| self.of_turn(TURNS, 0.0, 1.0).tell(s);
        let board = self.measured_in(&room.in_trials(trials), &PoseCache::none(), &tell)?.board;
        let cells = counted(board.bad_cells(), "cell is", "cells are");
        Ok(Some(format!(
            "half and three quarters of the way to the built-in poses {cells} out of tolerance, at most {:.1} mm: \
             tick these poses in Trials to have them mended for, too",
            board.deepest_mm()
        )))
    }

    /// A part of what a turn is of the whole.
    fn of_turn(&self, turn: usize, from: f32, to: f32) -> Phase<'_> {
        let at = |part: f32| (turn as f32 + part) / (TURNS + 1) as f32;
        Phase { job: self.job, from: at(from), to: at(to) }
    }

    /// Seeks shapes until nothing brings more.
    fn sought(&self, seeking: &mut Seeking) -> Result<(), WorkshopError> {
        let mut sweeps = Sweeps { ways: seeking.ways.clone(), ..Sweeps::default() };
        let said = self.job.now();
        let said = if said.is_empty() { said } else { format!("{said} · ") };
        let (mut turn, mut in_vain) = (0, 0);
        while turn < TURNS {
            self.job.say(format!("{said}{}", seeking.so_far()));
            // After one in vain the next is likely so, too: they are tried side by side, and those behind the first
            // that helps are forgotten, so that it comes to the same on any number of threads.
            let most = (in_vain + 1).min(AHEAD).min(rayon::current_num_threads()).min(TURNS - turn);
            let phase = |from: f32, to: f32, s: f32| self.of_turn(turn + 1, from, to).tell(s);
            let line = self.tried_in_line(seeking, &sweeps, most, &phase)?;
            if line.is_empty() {
                break;
            }
            for InLine { sought, at, meets_folds, next } in line {
                // One before it in line may have said so meanwhile.
                turn += usize::from(!sweeps.is_in_vain(&sought));
                let Some(next) = next else {
                    in_vain += 1;
                    sweeps.go_on_in_vain(at, InVain { sought, meets_folds });
                    continue;
                };
                in_vain = 0;
                let brings_more = !next.left.is_hardly_less_than(seeking.here.left);
                sweeps.go_on(at, sought.turn.driver, brings_more);
                seeking.take(next, sought.turn.driver);
                break;
            }
        }
        tracing::info!(turn, ways = sweeps.at.done, of = sweeps.ways.len(), "shapes sought");
        Ok(())
    }

    /// Tries so many that are next in line side by side; none are left when there is none.
    fn tried_in_line(
        &self,
        Seeking { base, bound, body, chosen, options, against, first, here, cache, .. }: &Seeking,
        sweeps: &Sweeps,
        most: usize,
        phase: &(dyn Fn(f32, f32, f32) -> bool + Sync),
    ) -> Result<Vec<InLine>, WorkshopError> {
        let room = here.room.as_deref().unwrap_or(base);
        let what = ToMend {
            dress: &room.dress,
            ids: &[],
            trials: &room.trials,
            pieces: bound,
            body: *body,
            chosen,
            options: *options,
            tolerance_mm: room.state.tolerance_mm,
            against: *against,
        };
        let one = |(sought, at): (Sought, AmountSweep)| {
            let meets_folds = AtomicBool::new(false);
            let tried = TriedShape {
                base,
                what: &what,
                here,
                first,
                sought: &sought,
                cache,
                meets_folds: &meets_folds,
            };
            let next = self.worth_it(tried, phase)?;
            Ok(InLine { sought, at, meets_folds: meets_folds.into_inner(), next })
        };
        sweeps.next(&what, here, most).into_par_iter().map(one).collect()
    }

    /// What a shape makes of a state; where it lets something else through, what another one makes of it that takes
    /// account of that. None when no less is left, or when something is deeper than at first.
    fn worth_it(
        &self,
        tried: TriedShape,
        phase: &(dyn Fn(f32, f32, f32) -> bool + Sync),
    ) -> Result<Option<TriedDepth>, WorkshopError> {
        let TriedShape { what, here, first, sought, cache, meets_folds, .. } = tried;
        let Some(mut shape) =
            shape_for(what, &here.now, sought, &[], cache, meets_folds, &|s| phase(0.0, 0.4, s))?
        else {
            return Ok(None);
        };
        let mut best: Option<TriedDepth> = None;
        let mut met: Vec<Trouble> = vec![Vec::new(); here.now.trouble.len()];
        let mut ways_on = if sought.thorough { &THOROUGH[..] } else { &QUICK[..] }.iter();
        loop {
            let reached = self.reached_by(tried, &shape, &|s| phase(0.7, 1.0, s))?;
            let no_deeper = is_no_deeper(&reached.now.board, first);
            tracing::info!(?shape.driver, was = ?here.left, left = ?reached.left, no_deeper, "corrective");
            let is_less = no_deeper && reached.left.is_less_than(best.as_ref().map_or(here.left, |b| b.left));
            let is_good = is_less && reached.left.is_better_than(here.left);
            met.iter_mut().zip(&reached.now.trouble).for_each(|(met, new)| met.extend(new));
            let mut next = None;
            while next.is_none() && !is_good {
                let Some(way_on) = ways_on.next() else { break };
                next = self.gone_on(tried, *way_on, &shape, &reached, &met, &|s| phase(0.4, 0.7, s))?;
            }
            best = if is_less { Some(reached) } else { best };
            match next {
                Some(next) => shape = next,
                None => return Ok(best),
            }
        }
    }

    /// The state with a shape, measured.
    fn reached_by(
        &self,
        TriedShape { base, what, here, cache, .. }: TriedShape,
        shape: &CalledUp,
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<TriedDepth, WorkshopError> {
        let room = here.room.as_deref().unwrap_or(base);
        let draft = self.with_corrective(room, here.draft.clone(), shape)?;
        let made = self.room_of(&draft)?;
        let now = self.measured_in(&made, cache, tell)?;
        let left = Left::on(&now.board, what.options.limit_mm);
        Ok(TriedDepth { draft, room: Some(Arc::new(made)), now, left, taken: here.taken.clone() })
    }

    /// What a shape is followed by that led to a state in which something else is through; `met` is all that came
    /// through with those before.
    fn gone_on(
        &self,
        TriedShape { base, what, here, sought, cache, meets_folds, .. }: TriedShape,
        way_on: WayOn,
        shape: &CalledUp,
        reached: &TriedDepth,
        met: &[Trouble],
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Option<CalledUp>, WorkshopError> {
        match way_on {
            WayOn::Anew => shape_for(what, &here.now, sought, met, cache, meets_folds, tell),
            WayOn::OnTop => {
                let room = reached.room.as_deref().unwrap_or(base);
                let what = ToMend { dress: &room.dress, trials: &room.trials, ..*what };
                let more =
                    shape_for(&what, &reached.now, sought, &reached.now.trouble, cache, meets_folds, tell)?;
                Ok(more.map(|more| shape.clone().and(more)))
            }
            WayOn::Less => Ok(Some(shape.clone().without_what_spoils(what.dress, &here.now, &reached.now))),
        }
    }

    pub(super) fn with_corrective(
        &self,
        room: &Room,
        mut draft: Draft,
        shape: &CalledUp,
    ) -> Result<Draft, WorkshopError> {
        let body = &room.dress.body;
        let Driver { joint, axis, from, full } = shape.driver;
        let joint = body.skeleton.names[joint.index()].clone();
        let about = format!("{joint} {:.0}", full.to_degrees());
        let numbered = (2..).map(|n| format!("{about} ({n})"));
        let known = body.morphs[body.own_shapes().len()..].iter().find(|m| m.driver == Some(shape.driver));
        let is_free = |n: &String| !body.morphs.iter().any(|m| m.name == *n);
        let fresh = || std::iter::once(about.clone()).chain(numbered).find(is_free).unwrap_or_default();
        let name = known.map_or_else(fresh, |m| m.name.clone());
        for (piece, moves) in &shape.offsets {
            let mut moves = moves.clone();
            // More of a shape that there is.
            let before = match piece {
                None => body.made_shapes().iter().find(|m| m.name == name),
                Some(piece) => {
                    room.dress.pieces[*piece].correctives.iter().map(|m| &**m).find(|m| m.name == name)
                }
            };
            let more = before.iter().flat_map(|b| b.vertices.iter().zip(&b.offsets));
            more.for_each(|(v, o)| moves[*v as usize] += *o);
            let (name, joint, offsets) = (name.clone(), joint.clone(), draft.keep(pack_positions(&moves)));
            let parts: Vec<PieceId> = match piece {
                None => vec![BODY],
                Some(piece) => {
                    let PieceState { id, layer, .. } = *room.piece_state(*piece);
                    draft.state.beneath(layer).chain([id, BODY]).collect()
                }
            };
            let made_of = MadeOf::now(&draft.state, Facet::Worn, parts);
            let by = Vec::new();
            let corrective = Corrective { name, joint, axis, from, full, offsets, amount: 1.0, by, made_of };
            let list = draft.correctives_of(piece.map_or(BODY, |p| room.piece_state(p).id))?;
            list.retain(|c| c.name != corrective.name);
            list.push(corrective);
        }
        Ok(draft)
    }
}

/// What each of the shapes that turns call up does.
fn corrective_notes(room: &Room, drivers: &[Driver]) -> Vec<String> {
    let of_turn = |shape: &Morph| {
        let driver = shape.driver.filter(|d| drivers.contains(d))?;
        let words = |name: &str, made: &Morph| {
            let most = made.offsets.iter().map(|o| to_mm(o.length())).fold(0.0, f32::max);
            format!("{name} {} vertices, at most {most:.1} mm", made.vertices.len())
        };
        let does = |piece: &Piece| {
            let made = piece.correctives.iter().find(|m| m.name == shape.name)?;
            Some(words(&piece.name, made))
        };
        let body = &room.dress.body;
        let on_body = body.made_shapes().iter().find(|m| m.name == shape.name).map(|m| words(&body.name, m));
        let told: Vec<String> = room.dress.pieces.iter().filter_map(does).chain(on_body).collect();
        let (from, full) = (driver.from.to_degrees(), driver.full.to_degrees());
        Some(format!("{}: from {from:.0}° to {full:.0}° of it, {}", shape.name, told.join("; ")))
    };
    room.dress.body.morphs.iter().filter_map(of_turn).collect()
}
