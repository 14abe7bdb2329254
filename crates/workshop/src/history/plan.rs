//! A plan of mending: what may help is tried one after the other on a draft and measured in all poses; what brings
//! something is part of the plan, and the next is tried on top of it. Nothing is changed by making one.

use crate::history::held_back::HeldBack;
use crate::history::jobs::JobId;
use crate::history::judged::{look_of_all, may_help, Judged};
use crate::history::workshop::Workshop;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::ops::Range;
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_core::mend::PoseCache;
use tin_cloak_core::units::to_mm;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::cells::{board_of, measured_of};
use tin_cloak_measure::measuring::missing::measure_all;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::step::Step;
use tin_cloak_stations::making::doing::Doing;
use tin_cloak_stations::making::draft::Draft;
use tin_cloak_stations::making::job::{Job, JobState};
use tin_cloak_stations::mending::left::reasons_left;
use tin_cloak_stations::mending::means::{means_for, Means, MeansKind};
use tin_cloak_stations::mending::more_poses::held_back;

/// A plan on its way: what may help is tried on top of what helped before.
struct Planning<'a> {
    shop: &'a Workshop,
    fitting: i64,
    job: &'a Job,
    plan: Plan,
    /// Where the plan begins, and where it has come to; none before anything helps.
    room: Arc<Room>,
    made: Option<Room>,
    base: Draft,
    judged: Judged,
    /// The plan from each state that it goes through, with its cells out: what is left of it is that of the state after
    /// a step.
    keys: Vec<(Key, Judged)>,
    planned: PlannedSteps,
}

/// What was tried and helps, with what it leads to.
struct Candidate {
    tried: Tried,
    key: Key,
    room: Room,
    made: Arc<Made>,
    judged: Judged,
}

/// What a step makes of a state.
pub(crate) struct Made {
    pub draft: Draft,
    pub sentence: String,
    /// True of what was stopped, but is of use as far as it came.
    pub is_part: bool,
}

impl Weighed for Made {
    fn bytes(&self) -> usize {
        self.draft.blobs.iter().map(|b| b.len()).sum::<usize>() + 4096
    }
}

/// What a means brought, over all counted poses.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct StepGain {
    /// Counted cells out of tolerance, before and after.
    pub cells: (usize, usize),
    /// The deepest of them, millimetres.
    pub deepest_mm: (f32, f32),
    /// Cells that got worse.
    pub worse: usize,
    /// In how many poses pieces are strained, summed over the pieces, before and after.
    #[serde(default)]
    pub strained: (usize, usize),
    /// Vertices moved by more than 0.01 mm, at rest, by a corrective or a tuck, and the furthest of them, millimetres.
    pub moved: (usize, f32),
    /// The depth of what is out in the poses that are held back, before and after, millimetres; not asked of what is no
    /// help in the poses that are tried.
    #[serde(default)]
    pub held_mm: Option<(f32, f32)>,
    /// How far 95 of a hundred faces moved at rest have turned, at most, degrees; and how many lie turned over.
    #[serde(default)]
    pub turned: (f32, usize),
}

impl StepGain {
    /// What changes besides the count of cells.
    pub fn more_in_words(&self) -> Vec<String> {
        let mut words = Vec::new();
        if (self.deepest_mm.0 - self.deepest_mm.1).abs() >= 0.05 {
            words.push(format!("deepest {:.1} → {:.1} mm", self.deepest_mm.0, self.deepest_mm.1));
        }
        if let Some((was, is)) = self.held_mm.filter(|(was, is)| (was - is).abs() >= 0.5) {
            words.push(format!("held back {was:.0} → {is:.0} mm"));
        }
        if self.moved.0 > 0 {
            words.push(format!("{} vertices moved, at most {:.1} mm", self.moved.0, self.moved.1));
        }
        let (turned, over) = self.turned;
        if turned >= 0.5 {
            words.push(format!("faces turned by {turned:.0}° (95 %)"));
        }
        if over > 0 {
            words.push(format!("{over} faces turned over"));
        }
        if self.strained.0 != self.strained.1 {
            words.push(format!("strained {} → {} times", self.strained.0, self.strained.1));
        }
        match self.worse {
            0 => {}
            1 => words.push("1 cell gets worse".to_owned()),
            n => words.push(format!("{n} cells get worse")),
        }
        words
    }
}

