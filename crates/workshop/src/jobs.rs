//! Long work: run aside, with progress, and able to be stopped.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU32, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// Number of a job.
pub type JobId = u64;

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
    share: AtomicU32,
    stop: AtomicBool,
    state: Mutex<JobState>,
}

impl Job {
    /// Share done, 0 to 1.
    pub fn share(&self) -> f32 {
        f32::from_bits(self.share.load(Ordering::Relaxed))
    }

    /// Tells the share done; answers whether to go on.
    pub fn tell(&self, share: f32) -> bool {
        // Parallel workers report out of order: only ever forward.
        self.share.fetch_max(share.clamp(0.0, 1.0).to_bits(), Ordering::Relaxed);
        !self.stop.load(Ordering::Relaxed)
    }

    /// Asks it to stop.
    pub fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// How it stands.
    pub fn state(&self) -> JobState {
        self.state.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    fn finish(&self, state: JobState) {
        *self.state.lock().unwrap_or_else(PoisonError::into_inner) = state;
    }
}

/// All jobs; finished ones are kept until a good many newer ones have come.
#[derive(Debug, Default)]
pub struct Jobs {
    next: AtomicU64,
    list: Mutex<HashMap<JobId, Arc<Job>>>,
}

const KEPT: u64 = 64;

impl Jobs {
    /// Starts `work` on a thread of its own, unless the fitting has a job running already
    /// (then `None`).
    pub fn start(
        &self,
        fitting: i64,
        title: String,
        work: impl FnOnce(&Job) -> JobState + Send + 'static,
    ) -> Option<JobId> {
        let mut list = self.list.lock().unwrap_or_else(PoisonError::into_inner);
        if list.values().any(|j| j.fitting == fitting && j.state() == JobState::Running) {
            return None;
        }
        let id = self.next.fetch_add(1, Ordering::Relaxed) + 1;
        list.retain(|old, j| *old + KEPT > id || j.state() == JobState::Running);
        let job = Arc::new(Job {
            fitting,
            title,
            share: AtomicU32::new(0),
            stop: AtomicBool::new(false),
            state: Mutex::new(JobState::Running),
        });
        list.insert(id, Arc::clone(&job));
        std::thread::spawn(move || {
            // A defect in the work must not leave the fitting locked for ever.
            let outcome = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| work(&job)));
            job.finish(outcome.unwrap_or_else(|_| {
                JobState::Failed("an unexpected fault stopped the work; nothing was changed".to_owned())
            }));
        });
        Some(id)
    }

    /// A job by its number.
    pub fn get(&self, id: JobId) -> Option<Arc<Job>> {
        self.list.lock().unwrap_or_else(PoisonError::into_inner).get(&id).cloned()
    }

    /// The running job of a fitting, if any.
    pub fn running(&self, fitting: i64) -> Option<(JobId, Arc<Job>)> {
        let list = self.list.lock().unwrap_or_else(PoisonError::into_inner);
        list.iter()
            .find(|(_, j)| j.fitting == fitting && j.state() == JobState::Running)
            .map(|(id, j)| (*id, Arc::clone(j)))
    }
}
