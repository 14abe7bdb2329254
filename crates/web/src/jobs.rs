//! Jobs as the page watches them.

use crate::answers::Refusal;
use rocket::http::Status;
use rocket::response::stream::{Event, EventStream};
use rocket::tokio::time::{sleep, Duration};
use rocket::{get, post, routes, Route, Shutdown, State};
use std::sync::Arc;
use std::time::Instant;
use tin_cloak_workshop::{JobState, Workshop};

/// Share done as it grows, then how it ended.
#[get("/jobs/<id>/events")]
fn events(shop: &State<Arc<Workshop>>, id: u64, mut end: Shutdown) -> Result<EventStream![], Refusal> {
    let job = shop.jobs().get(id);
    let job = job.ok_or_else(|| Refusal::new(Status::NotFound, "This work is long done."))?;
    let begun = Instant::now();
    Ok(EventStream! {
        loop {
            let state = job.state();
            let (kind, text) = match &state {
                JobState::Running => ("running", job.text()),
                JobState::Done(sentence) => ("done", sentence.clone()),
                JobState::Failed(why) => ("failed", crate::answers::sentence(why)),
                JobState::Stopped => ("stopped", "Stopped: nothing was changed.".to_owned()),
            };
            let told = serde_json::json!({
                "state": kind, "share": job.share(), "text": text, "news": job.news(),
            });
            yield Event::json(&told);
            if state != JobState::Running {
                break;
            }
            rocket::tokio::select! {
                () = sleep(until_told_again(begun.elapsed())) => {}
                () = &mut end => break,
            }
        }
    })
}

/// Short work is told of often; of long work a twentieth of its time is late enough, as each word is drawn on the same
/// cores.
fn until_told_again(so_far: Duration) -> Duration {
    (so_far / 20).clamp(Duration::from_millis(80), Duration::from_millis(500))
}

#[post("/jobs/<id>/stop")]
fn stop(shop: &State<Arc<Workshop>>, id: u64) -> Status {
    if let Some(job) = shop.jobs().get(id) {
        job.stop();
    }
    Status::NoContent
}

pub(crate) fn routes() -> Vec<Route> {
    routes![events, stop]
}
