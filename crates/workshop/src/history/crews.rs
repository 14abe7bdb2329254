//! Threads, a crew for each sort of work, so that looking never waits for computing.

use rayon::{ThreadPool, ThreadPoolBuilder};
use thread_priority::{set_current_thread_priority, ThreadPriority, ThreadPriorityValue};

/// As many threads in each crew as there are processors; the system gives time to whoever looks
/// before it gives any to steps, and to those before the board behind them.
pub(crate) struct Crews {
    /// Runs steps.
    pub working: ThreadPool,
    /// Measures boards.
    pub measuring: ThreadPool,
    /// Writes pages and panels.
    pub reading: ThreadPool,
    /// Poses, maps and probes for the viewport.
    pub looking: ThreadPool,
}

impl Crews {
    /// Hires all of them.
    ///
    /// # Errors
    /// When the system gives no threads.
    pub fn hire() -> Result<Self, rayon::ThreadPoolBuildError> {
        Ok(Self {
            working: crew("working", Some(44))?,
            measuring: crew("measuring", Some(36))?,
            reading: crew("reading", None)?,
            looking: crew("looking", None)?,
        })
    }
}

/// `priority` is 0 (least) to 99; about 50 is what every thread has of which nothing is said.
fn crew(name: &'static str, priority: Option<u8>) -> Result<ThreadPool, rayon::ThreadPoolBuildError> {
    let begin = move |_: usize| {
        let value = priority.and_then(|p| ThreadPriorityValue::try_from(p).ok());
        let Some(value) = value else { return };
        // Where the system does not let threads differ, all are alike.
        if let Err(error) = set_current_thread_priority(ThreadPriority::Crossplatform(value)) {
            tracing::debug!(?error, name, "threads keep the usual priority");
        }
    };
    ThreadPoolBuilder::new().thread_name(move |n| format!("{name} {n}")).start_handler(begin).build()
}