/// A means that was tried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tried {
    /// What it is.
    pub means: Means,
    /// What it brought; why it could not be done otherwise.
    pub brought: Result<StepGain, String>,
}

/// A plan.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    /// What brings something, in order.
    pub steps: Vec<Tried>,
    /// What was tried on top of it and brings nothing.
    pub no_help: Vec<Tried>,
    /// Counted cells out of tolerance now, and when all of it is done.
    pub cells: (usize, usize),
    /// What is left then: how many cells, and why.
    pub left: Vec<(usize, String)>,
    /// What poses show that nothing is made for.
    #[serde(default)]
    pub held: HeldBack,
    /// True when making it was stopped before all was tried.
    #[serde(default)]
    pub stopped: bool,
}

impl Weighed for Plan {
    fn bytes(&self) -> usize {
        (self.steps.len() + self.no_help.len()) * 512 + self.left.len() * 128
    }
}

/// Goes up when other means are tried, or judged otherwise: plans kept before are then left alone.
const PLANS: u32 = 14;

/// The plans that are being made, as far as they are, by fitting.
pub(crate) type SoFar = Mutex<HashMap<i64, Arc<Plan>>>;

/// Shows the plan of a fitting while it lives: however making it ends, nothing is shown then.
struct SoFarSentence<'a>(&'a SoFar, i64);

impl Drop for SoFarSentence<'_> {
    fn drop(&mut self) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).remove(&self.1);
    }
}

/// The steps of a plan, by what they were done on, with what they made.
pub(crate) type PlannedSteps = Vec<(Key, Arc<Made>)>;

fn made_key(room: &Room, step: &Step) -> Key {
    Key::hashed("made", &(&room.state, step))
}

fn plan_key(room: &Room) -> Key {
    Key::hashed("plan of mending", &(PLANS, &room.state))
}

impl Workshop {
    /// What a step makes of a room, whose state's blobs are those of `base` as far as the store does not have them.
    pub(super) fn made_by(
        &self,
        room: &Room,
        base: &Draft,
        step: &Step,
        job: &Job,
    ) -> Result<Arc<Made>, WorkshopError> {
        let key = made_key(room, step);
        let derived = self.decoder.derived();
        if let Some(made) = self.planned_step(key).or_else(|| derived.get(key)) {
            return Ok(made);
        }
        let (store, decoder) = (&self.store, &self.decoder);
        let mut draft = base.gone_on_from();
        let sentence = Doing { store, decoder, room, draft: &mut draft, job }.apply(step)?;
        let made = Made { draft, sentence, is_part: job.is_stopped() };
        // Asked for again all of it is wanted.
        Ok(if made.is_part { Arc::new(made) } else { derived.put(key, made) })
    }

    /// What a step of a plan made.
    fn planned_step(&self, key: Key) -> Option<Arc<Made>> {
        let planned = self.planned.lock().unwrap_or_else(PoisonError::into_inner);
        planned.iter().find(|p| p.0 == key).map(|p| Arc::clone(&p.1))
    }

    /// The plan of a room, when one was made.
    ///
    /// # Errors
    /// When the store fails.
    pub fn plan_of(&self, room: &Room) -> Result<Option<Arc<Plan>>, WorkshopError> {
        let key = plan_key(room);
        if let Some(known) = self.decoder.derived().get(key) {
            return Ok(Some(known));
        }
        let stored = self.store.kept(&[key.bytes()])?.pop().flatten();
        let plan = stored.and_then(|bytes| serde_json::from_slice::<Plan>(&bytes).ok());
        Ok(plan.map(|plan| self.decoder.derived().put(key, plan)))
    }

    /// The plan that is being made for a fitting, as far as it is.
    pub fn plan_so_far(&self, fitting: i64) -> Option<Arc<Plan>> {
        self.planning.lock().unwrap_or_else(PoisonError::into_inner).get(&fitting).cloned()
    }

    /// Makes a plan as a job. `only` names the kinds of means that are wanted; all when it is empty.
    ///
    /// # Errors
    /// When the fitting has a job running already.
    pub fn make_plan(self: &Arc<Self>, fitting: i64, only: Vec<MeansKind>) -> Result<JobId, WorkshopError> {
        self.store.fitting(fitting)?;
        self.found_out(fitting, "Trying what may help", move |shop, job| {
            let _shown = SoFarSentence(&shop.planning, fitting);
            shop.plan_made(fitting, &only, job)
        })
    }

