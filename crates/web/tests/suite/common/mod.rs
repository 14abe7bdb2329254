//! Waiting for a step that was sent.

pub mod server;

use tin_cloak_workshop::{JobState, Workshop};

/// Waits for the job that an answer's trigger tells of: its sentence, or why not.
pub fn outcome(shop: &Workshop, trigger: &str) -> Result<String, String> {
    let told: serde_json::Value = serde_json::from_str(trigger).unwrap();
    done(shop, told["job-started"]["job"].as_u64().unwrap())
}

/// Waits for a job: its sentence, or why not.
pub fn done(shop: &Workshop, job: u64) -> Result<String, String> {
    let job = shop.jobs().get(job).unwrap();
    match job.wait() {
        JobState::Done(sentence) => Ok(sentence),
        JobState::Failed(why) => Err(why),
        other => Err(format!("{other:?}")),
    }
}
