//! Progress on a terminal; nothing when piped.

use std::io::{IsTerminal, Write};
use std::sync::Mutex;
use std::time::{Duration, Instant};

/// One line that is written over.
pub(crate) struct Progress {
    what: &'static str,
    begun: Instant,
    shown: Option<Mutex<(Instant, f32)>>,
}

impl Progress {
    pub fn new(what: &'static str) -> Self {
        let now = Instant::now().checked_sub(Duration::from_secs(1)).unwrap_or_else(Instant::now);
        Self {
            what,
            begun: Instant::now(),
            shown: std::io::stderr().is_terminal().then(|| Mutex::new((now, 0.0))),
        }
    }

    /// Shows the share done, ten times a second at most; always goes on.
    pub fn tell(&self, share: f32) -> bool {
        let Some(shown) = &self.shown else { return true };
        let Ok(mut last) = shown.lock() else { return true };
        if share > last.1 && last.0.elapsed() > Duration::from_millis(100) {
            *last = (Instant::now(), share);
            let filled = (share * 24.0) as usize;
            let left = time_left(self.begun.elapsed(), share);
            let bar = "=".repeat(filled.min(24));
            eprint!("\r{:<10} [{bar:<24}] {:3.0} %{left:<16}", self.what, share * 100.0);
            let _ = std::io::stderr().flush();
        }
        true
    }

    /// Clears the line.
    pub fn done(&self) {
        if self.shown.is_some() {
            eprint!("\r{:72}\r", "");
        }
    }
}

/// How long it will take still at the pace so far; nothing before that can be said.
fn time_left(gone: Duration, share: f32) -> String {
    if share < 0.03 || gone < Duration::from_millis(500) {
        return String::new();
    }
    let left = gone.as_secs_f32() * (1.0 - share) / share;
    match left {
        s if s < 90.0 => format!(", {s:.0} s left"),
        s => format!(", {:.0} min left", s / 60.0),
    }
}
