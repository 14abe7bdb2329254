//! Which meshes of its file are the body, and which parts of them.

use crate::answers::{Refusal, Tell};
use crate::blocking_pool::Shop;
use crate::looked_over::spot;
use crate::shelf::thousands;
use crate::steps::changed_as;
use rocket::form::Form;
use rocket::{post, routes, FromForm, Route};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::{BodyMesh, BodyPart, IntakeStep, Room, Step};

/// A mesh of the body's file that has weights.
pub(crate) struct BodyMeshRow {
    pub name: String,
    pub chosen: bool,
    pub words: String,
    /// Its connected parts, when it is of the body.
    pub shells: Vec<ShellRow>,
}

/// A connected part of such a mesh.
pub(crate) struct ShellRow {
    pub number: u32,
    pub chosen: bool,
    pub words: String,
    pub spot: String,
}

/// A mesh of more parts than this is taken whole.
const MOST_SHELLS: usize = 60;

/// Empty when there is nothing to choose.
pub(crate) fn body_mesh_rows(room: &Room) -> Vec<BodyMeshRow> {
    let body = &room.dress.body;
    let shell = |part: &BodyPart, (n, (vertices, middle)): (usize, &(usize, Vec3))| ShellRow {
        number: n as u32,
        chosen: part.shells.as_ref().is_none_or(|list| list.contains(&(n as u32))),
        words: format!("{} vertices", thousands(*vertices as u64)),
        spot: spot(room, *middle),
    };
    let own = |m: &BodyMesh| BodyMeshRow {
        name: m.part.mesh.clone(),
        chosen: true,
        words: format!("{} vertices", thousands(m.shells.iter().map(|s| s.0 as u64).sum())),
        shells: match m.shells.len() {
            0..=MOST_SHELLS => m.shells.iter().enumerate().map(|s| shell(&m.part, s)).collect(),
            _ => Vec::new(),
        },
    };
    let beside = body.beside.iter().map(|b| BodyMeshRow {
        name: b.name.clone(),
        chosen: false,
        words: match b.closes {
            true => format!("{} vertices, closes an open edge", thousands(b.vertices as u64)),
            false => format!("{} vertices", thousands(b.vertices as u64)),
        },
        shells: Vec::new(),
    });
    let rows: Vec<BodyMeshRow> = body.meshes.iter().map(own).chain(beside).collect();
    let choosable = rows.len() > 1 || rows.iter().any(|m| m.shells.len() > 1);
    rows.into_iter().filter(|_| choosable).collect()
}

#[derive(FromForm)]
struct BodyPartRows {
    mesh: Vec<String>,
    /// Number and mesh of each part that is meant.
    shell: Vec<String>,
}

#[post("/fitting/<id>/body-parts", data = "<form>")]
async fn set_body_parts(shop: &Shop, id: i64, form: Form<BodyPartRows>) -> Result<Tell, Refusal> {
    let BodyPartRows { mesh, shell } = form.into_inner();
    changed_as(shop, id, move |shop| {
        let room = shop.room(id, None)?;
        let named = |name: &String| {
            let of = |s: &String| s.split_once(':').filter(|p| p.1 == *name)?.0.parse().ok();
            let shells: Vec<u32> = shell.iter().filter_map(of).collect();
            let all = room.dress.body.meshes.iter().find(|m| m.part.mesh == *name).map(|m| m.shells.len());
            // Nothing was said of the parts of a mesh that is new, or has one only.
            let listed = all.is_some_and(|n| (2..=MOST_SHELLS).contains(&n) && n != shells.len());
            BodyPart { mesh: name.clone(), shells: listed.then_some(shells) }
        };
        Ok(Step::Intake(IntakeStep::SetBodyParts { parts: mesh.iter().map(named).collect() }))
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![set_body_parts]
}
