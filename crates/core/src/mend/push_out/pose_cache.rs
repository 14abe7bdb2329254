//! Posed layers from round to round, from one mending to the next, and to the measure between them: what has not moved
//! since is not posed again, and of what has only that is refitted.

use crate::clearance::{Buffers, Outfit};
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// So many bytes of posed layers are kept at most, about.
const KEPT_BYTES: usize = 768 << 20;

/// Layers in a pose.
struct InOnePose {
    buffers: Buffers,
    /// By layer, the state in which it is posed there.
    states: Vec<u64>,
    bytes: usize,
}

/// What is kept of a pose.
#[derive(Default)]
enum Slot {
    #[default]
    Nothing,
    Here(InOnePose),
    /// Somebody asks in it: another who does so meanwhile poses by himself.
    Lent,
}

/// The layers of an outfit in the poses of a trial, kept while it is mended: they may come to lie otherwise at rest,
/// and to have other shapes. It changes no figure.
#[derive(Default)]
pub struct PoseCache {
    poses: Vec<Mutex<Slot>>,
    bytes: AtomicUsize,
    /// For poses of which nothing is kept.
    free: Mutex<Vec<Buffers>>,
    /// How many states of layers there were.
    states: AtomicU64,
}

impl PoseCache {
    /// For so many poses.
    pub fn new(poses: usize) -> Self {
        Self { poses: (0..poses).map(|_| Mutex::default()).collect(), ..Self::default() }
    }

    /// Keeps no pose: each is posed anew, in as many buffers as are needed at once.
    pub fn none() -> Self {
        Self::default()
    }

    /// The number of a state that no layer was in before; none is 0.
    pub(super) fn new_state(&self) -> u64 {
        self.states.fetch_add(1, Ordering::Relaxed) + 1
    }

    /// Runs `work` with buffers for an outfit in a pose, and the state in which each layer is posed there.
    pub(super) fn with<T>(
        &self,
        pose: usize,
        outfit: &Outfit,
        work: impl FnOnce(&mut Buffers, &mut [u64]) -> T,
    ) -> T {
        let Some(mut here) = self.lent(pose, outfit) else {
            return self.with_free(outfit, |buffers| work(buffers, &mut vec![0; outfit.layers.len()]));
        };
        outfit.take_over(&mut here.buffers);
        here.states.resize(outfit.layers.len(), 0);
        let answer = work(&mut here.buffers, &mut here.states);
        let was = std::mem::replace(&mut here.bytes, here.buffers.own_bytes());
        self.bytes.fetch_add(here.bytes, Ordering::Relaxed);
        self.bytes.fetch_sub(was, Ordering::Relaxed);
        *self.slot(pose) = Slot::Here(here);
        answer
    }

    /// Runs `work` with buffers for an outfit in a pose, to pose it in: layers that are there in that pose already are
    /// not posed again, and of those with another shape only what differs.
    pub fn lend<T>(&self, pose: usize, outfit: &Outfit, work: impl FnOnce(&mut Buffers) -> T) -> T {
        self.with(pose, outfit, |buffers, states| {
            let answer = work(buffers);
            states.fill(0);
            answer
        })
    }

    fn with_free<T>(&self, outfit: &Outfit, work: impl FnOnce(&mut Buffers) -> T) -> T {
        let free = || self.free.lock().unwrap_or_else(PoisonError::into_inner);
        let lent = free().pop();
        let mut buffers = lent.unwrap_or_else(|| outfit.buffers());
        outfit.take_over(&mut buffers);
        let answer = work(&mut buffers);
        free().push(buffers);
        answer
    }

    fn slot(&self, pose: usize) -> MutexGuard<'_, Slot> {
        self.poses[pose].lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What is kept of a pose, to be brought back; none where it is lent out, or there is no room for it.
    fn lent(&self, pose: usize, outfit: &Outfit) -> Option<InOnePose> {
        if pose >= self.poses.len() {
            return None;
        }
        let mut slot = self.slot(pose);
        let is_full = self.bytes.load(Ordering::Relaxed) > KEPT_BYTES;
        if is_full && matches!(*slot, Slot::Nothing) {
            return None;
        }
        match std::mem::replace(&mut *slot, Slot::Lent) {
            Slot::Nothing => Some(InOnePose { buffers: outfit.buffers(), states: Vec::new(), bytes: 0 }),
            Slot::Here(here) => Some(here),
            Slot::Lent => None,
        }
    }
}
