//! Boards measured behind the steps: the newest step wins, and nothing that was measured is lost.

use crate::history::effects::told;
use crate::history::measurer::{MeasureState, Run};
use crate::history::workshop::Workshop;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, PoisonError};
use std::time::{Duration, Instant};
use tin_cloak_core::mend::PoseCache;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::cells::board_of;
use tin_cloak_measure::measuring::missing::{measure_missing, Measuring};
use tin_cloak_measure::measuring::snag_tracks::{snag_tracks, SnagTracks};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::choice::Pick;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_stations::looking::choosing::ChoosingOfRoom;
use tin_cloak_stations::looking::choosing::{ChosenView, Moment};
use tin_cloak_stations::looking::view::ViewRequest;
use tin_cloak_stations::looking::worst_snags::WorstSnag;
use tin_cloak_stations::looking::worst_snags::WorstSnagsOfRoom;
use tin_cloak_store::BlobId;

/// After the pose in view the others wait this long for a newer step: of many quick touches only
/// the last has its whole board measured.
const REST: Duration = Duration::from_millis(150);

impl Workshop {
    /// The board of a room as far as it is known; none when nothing of it is bound.
    ///
    /// # Errors
    /// When the store fails.
    pub fn board(&self, room: &Room) -> Result<Option<Arc<Board>>, WorkshopError> {
        room.is_measurable().then(|| board_of(room, self.kept())).transpose()
    }

    /// The worst snags of a fitting over all poses, at most so many; none while its board is not whole.
    ///
    /// # Errors
    /// When the store fails.
    pub fn worst_snags(&self, room: &Room, most: usize) -> Result<Vec<WorstSnag>, WorkshopError> {
        match self.tied(room)? {
            Some(tied) => room.worst_cards(&tied, most),
            None => Ok(Vec::new()),
        }
    }

    /// What picks on a part of a fitting come to in a pose, as it is now.
    ///
    /// # Errors
    /// When something that they name is not there, or the store fails.
    pub fn choose(
        &self,
        fitting: i64,
        piece: PieceId,
        picks: &[Pick],
        view: &ViewRequest,
    ) -> Result<ChosenView, WorkshopError> {
        let room = self.room(fitting, None)?;
        let cursor = self.stored(fitting)?.cursor;
        let before = if cursor > 1 { self.room(fitting, Some(cursor - 1)).ok() } else { None };
        let tied = self.tied(&room)?;
        let now = Moment { view, before: before.as_deref(), tied: tied.as_deref() };
        room.choose(piece, picks, now)
    }

    fn tied(&self, room: &Room) -> Result<Option<Arc<SnagTracks>>, WorkshopError> {
        let board = self.board(room)?;
        board.map_or(Ok(None), |board| snag_tracks(room, &board, self.kept()))
    }

    /// A picture of one of the worst snags, by its place in the list, as the bytes of a PNG; `colour` gives
    /// that of a part (0 is the body), sRGB.
    ///
    /// # Errors
    /// When there is no such snag.
    pub fn snag_picture(
        &self,
        room: &Room,
        number: usize,
        colour: impl Fn(usize) -> [u8; 3],
        width: usize,
        height: usize,
    ) -> Result<Vec<u8>, WorkshopError> {
        let tied = self.tied(room)?;
        let snag = tied.as_ref().and_then(|t| t.0.get(number));
        let missing = WorkshopError::Missing { what: "snag", id: number as i64 };
        room.snag_picture(snag.ok_or(missing)?, colour, width, height)
    }

    /// What a joint moves of both layers of one of the worst snags, side by side.
    ///
    /// # Errors
    /// When there is no such snag or joint.
    pub fn cause_picture(
        &self,
        room: &Room,
        number: usize,
        joint: &str,
        width: usize,
        height: usize,
    ) -> Result<Vec<u8>, WorkshopError> {
        let tied = self.tied(room)?;
        let snag = tied.as_ref().and_then(|t| t.0.get(number));
        let missing = WorkshopError::Missing { what: "snag", id: number as i64 };
        room.cause_picture(snag.ok_or(missing)?, joint, width, height)
    }

    /// Remembers which pose of a fitting is looked at: it is measured first.
    pub fn look_at(&self, fitting: i64, pose: usize) {
        self.measurer.in_view.lock().unwrap_or_else(PoisonError::into_inner).insert(fitting, pose);
    }

    /// How far the board of a fitting is.
    pub fn measuring(&self, fitting: i64) -> MeasureState {
        let run = self.measurer.run_of(fitting);
        run.map_or_else(MeasureState::default, |r| MeasureState {
            running: true,
            left: r.left.load(Ordering::Relaxed),
        })
    }

    /// Stops the measuring of a fitting's board: what is measured by then stays.
    pub fn stop_measuring(&self, fitting: i64) {
        if let Some(run) = self.measurer.run_of(fitting) {
            run.stop.raise();
        }
    }

