//! Files brought in.

use crate::answers::{Refusal, Tell};
use rocket::data::Capped;
use rocket::form::Form;
use rocket::fs::TempFile;
use rocket::http::Status;
use rocket::tokio::io::AsyncReadExt;
use rocket::{post, routes, FromForm, Route, State};
use std::sync::Arc;
use tin_cloak_workshop::{Companions, Workshop};

#[derive(FromForm)]
struct Upload<'r> {
    files: Vec<Capped<TempFile<'r>>>,
}

/// Reads all files of the form.
async fn contents(upload: Upload<'_>) -> Result<Vec<(String, Vec<u8>)>, Refusal> {
    let mut list = Vec::new();
    for file in upload.files {
        let name = file.raw_name().map_or("upload", |n| n.dangerous_unsafe_unsanitized_raw().as_str());
        // Only the last part of what the browser says: it is shown and told apart, never opened.
        let name: String = name.rsplit(['/', '\\']).next().unwrap_or("upload").chars().take(120).collect();
        if !file.is_complete() {
            let most = crate::LARGEST_UPLOAD_MIB;
            let text = format!("{name} is larger than {most} MB: export only the meshes that are worn.");
            return Err(Refusal::new(Status::PayloadTooLarge, text));
        }
        let mut bytes = Vec::new();
        let unread =
            |_| Refusal::new(Status::BadRequest, format!("{name} did not arrive whole: send it again."));
        let mut reader = file.open().await.map_err(unread)?;
        reader.read_to_end(&mut bytes).await.map_err(unread)?;
        list.push((name, bytes));
    }
    Ok(list)
}

#[post("/assets", data = "<upload>")]
async fn bring_in(shop: &State<Arc<Workshop>>, upload: Form<Upload<'_>>) -> Result<Tell, Refusal> {
    let mut list = contents(upload.into_inner()).await?;
    let is_main = |name: &str| {
        let lower = name.to_ascii_lowercase();
        [".glb", ".gltf", ".obj", ".bvh"].iter().any(|e| lower.ends_with(e))
    };
    let beside: Vec<_> = {
        let (main, beside) = list.into_iter().partition(|(n, _)| is_main(n));
        list = main;
        beside
    };
    if list.is_empty() {
        // Nothing looks like a mesh: let the reader say what is wrong with the first.
        list.extend(beside.iter().take(1).cloned());
    }
    if list.is_empty() {
        return Err(Refusal::new(Status::BadRequest, "No file arrived: choose a GLB, glTF or OBJ."));
    }
    let companions: Companions = beside.into_iter().collect();
    let shop = Arc::clone(shop);
    let work = move || -> Result<Vec<String>, Refusal> {
        let mut names = Vec::new();
        for (name, bytes) in &list {
            names.extend(shop.bring_in(name, bytes, &companions)?.into_iter().map(|a| a.name));
        }
        Ok(names)
    };
    let names = rocket::tokio::task::spawn_blocking(work).await;
    let failed =
        |_| Refusal::new(Status::InternalServerError, "The file could not be read: an unexpected fault.");
    let names = names.map_err(failed)??;
    Ok(Tell(serde_json::json!({ "brought-in": { "names": names } })))
}

pub(crate) fn routes() -> Vec<Route> {
    routes![bring_in]
}
