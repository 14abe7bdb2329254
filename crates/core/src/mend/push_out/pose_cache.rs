//! Posed layers from round to round, and from one mending to the next: what has not moved since is not posed again, and
//! of what has only that is refitted.

use crate::clearance::{BufferPool, Buffers, Outfit};
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

/// Layers of an outfit in the poses of a trial, kept while shapes are sought for it one after the other: its layers may
/// come to have other shapes, but not to lie otherwise at rest. It changes no figure.
pub struct PoseCache {
    pool: BufferPool,
    layers: usize,
    poses: Vec<Mutex<Slot>>,
    bytes: AtomicUsize,
    /// How many states of layers there were.
    states: AtomicU64,
}

impl PoseCache {
    /// For an outfit in so many poses.
    pub fn new(outfit: &Outfit, poses: usize) -> Self {
        Self {
            pool: outfit.pool(),
            layers: outfit.layers.len(),
            poses: (0..poses).map(|_| Mutex::default()).collect(),
            bytes: AtomicUsize::new(0),
            states: AtomicU64::new(0),
        }
    }

    /// The number of a state that no layer was in before; none is 0.
    pub(super) fn new_state(&self) -> u64 {
        self.states.fetch_add(1, Ordering::Relaxed) + 1
    }

    /// Runs `work` with buffers for a pose, and the state in which each layer is posed there.
    pub(super) fn with<T>(&self, pose: usize, work: impl FnOnce(&mut Buffers, &mut [u64]) -> T) -> T {
        let Some(mut here) = self.lent(pose) else {
            return self.pool.with(|buffers| work(buffers, &mut vec![0; self.layers]));
        };
        let answer = work(&mut here.buffers, &mut here.states);
        let was = std::mem::replace(&mut here.bytes, here.buffers.own_bytes());
        self.bytes.fetch_add(here.bytes, Ordering::Relaxed);
        self.bytes.fetch_sub(was, Ordering::Relaxed);
        *self.slot(pose) = Slot::Here(here);
        answer
    }

    /// Runs `work` with buffers for a pose, to pose layers in by other shapes: they are there in that pose already, so
    /// that only what differs is posed anew.
    pub fn lend<T>(&self, pose: usize, work: impl FnOnce(&mut Buffers) -> T) -> T {
        self.with(pose, |buffers, states| {
            let answer = work(buffers);
            states.fill(0);
            answer
        })
    }

    fn slot(&self, pose: usize) -> MutexGuard<'_, Slot> {
        self.poses[pose].lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What is kept of a pose, to be brought back; none where it is lent out, or there is no room for it.
    fn lent(&self, pose: usize) -> Option<InOnePose> {
        let mut slot = self.slot(pose);
        let is_full = self.bytes.load(Ordering::Relaxed) > KEPT_BYTES;
        if is_full && matches!(*slot, Slot::Nothing) {
            return None;
        }
        match std::mem::replace(&mut *slot, Slot::Lent) {
            Slot::Nothing => {
                Some(InOnePose { buffers: self.pool.fresh(), states: vec![0; self.layers], bytes: 0 })
            }
            Slot::Here(here) => Some(here),
            Slot::Lent => None,
        }
    }
}