    /// Begins a job that finds something out about a fitting and is no step of it; what is found is told in a sentence.
    pub(crate) fn found_out(
        self: &Arc<Self>,
        fitting: i64,
        title: &str,
        find: impl FnOnce(&Self, &Job) -> Result<String, WorkshopError> + Send + 'static,
    ) -> Result<JobId, WorkshopError> {
        let shop = Arc::clone(self);
        let work = move |job: &Job| {
            let made = shop.crews.working.install(|| find(&shop, job));
            shop.follow_up(fitting);
            match made {
                Ok(sentence) => JobState::Done(sentence),
                Err(WorkshopError::Stopped) => JobState::Stopped,
                Err(error) => JobState::Failed(error.to_string()),
            }
        };
        self.stop_measuring(fitting);
        self.jobs.start(fitting, title.to_owned(), work).ok_or(WorkshopError::Busy)
    }

    /// Does all steps of the plan, each a step of its own; stopped, those that are done stay.
    ///
    /// # Errors
    /// When there is no plan, or the fitting has a job running already.
    pub fn do_plan(self: &Arc<Self>, fitting: i64) -> Result<JobId, WorkshopError> {
        let plan = self.plan_of(&*self.room(fitting, None)?)?;
        let plan = plan.filter(|p| !p.steps.is_empty()).ok_or(WorkshopError::NoPlan)?;
        let shop = Arc::clone(self);
        let work = move |job: &Job| {
            let count = plan.steps.len() as f32;
            let one = |(n, tried): (usize, &Tried)| {
                job.at(n as f32 / count, (n + 1) as f32 / count);
                shop.crews.working.install(|| shop.run(fitting, &tried.means.step, job))
            };
            let done: Result<Vec<String>, WorkshopError> = plan.steps.iter().enumerate().map(one).collect();
            shop.follow_up(fitting);
            match done {
                Ok(done) => JobState::Done(format!("Do the plan: {} steps", done.len())),
                Err(WorkshopError::Stopped) => JobState::Stopped,
                Err(error) => JobState::Failed(error.to_string()),
            }
        };
        self.stop_measuring(fitting);
        self.jobs.start(fitting, "Doing the plan".to_owned(), work).ok_or(WorkshopError::Busy)
    }

    fn plan_made(&self, fitting: i64, only: &[MeansKind], job: &Job) -> Result<String, WorkshopError> {
        let room = self.room(fitting, None)?;
        self.planned.lock().unwrap_or_else(PoisonError::into_inner).retain(|p| !p.1.is_part);
        job.at(0.0, 0.05);
        let mut planning = Planning::begun(self, fitting, room, job)?;
        let wanted = || MeansKind::ALL.into_iter().filter(|k| only.is_empty() || only.contains(k));
        let (all, mut done) = (wanted().map(MeansKind::takes).sum::<f32>(), 0.0);
        for kind in wanted() {
            let from = done / all;
            done += kind.takes();
            match planning.tried_all_of(kind, from, done / all) {
                // What brings something is of use though not all was tried.
                Err(WorkshopError::Stopped) if !planning.plan.steps.is_empty() => {
                    planning.plan.stopped = true;
                    break;
                }
                other => other?,
            }
        }
        planning.plan.stopped |= planning.planned.iter().any(|p| p.1.is_part);
        planning.kept()
    }

    /// What poses show that are held back.
    fn held_back_of(&self, room: &Room, job: &Job) -> Result<Arc<Board>, WorkshopError> {
        self.measured_in(&room.in_trials(held_back(room)), job)
    }

    /// The room that a step makes, its board, and what it made.
    pub(super) fn tried(
        &self,
        room: &Room,
        base: &Draft,
        step: &Step,
        job: &Job,
        measuring: Range<f32>,
    ) -> Result<(Room, Arc<Board>, Arc<Made>), WorkshopError> {
        let begun = std::time::Instant::now();
        let made = self.made_by(room, base, step, job)?;
        let after = self.build_draft(&made.draft)?;
        let made_at = begun.elapsed();
        job.at(measuring.start, measuring.end);
        let board = self.measured_in(&after, job)?;
        let (cells, strained) = (board.bad_cells(), board.strained().len());
        let (torn, all) = (board.torn(), begun.elapsed());
        tracing::info!(made = made.sentence, cells, strained, torn, ?made_at, ?all, "tried");
        Ok((after, board, made))
    }

