//! A sign that asks work to stop, and wakes whoever waits beside it.

use std::sync::{Condvar, Mutex, PoisonError};
use std::time::Duration;

/// Raised once, seen from then on.
#[derive(Debug, Default)]
pub(crate) struct StopSign {
    raised: Mutex<bool>,
    bell: Condvar,
}

impl StopSign {
    /// Asks to stop.
    pub fn raise(&self) {
        *self.raised.lock().unwrap_or_else(PoisonError::into_inner) = true;
        self.bell.notify_all();
    }

    /// Whether it was asked to stop.
    pub fn is_raised(&self) -> bool {
        *self.raised.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Waits for so long, less where it is asked to stop meanwhile.
    pub fn wait_for(&self, time: Duration) {
        let raised = self.raised.lock().unwrap_or_else(PoisonError::into_inner);
        drop(self.bell.wait_timeout_while(raised, time, |raised| !*raised));
    }
}
