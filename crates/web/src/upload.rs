//! Files brought in.

use crate::answers::{Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::steps::changed_by;
use rocket::data::Capped;
use rocket::form::Form;
use rocket::fs::TempFile;
use rocket::http::{ContentType, Status};
use rocket::response::{self, Responder};
use rocket::tokio::io::AsyncReadExt;
use rocket::{post, routes, FromForm, Request, Response, Route};
use std::io::Cursor;
use tin_cloak_workshop::{Companions, IntakeStep, OutfitRecipe, Step};

#[derive(FromForm)]
struct Upload<'r> {
    files: Vec<Capped<TempFile<'r>>>,
}

/// Reads all files of the form.
async fn contents(upload: Upload<'_>) -> Result<Vec<Named>, Refusal> {
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

/// A file by its name.
type Named = (String, Vec<u8>);

/// Files with meshes or motions, and what they refer to.
fn sorted(list: Vec<Named>) -> Result<(Vec<Named>, Companions), Refusal> {
    let is_main = |name: &str| {
        let lower = name.to_ascii_lowercase();
        [".glb", ".gltf", ".obj", ".bvh"].iter().any(|e| lower.ends_with(e))
    };
    let (mut main, beside): (Vec<_>, Vec<_>) = list.into_iter().partition(|(n, _)| is_main(n));
    if main.is_empty() {
        // Nothing looks like a mesh: let the reader say what is wrong with the first.
        main.extend(beside.iter().take(1).cloned());
    }
    if main.is_empty() {
        return Err(Refusal::new(Status::BadRequest, "No file arrived: choose a GLB, glTF or OBJ."));
    }
    Ok((main, beside.into_iter().collect()))
}

/// A file that comes back for a piece, or for the body: tried first, and nothing is changed.
#[post("/fitting/<id>/replace/<piece>", data = "<upload>")]
async fn replace(shop: &Shop, id: i64, piece: u32, upload: Form<Upload<'_>>) -> Result<Tell, Refusal> {
    let (mut list, companions) = sorted(contents(upload.into_inner()).await?)?;
    let (name, bytes) = list.swap_remove(0);
    aside(shop, move |shop| {
        let step = shop.replacement_step(id, piece, &name, &bytes, &companions)?;
        Ok(Tell::job_started(shop.try_step(id, step)?))
    })
    .await
}

/// A recipe's file, applied to what is worn.
#[post("/fitting/<id>/recipe", data = "<upload>")]
async fn apply_recipe(shop: &Shop, id: i64, upload: Form<Upload<'_>>) -> Result<Tell, Refusal> {
    let first = contents(upload.into_inner()).await?.into_iter().next();
    let none = || Refusal::new(Status::BadRequest, "No file arrived: choose a recipe, JSON.");
    let (name, bytes) = first.ok_or_else(none)?;
    let recipe = Box::new(OutfitRecipe::of_json(&name, &bytes)?);
    changed_by(shop, id, Step::Intake(IntakeStep::ApplyRecipe { recipe })).await
}

#[post("/assets", data = "<upload>")]
async fn bring_in(shop: &Shop, upload: Form<Upload<'_>>) -> Result<BroughtIn, Refusal> {
    let (list, companions) = sorted(contents(upload.into_inner()).await?)?;
    // One bad file does not stop the others.
    let (brought, refused) = aside(shop, move |shop| {
        let (mut brought, mut refused) = (0, Vec::new());
        for (name, bytes) in &list {
            match shop.bring_in(name, bytes, &companions) {
                Ok(_) => brought += 1,
                Err(error) => refused.push(Refusal::from(error)),
            }
        }
        Ok((brought, refused))
    })
    .await?;
    let Some(refusal) = Refusal::all(refused) else { return Ok(BroughtIn(String::new())) };
    if brought == 0 {
        return Err(refusal);
    }
    Ok(BroughtIn(format!("{refusal} The rest is on the shelf.")))
}

/// Some files are on the shelf now; what is wrong with the others, if any.
struct BroughtIn(String);

impl<'r> Responder<'r, 'static> for BroughtIn {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        let said = self.0.into_bytes();
        Response::build()
            .status(if said.is_empty() { Status::NoContent } else { Status::Ok })
            .header(ContentType::Plain)
            .header(Tell::brought_in().header())
            .sized_body(said.len(), Cursor::new(said))
            .ok()
    }
}

pub(crate) fn routes() -> Vec<Route> {
    routes![bring_in, replace, apply_recipe]
}