    /// The board of a room, whole.
    pub(super) fn measured_in(&self, room: &Room, job: &Job) -> Result<Arc<Board>, WorkshopError> {
        if !room.is_measurable() {
            return Err(WorkshopError::BindFirst);
        }
        measure_all(room, self.kept(), &PoseCache::none(), &|s| job.tell(s))?;
        board_of(room, self.kept())
    }
}

impl<'a> Planning<'a> {
    fn begun(shop: &'a Workshop, fitting: i64, room: Arc<Room>, job: &'a Job) -> Result<Self, WorkshopError> {
        let (base, board) = (Draft::new(&room.state), shop.measured_in(&room, job)?);
        let judged = Judged { board, held: shop.held_back_of(&room, job)? };
        let keys = vec![(plan_key(&room), judged.clone())];
        let (plan, planned) = (Plan::default(), PlannedSteps::new());
        Ok(Self { shop, fitting, job, plan, room, made: None, base, judged, keys, planned })
    }

    fn here(&self) -> &Room {
        self.made.as_ref().unwrap_or(&self.room)
    }

    /// Tries what there is of a kind, which is so much of the whole.
    fn tried_all_of(&mut self, kind: MeansKind, from: f32, to: f32) -> Result<(), WorkshopError> {
        let now = measured_of(self.here(), self.shop.kept())?;
        let groups = means_for(self.here(), &now, &self.judged.held, kind);
        let count = groups.iter().map(Vec::len).sum::<usize>().max(1) as f32;
        let mut done = 0.0;
        for group in groups {
            let (mut best, mut others) = (None::<Candidate>, Vec::new());
            for means in group {
                let of = done;
                let share = |part: f32| 0.05 + 0.95 * (from + (to - from) * (of + part) / count);
                done += 1.0;
                self.job.say(format!(
                    "{} → {} cells so far · {}",
                    self.keys[0].1.board.bad_cells(),
                    self.judged.board.bad_cells(),
                    means.words
                ));
                self.job.at(share(0.0), share(0.7));
                self.show();
                match self.tried(means, share(0.7)..share(1.0)) {
                    // What was found by then is of use.
                    Err(WorkshopError::Stopped) => {
                        best.into_iter().for_each(|best| self.take(best));
                        return Err(WorkshopError::Stopped);
                    }
                    Err(error) => return Err(error),
                    Ok(Ok(next))
                        if best.as_ref().is_none_or(|b| next.judged.weight() < b.judged.weight()) =>
                    {
                        others.extend(best.replace(next).map(|b| b.tried));
                    }
                    Ok(Ok(next)) => others.push(next.tried),
                    Ok(Err(no_help)) => others.push(no_help),
                }
            }
            self.plan.no_help.extend(others);
            if let Some(best) = best {
                self.take(best);
            }
        }
        Ok(())
    }

    /// Shows the plan as far as it is: whoever waits sees what is found, and may stop with that.
    fn show(&self) {
        let so_far = self.plan_from(0);
        let mut planning = self.shop.planning.lock().unwrap_or_else(PoisonError::into_inner);
        planning.insert(self.fitting, Arc::new(so_far));
        self.job.found();
    }

