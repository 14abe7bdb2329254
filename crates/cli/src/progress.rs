//! Progress on a terminal; nothing when piped.

use std::io::{IsTerminal, Write};
use std::sync::Mutex;
use std::time::{Duration, Instant};

/// One line that is written over.
pub(crate) struct Progress {
    what: &'static str,
    shown: Option<Mutex<(Instant, f32)>>,
}

impl Progress {
    pub fn new(what: &'static str) -> Self {
        let now = Instant::now().checked_sub(Duration::from_secs(1)).unwrap_or_else(Instant::now);
        Self { what, shown: std::io::stderr().is_terminal().then(|| Mutex::new((now, 0.0))) }
    }

    /// Shows the share done, ten times a second at most; always goes on.
    pub fn tell(&self, share: f32) -> bool {
        let Some(shown) = &self.shown else { return true };
        let Ok(mut last) = shown.lock() else { return true };
        if share > last.1 && last.0.elapsed() > Duration::from_millis(100) {
            *last = (Instant::now(), share);
            let filled = (share * 24.0) as usize;
            eprint!("\r{:<10} [{:<24}] {:3.0} %", self.what, "=".repeat(filled.min(24)), share * 100.0);
            let _ = std::io::stderr().flush();
        }
        true
    }

    /// Clears the line.
    pub fn done(&self) {
        if self.shown.is_some() {
            eprint!("\r{:60}\r", "");
        }
    }
}
