//! Long work: run aside, with progress, and able to be stopped.

use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_stations::making::job::{Job, JobState};

/// Number of a job.
pub type JobId = u64;

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
        let job = Arc::new(Job::new(fitting, title));
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