    /// Tries one; what is no help is told with why.
    fn tried(&self, means: Means, measuring: Range<f32>) -> Result<Result<Candidate, Tried>, WorkshopError> {
        let key = made_key(self.here(), &means.step);
        let (room, board, made) =
            match self.shop.tried(self.here(), &self.base, &means.step, self.job, measuring) {
                Err(WorkshopError::Stopped) => return Err(WorkshopError::Stopped),
                Err(why) => return Ok(Err(Tried { means, brought: Err(why.to_string()) })),
                Ok(tried) => tried,
            };
        let look = look_of_all(self.here(), &room);
        let mut brought = brought(self.here(), &self.judged.board, &room, &board);
        brought.turned = (look.turned, look.over);
        let kind = means.kind;
        let mut tried = Tried { means, brought: Ok(brought) };
        // What was stopped is taken as far as it came, though the poses held back were not asked.
        if look.over > 0 || !may_help(kind, &self.judged.board, &board) {
            return Ok(Err(tried));
        }
        let held = match self.shop.held_back_of(&room, self.job) {
            Err(WorkshopError::Stopped) if made.is_part => Arc::clone(&self.judged.held),
            held => held?,
        };
        let judged = Judged { board, held };
        brought.held_mm = Some((self.judged.held.out_mm(), judged.held.out_mm()));
        tried.brought = Ok(brought);
        Ok(match judged.is_help(kind, &self.judged) {
            true => Ok(Candidate { tried, key, room, made, judged }),
            false => Err(tried),
        })
    }

    /// What helps is of the plan: the next is tried on top of it.
    fn take(&mut self, Candidate { tried, key, room, made, judged }: Candidate) {
        self.plan.steps.push(tried);
        (self.base, self.judged) = (made.draft.gone_on_from(), judged);
        self.planned.push((key, made));
        self.keys.push((plan_key(&room), self.judged.clone()));
        self.made = Some(room);
    }

    /// The plan from the state that its first so many steps lead to.
    fn plan_from(&self, first: usize) -> Plan {
        let (was, is) = (&self.keys[first].1, &self.judged);
        Plan {
            steps: self.plan.steps[first..].to_vec(),
            cells: (was.board.bad_cells(), is.board.bad_cells()),
            held: HeldBack::between(&was.held, &is.held),
            ..self.plan.clone()
        }
    }

    /// Keeps the plan, and what its steps made; a sentence.
    fn kept(mut self) -> Result<String, WorkshopError> {
        let shop = self.shop;
        *shop.planned.lock().unwrap_or_else(PoisonError::into_inner) = std::mem::take(&mut self.planned);
        self.plan.left = reasons_left(self.here(), &measured_of(self.here(), shop.kept())?);
        let (first, last) = (self.keys[0].1.board.bad_cells(), self.judged.board.bad_cells());
        let held = self.plan_from(0).held.in_words().map_or_else(String::new, |held| format!("; {held}"));
        for (n, (key, _)) in self.keys.iter().enumerate() {
            let rest = self.plan_from(n);
            shop.store.keep(&[(key.bytes(), serde_json::to_vec(&rest)?)])?;
            shop.decoder.derived().put(*key, rest);
        }
        Ok(match self.plan.steps.len() {
            0 => format!("Nothing that was tried brings anything: {first} cells stay out of tolerance"),
            n if self.plan.stopped => {
                format!(
                    "Stopped with a plan of {n} steps so far: {first} cells out of tolerance become {last}"
                )
            }
            n => format!("A plan of {n} steps: {first} cells out of tolerance become {last}{held}"),
        })
    }
}

pub(super) fn brought(before: &Room, was: &Board, after: &Room, is: &Board) -> StepGain {
    let mut moved = (0, 0.0f32);
    let mut add = |mm: f32| moved = (moved.0 + usize::from(mm > 0.01), moved.1.max(mm));
    let made = |room: &Room| (room.state.tucks.clone(), room.state.body_correctives.clone());
    if made(before) != made(after) {
        let of_body = after.dress.body.made_shapes().iter().flat_map(|m| &m.offsets);
        of_body.for_each(|o| add(to_mm(o.length())));
    }
    for piece in &after.dress.pieces {
        let Some(old) = before.dress.pieces.iter().find(|p| p.id == piece.id) else { continue };
        let at_rest = old.rest.iter().zip(piece.rest.iter()).map(|(a, b)| to_mm(a.distance(*b)));
        let fresh = piece.correctives.iter().skip(old.correctives.len());
        let in_poses = fresh.flat_map(|m| &m.offsets).map(|o| to_mm(o.length()));
        at_rest.chain(in_poses).for_each(&mut add);
    }
    StepGain {
        cells: (was.bad_cells(), is.bad_cells()),
        held_mm: None,
        turned: (0.0, 0),
        deepest_mm: (was.deepest_mm(), is.deepest_mm()),
        worse: is.better_and_worse(was).1,
        strained: (was.strained().len(), is.strained().len()),
        moved,
    }
}
