//! A piece of long work: how far it is, and whether it shall stop.

use std::sync::atomic::{AtomicBool, AtomicU32, AtomicUsize, Ordering};
use std::sync::{Condvar, Mutex, PoisonError};
use std::time::Duration;
use tin_cloak_model::state::names::PieceId;

/// What became of a job.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum JobState {
    /// Still at it.
    Running,
    /// Done; a sentence.
    Done(String),
    /// Not done; a sentence that says why.
    Failed(String),
    /// Stopped by hand; nothing was changed.
    Stopped,
}

/// A job, shared between who does it and who watches.
#[derive(Debug)]
pub struct Job {
    /// The fitting it changes.
    pub fitting: i64,
    /// What it does, in words.
    pub title: String,
    /// What of it is done now, in words; empty where nothing more is to be said.
    pub now: Mutex<String>,
    pub share: AtomicU32,
    /// How often it has found something that can be shown before it is done.
    pub news: AtomicUsize,
    /// The part of the whole that it is at: its tellers tell shares of that.
    pub span: Mutex<(f32, f32)>,
    pub stop: AtomicBool,
    pub state: Mutex<JobState>,
    pub ended: Condvar,
    /// Seconds that pieces took to be bound.
    pub bound: Mutex<Vec<(PieceId, BindSeconds)>>,
}

/// Seconds that parts of a binding took.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct BindSeconds {
    /// Finding and judging closest points.
    pub matching: f64,
    /// Filling in.
    pub solving: f64,
}

impl Job {
    /// One that is under way.
    pub fn new(fitting: i64, title: String) -> Self {
        Self {
            fitting,
            title,
            now: Mutex::new(String::new()),
            share: AtomicU32::new(0),
            news: AtomicUsize::new(0),
            span: Mutex::new((0.0, 1.0)),
            stop: AtomicBool::new(false),
            state: Mutex::new(JobState::Running),
            ended: Condvar::new(),
            bound: Mutex::default(),
        }
    }

    /// One that nobody watches.
    pub fn alone(fitting: i64) -> Self {
        Self::new(fitting, String::new())
    }

    /// Notes what a piece took to be bound.
    pub fn was_bound(&self, piece: PieceId, seconds: BindSeconds) {
        self.bound.lock().unwrap_or_else(PoisonError::into_inner).push((piece, seconds));
    }

    /// Seconds that pieces took to be bound.
    pub fn bind_seconds(&self) -> Vec<(PieceId, BindSeconds)> {
        self.bound.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Share done, 0 to 1.
    pub fn share(&self) -> f32 {
        f32::from_bits(self.share.load(Ordering::Relaxed))
    }

    /// Tells the share done; answers whether to go on.
    pub fn tell(&self, share: f32) -> bool {
        let (from, to) = *self.span.lock().unwrap_or_else(PoisonError::into_inner);
        let share = from + (to - from) * share.clamp(0.0, 1.0);
        // Parallel workers report out of order: only ever forward.
        self.share.fetch_max(share.to_bits(), Ordering::Relaxed);
        !self.is_stopped()
    }

    /// What is told from now on is a share of this part of the whole.
    pub fn at(&self, from: f32, to: f32) {
        *self.span.lock().unwrap_or_else(PoisonError::into_inner) = (from, to);
    }

    /// Says what of it is done now.
    pub fn say(&self, now: String) {
        *self.now.lock().unwrap_or_else(PoisonError::into_inner) = now;
    }

    /// What was last said to be done now.
    pub fn now(&self) -> String {
        self.now.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// How often it has found something that can be shown before it is done.
    pub fn news(&self) -> usize {
        self.news.load(Ordering::Relaxed)
    }

    /// Tells that it has found something.
    pub fn found(&self) {
        self.news.fetch_add(1, Ordering::Relaxed);
    }

    /// Whether it shall stop.
    pub fn is_stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }

    /// What it does, and what of it now, in words.
    pub fn text(&self) -> String {
        let now = self.now();
        if now.is_empty() {
            return self.title.clone();
        }
        format!("{} · {now}", self.title)
    }

    /// Asks it to stop.
    pub fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// How it stands.
    pub fn state(&self) -> JobState {
        self.state.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Waits for its end.
    pub fn wait(&self) -> JobState {
        let state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        let is_running = |state: &mut JobState| *state == JobState::Running;
        self.ended.wait_while(state, is_running).unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Waits for its end, but no longer than `most`; how it stands then.
    pub fn wait_for(&self, most: Duration) -> JobState {
        let state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        let is_running = |state: &mut JobState| *state == JobState::Running;
        let waited = self.ended.wait_timeout_while(state, most, is_running);
        waited.unwrap_or_else(PoisonError::into_inner).0.clone()
    }

    pub fn finish(&self, state: JobState) {
        *self.state.lock().unwrap_or_else(PoisonError::into_inner) = state;
        self.ended.notify_all();
    }
}
