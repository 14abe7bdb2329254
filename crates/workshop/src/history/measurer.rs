//! The measuring under way: a run a fitting, a newer one in the place of an older.

use crate::history::stop_sign::StopSign;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use tin_cloak_store::BlobId;

/// The measuring of one fitting's board.
#[derive(Debug)]
pub(crate) struct Run {
    pub state: BlobId,
    pub stop: StopSign,
    pub ended: AtomicBool,
    /// Poses that are left.
    pub left: AtomicUsize,
}

/// How far a board is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct MeasureState {
    /// True while it is being measured.
    pub running: bool,
    /// Poses that are left, the one under way included.
    pub left: usize,
}

/// The measuring under way, a run a fitting, and the poses looked at.
#[derive(Debug, Default)]
pub(crate) struct Measurer {
    runs: Mutex<HashMap<i64, Arc<Run>>>,
    pub in_view: Mutex<HashMap<i64, usize>>,
}

impl Measurer {
    pub fn run_of(&self, fitting: i64) -> Option<Arc<Run>> {
        let runs = self.runs.lock().unwrap_or_else(PoisonError::into_inner);
        runs.get(&fitting).filter(|r| !r.ended.load(Ordering::Acquire)).cloned()
    }

    /// A run of its own for `state`, unless there is one; another that is under way gives way.
    pub fn begin(&self, fitting: i64, state: BlobId) -> Option<Arc<Run>> {
        let mut runs = self.runs.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(old) = runs.get(&fitting).filter(|r| !r.ended.load(Ordering::Acquire)) {
            if old.state == state && !old.stop.is_raised() {
                return None;
            }
            old.stop.raise();
        }
        let (stop, ended, left) = (StopSign::default(), AtomicBool::new(false), AtomicUsize::new(0));
        let run = Arc::new(Run { state, stop, ended, left });
        runs.insert(fitting, Arc::clone(&run));
        Some(run)
    }
}
