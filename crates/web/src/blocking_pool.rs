//! The one way a handler computes: aside, so that no request waits for another's work.

use crate::answers::Refusal;
use rocket::http::Status;
use rocket::tokio::task::spawn_blocking;
use rocket::State;
use std::sync::Arc;
use tin_cloak_workshop::Workshop;

/// The workshop, as handlers are given it.
pub(crate) type Shop = State<Arc<Workshop>>;
/// Runs `work` on the threads that pages are written on.
pub(crate) async fn aside<T: Send + 'static>(
    shop: &Shop,
    work: impl FnOnce(&Arc<Workshop>) -> Result<T, Refusal> + Send + 'static,
) -> Result<T, Refusal> {
    let shop = Arc::clone(shop);
    joined(spawn_blocking(move || shop.reading(|| work(&shop)))).await
}

/// Runs `work` on the threads of the viewport: these wait for no page.
pub(crate) async fn look_aside<T: Send + 'static>(
    shop: &Shop,
    work: impl FnOnce(&Arc<Workshop>) -> Result<T, Refusal> + Send + 'static,
) -> Result<T, Refusal> {
    let shop = Arc::clone(shop);
    joined(spawn_blocking(move || shop.looking(|| work(&shop)))).await
}

async fn joined<T>(handle: rocket::tokio::task::JoinHandle<Result<T, Refusal>>) -> Result<T, Refusal> {
    let fault = |_| {
        let text = "The request could not be answered: an unexpected fault.";
        Err(Refusal::new(Status::InternalServerError, text))
    };
    handle.await.unwrap_or_else(fault)
}
