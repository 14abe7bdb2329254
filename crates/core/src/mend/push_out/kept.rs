//! Posed layers from round to round: what has not moved since is not posed again.

use crate::clearance::{BufferPool, Buffers, Outfit};
use std::sync::{Mutex, PoisonError};

/// So many bytes of posed layers are kept from round to round at most: what has not moved is not posed again.
const KEPT_BYTES: usize = 256 << 20;

/// Layers in a pose, and which of them are where they are now.
struct InOnePose {
    buffers: Buffers,
    is_posed: Vec<bool>,
}

/// Posed layers, of the first poses kept from round to round.
pub(super) struct Kept {
    pool: BufferPool,
    layers: usize,
    first: Vec<Mutex<Option<InOnePose>>>,
}

impl Kept {
    pub fn new(outfit: &Outfit, poses: usize) -> Self {
        let count = poses.min(KEPT_BYTES / outfit.posed_bytes().max(1));
        let first = (0..count).map(|_| Mutex::default()).collect();
        Self { pool: outfit.pool(), layers: outfit.layers.len(), first }
    }

    /// Layers that `moved` are to be posed again.
    pub fn forget(&mut self, moved: &[usize]) {
        for kept in &mut self.first {
            let Some(kept) = kept.get_mut().unwrap_or_else(PoisonError::into_inner) else { continue };
            moved.iter().for_each(|layer| kept.is_posed[*layer] = false);
        }
    }

    /// Runs `work` with buffers for a pose, and what of them is posed already.
    pub fn with<T>(&self, pose: usize, work: impl FnOnce(&mut Buffers, &mut [bool]) -> T) -> T {
        let nothing = || vec![false; self.layers];
        let Some(kept) = self.first.get(pose) else {
            return self.pool.with(|buffers| work(buffers, &mut nothing()));
        };
        let held = || kept.lock().unwrap_or_else(PoisonError::into_inner);
        let known = held().take();
        let fresh = || InOnePose { buffers: self.pool.fresh(), is_posed: nothing() };
        let mut known = known.unwrap_or_else(fresh);
        let answer = work(&mut known.buffers, &mut known.is_posed);
        *held() = Some(known);
        answer
    }
}