    /// Measures what is missing of a fitting's board, behind everything else.
    ///
    /// # Errors
    /// When the fitting is not there.
    pub fn measure(self: &Arc<Self>, fitting: i64) -> Result<(), WorkshopError> {
        let state = self.store.state_at(fitting, None)?;
        let Some(run) = self.measurer.begin(fitting, state) else { return Ok(()) };
        let workshop = Arc::clone(self);
        std::thread::spawn(move || {
            let work = || workshop.crews.measuring.install(|| workshop.measure_run(fitting, &run));
            match std::panic::catch_unwind(std::panic::AssertUnwindSafe(work)) {
                Ok(Ok(()) | Err(WorkshopError::Stopped)) => {}
                Ok(Err(error)) => tracing::error!(%error, fitting, "the board could not be measured"),
                Err(_) => tracing::error!(fitting, "an unexpected fault while the board was measured"),
            }
            run.ended.store(true, Ordering::Release);
        });
        Ok(())
    }

    /// Measures what is missing of a fitting's board and waits for it.
    ///
    /// # Errors
    /// When the fitting is not there or nothing of it is bound.
    pub fn measure_now(&self, fitting: i64) -> Result<Arc<Board>, WorkshopError> {
        let room = self.fitting(fitting)?.room;
        let how = Measuring { first: &[], go_on: &|_| true, cache: &PoseCache::none() };
        if room.is_measurable() {
            self.crews.measuring.install(|| measure_missing(&room, self.kept(), &how))?;
            self.tell_effect(fitting, &self.store.state_at(fitting, None)?)?;
        }
        self.board(&room)?.ok_or(WorkshopError::BindFirst)
    }

    fn measure_run(&self, fitting: i64, run: &Run) -> Result<(), WorkshopError> {
        let room = self.decoder.open(&self.store, &run.state)?;
        if !room.is_measurable() {
            return Ok(());
        }
        let first = self.order_of_poses(fitting)?;
        let (begun, all) = (Instant::now(), AtomicUsize::new(0));
        let go_on = |left: usize| {
            run.left.store(left, Ordering::Relaxed);
            let is_first = all.fetch_max(left, Ordering::Relaxed) <= left;
            if !is_first {
                run.stop.wait_for(REST.saturating_sub(begun.elapsed()));
            }
            !run.stop.is_raised()
        };
        measure_missing(
            &room,
            self.kept(),
            &Measuring { first: &first, go_on: &go_on, cache: &PoseCache::none() },
        )?;
        self.tell_effect(fitting, &run.state)
    }

    /// The pose in view, then those that were deepest on the board before.
    fn order_of_poses(&self, fitting: i64) -> Result<Vec<usize>, WorkshopError> {
        // Not held on: every pose that is looked at takes this lock.
        let in_view =
            self.measurer.in_view.lock().unwrap_or_else(PoisonError::into_inner).get(&fitting).copied();
        let mut order: Vec<usize> = in_view.into_iter().collect();
        let before = self.store.fitting(fitting)?.cursor - 1;
        if before < 1 {
            return Ok(order);
        }
        let room = self.decoder.open(&self.store, &self.store.state_at(fitting, Some(before))?)?;
        let Some(board) = self.board(&room)? else { return Ok(order) };
        let deepest = |p: usize| board.cells[p].iter().flatten().map(|c| c.depth_mm()).fold(0.0, f32::max);
        let mut worst: Vec<(usize, f32)> = (0..board.poses.len()).map(|p| (p, deepest(p))).collect();
        worst.retain(|w| w.1 > 0.0 && Some(w.0) != in_view);
        worst.sort_by(|a, b| b.1.total_cmp(&a.1));
        order.extend(worst.into_iter().map(|w| w.0));
        Ok(order)
    }

    /// Writes down what a step did, once its board and the one before it are measured.
    fn tell_effect(&self, fitting: i64, state: &BlobId) -> Result<(), WorkshopError> {
        let steps = self.store.steps(fitting)?;
        // The fitting may stand elsewhere by now: the step is found by what it made.
        let Some(at) = steps.iter().rposition(|s| s.state == *state) else { return Ok(()) };
        let room = self.decoder.open(&self.store, state)?;
        let Some(board) = self.board(&room)? else { return Ok(()) };
        let before = match at.checked_sub(1) {
            Some(i) => self.board(&*self.decoder.open(&self.store, &steps[i].state)?)?,
            None => None,
        };
        let (effect, summary) = told(&steps[at].effect, &room, &board, before.as_deref())?;
        Ok(self.store.amend_step(fitting, steps[at].seq, state, &effect, &summary)?)
    }

    /// How many cells were measured since the workshop was opened: what is through, and what of
    /// that is seen.
    pub fn cells_measured(&self) -> (usize, usize) {
        let counts = &self.counts;
        (counts.through.load(Ordering::Relaxed), counts.sight.load(Ordering::Relaxed))
    }
}
