//! What the viewport asks for: meshes, posed positions with maps, what lies under the pointer.

use crate::answers::Refusal;
use crate::binary::Binary;
use crate::blocking_pool::{look_aside, Shop};
use crate::looked_over::seat_words;
use crate::mending_rows::corrective_names;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{get, post, routes, Route};
use serde::{Deserialize, Serialize};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::mirror_partner;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::BrushViewOfRoom;
use tin_cloak_workshop::EasingOfRoom;
use tin_cloak_workshop::ExtentsOfRoom;
use tin_cloak_workshop::ProbeOfRoom;
use tin_cloak_workshop::RegionsOfRoom;
use tin_cloak_workshop::SkinnedOfRoom;
use tin_cloak_workshop::WornShapeOfRoom;
use tin_cloak_workshop::{
    pack_maps, pack_mesh, pack_poses, pack_skin, pack_view, AddedRows, Body, BodyPart, BrushStroke, Chosen,
    Cut, EaseOptions, Extent, FileRef, MoveOptions, MovedOnPiece, PieceKind, Probe, Room, StrokePose,
    ViewPart, ViewRequest, WorkshopError,
};

/// sRGB colour of a part: 0 the body, then the pieces from the inside out.
pub fn colour(room: &Room, part: usize) -> [u8; 3] {
    const CLOTH: [[u8; 3]; 4] = [[201, 180, 140], [120, 103, 92], [158, 140, 118], [108, 122, 122]];
    match part.checked_sub(1) {
        None => [236, 213, 188],
        Some(p) if room.dress.pieces[p].kind == PieceKind::Stiff => [176, 184, 188],
        Some(p) => CLOTH[p % CLOTH.len()],
    }
}

#[derive(Serialize)]
struct PartFacts {
    id: u32,
    name: String,
    colour: [u8; 3],
    /// Changes with the mesh, so that it can be kept by the browser.
    key: String,
    /// Changes with the rest shape and the weights.
    skin: String,
    bound: bool,
    /// True for a cage: it is drawn so that one sees through it.
    cage: bool,
    /// Middle of its box at rest, and half its diagonal, metres.
    middle: [f32; 3],
    reach: f32,
}

#[derive(Serialize)]
struct JointFactsRow {
    name: String,
    /// Colour of the region it moves most, when there is one.
    colour: Option<u8>,
    /// The same joint of the other side, itself in the middle.
    partner: usize,
    /// What it hangs from.
    parent: Option<usize>,
}

#[derive(Serialize)]
struct SceneFacts {
    parts: Vec<PartFacts>,
    joints: Vec<JointFactsRow>,
    poses: Vec<String>,
    /// Group and second of each.
    when: Vec<(String, f32)>,
    /// Shapes of the body that nothing calls up by itself: number and name.
    shapes: Vec<(usize, String)>,
    /// Names of the shapes of pieces that hand work can change.
    own_shapes: Vec<String>,
    tolerance_mm: f32,
    low: [f32; 3],
    high: [f32; 3],
}

#[get("/fitting/<id>/scene?<step>")]
async fn scene(shop: &Shop, id: i64, step: Option<i64>) -> Result<Json<SceneFacts>, Refusal> {
    look_aside(shop, move |shop| {
        let room = shop.room(id, step)?;
        let body = &room.dress.body;
        let part = |(i, extent): (usize, Extent)| {
            let piece = i.checked_sub(1).map(|p| (&room.dress.pieces[p], room.piece_state(p)));
            PartFacts {
                id: piece.map_or(0, |p| p.1.id),
                name: piece.map_or(&body.name, |p| &p.0.name).clone(),
                colour: colour(&room, i),
                key: match piece {
                    Some((_, state)) => key(&state.source, &state.cut),
                    None => format!(
                        "{}{}",
                        key(&room.state.body, &Cut::default()),
                        parts_key(&room.state.body_parts)
                    ),
                },
                skin: room.skin_key(i.checked_sub(1)),
                bound: piece.is_none_or(|p| p.0.bound.is_some()),
                cage: piece.is_some_and(|p| p.0.cage),
                middle: extent.middle.to_array(),
                reach: extent.reach,
            }
        };
        let parts = room.extents().into_iter().enumerate().map(part).collect();
        let regions: Vec<(u8, bool)> = room.regions().iter().copied().collect();
        let joint = |(j, (n, r)): (usize, (&String, (u8, bool)))| {
            let partner = mirror_partner(&body.skeleton, JointId(j as u16)).map_or(j, JointId::index);
            let parent = body.skeleton.parents[j].map(JointId::index);
            JointFactsRow { name: n.clone(), colour: r.1.then_some(r.0), partner, parent }
        };
        let joints = body.skeleton.names.iter().zip(regions).enumerate().map(joint).collect();
        let (low, high) = room.bounds();
        Ok(Json(SceneFacts {
            parts,
            joints,
            poses: room.trials.trials.iter().map(tin_cloak_workshop::Trial::label).collect(),
            when: room.trials.trials.iter().map(|t| (t.group.clone(), t.time)).collect(),
            shapes: free_shapes(body),
            own_shapes: worked_on(&room),
            tolerance_mm: room.state.tolerance_mm,
            low: low.to_array(),
            high: high.to_array(),
        }))
    })
    .await
}

/// What pieces follow of the body's, and their correctives.
fn worked_on(room: &Room) -> Vec<String> {
    let follows = room.dress.pieces.iter().any(|p| p.carried.is_some());
    let followed = room.dress.body.own_shapes().iter().filter(|_| follows).map(|m| m.name.clone());
    followed.chain(corrective_names(room)).collect()
}

fn key(file: &FileRef, cut: &Cut) -> String {
    let mesh: String = file.mesh.bytes().map(|b| format!("{b:02x}")).collect();
    let left_out = cut.left_out.as_ref().map_or("", |id| &id.as_str()[..16]);
    let side = if cut.mirrored { "m" } else { "" };
    let at = |r: &AddedRows| r.at_percent.map_or(String::new(), |at| format!("at{at}"));
    let rows = cut.rows.iter().map(|r| format!("-{}x{}{}", &r.crossed.as_str()[..16], r.rows, at(r)));
    format!("{}-{mesh}-{left_out}{side}{}", &file.file.as_str()[..16], rows.collect::<String>())
}

fn free_shapes(body: &Body) -> Vec<(usize, String)> {
    let free = body.own_shapes().iter().enumerate().filter(|(_, m)| m.driver.is_none());
    free.map(|(number, m)| (number, m.name.clone())).collect()
}

/// Tells bodies of one file apart that are made of different meshes.
fn parts_key(parts: &[BodyPart]) -> String {
    let text = |p: &BodyPart| format!("-{}{:?}", p.mesh, p.shells.as_deref().unwrap_or_default());
    let all: String = parts.iter().map(text).collect();
    all.bytes().map(|b| format!("{b:02x}")).collect()
}

/// The faces of a part; `key` names the mesh, so that the answer may be kept.
#[get("/fitting/<id>/mesh/<part>?<key>&<step>")]
async fn mesh(shop: &Shop, id: i64, part: u32, key: String, step: Option<i64>) -> Result<Binary, Refusal> {
    look_aside(shop, move |shop| {
        let _ = key;
        let room = shop.room(id, step)?;
        let missing = || Refusal::new(Status::NotFound, "There is no such piece here: reload the page.");
        let bytes = match part {
            0 => pack_mesh(&room.dress.body.mesh),
            p => pack_mesh(&room.dress.pieces[room.index_of(p).ok_or_else(missing)?].mesh),
        };
        Ok(Binary { bytes, keep: true, says: None })
    })
    .await
}

/// A part at rest with its weights; `key` names what it is, so that the answer may be kept.
#[get("/fitting/<id>/skin/<part>?<key>&<step>")]
async fn skin(shop: &Shop, id: i64, part: u32, key: String, step: Option<i64>) -> Result<Binary, Refusal> {
    look_aside(shop, move |shop| {
        let room = shop.room(id, step)?;
        let bytes = pack_skin(&room.skinned_part(part)?);
        // A step may have come between: only what the key names is kept under it.
        let keep = room.skin_key(room.index_of(part)) == key;
        Ok(Binary { bytes, keep, says: None })
    })
    .await
}

/// Where the joints are in a pose.
#[post("/fitting/<id>/pose?<step>", data = "<request>")]
async fn pose(
    shop: &Shop,
    id: i64,
    step: Option<i64>,
    request: Json<ViewRequest>,
) -> Result<Binary, Refusal> {
    look_aside(shop, move |shop| {
        if step.is_none() {
            shop.look_at(id, request.pose);
        }
        let pose = shop.room(id, step)?.pose_with(request.pose, &request.turns, &request.shapes)?;
        Ok(Binary { bytes: pack_poses(&vec![(0.0, pose)]), keep: false, says: None })
    })
    .await
}

/// The map of each part in a pose.
#[post("/fitting/<id>/maps?<step>", data = "<request>")]
async fn maps(
    shop: &Shop,
    id: i64,
    step: Option<i64>,
    request: Json<ViewRequest>,
) -> Result<Binary, Refusal> {
    look_aside(shop, move |shop| {
        let bytes = pack_maps(&shop.maps(id, step, &request)?);
        Ok(Binary { bytes, keep: false, says: None })
    })
    .await
}

/// A group of poses as a motion to be played.
#[get("/fitting/<id>/played?<group>")]
async fn played(shop: &Shop, id: i64, group: String) -> Result<Binary, Refusal> {
    look_aside(shop, move |shop| {
        Ok(Binary { bytes: pack_poses(&shop.played(id, &group)?), keep: false, says: None })
    })
    .await
}

#[derive(Deserialize)]
struct ProbeRequest {
    #[serde(flatten)]
    view: ViewRequest,
    origin: [f32; 3],
    direction: [f32; 3],
    #[serde(default)]
    hidden: Vec<u32>,
}

#[post("/fitting/<id>/probe", data = "<request>")]
async fn probe(shop: &Shop, id: i64, request: Json<ProbeRequest>) -> Result<Json<Option<Probe>>, Refusal> {
    look_aside(shop, move |shop| {
        let (origin, direction) = (Vec3::from(request.origin), Vec3::from(request.direction));
        if !origin.is_finite() || !direction.is_finite() {
            return Err(Refusal::new(Status::UnprocessableEntity, "The ray is not made of numbers."));
        }
        Ok(Json(shop.room(id, None)?.probe(&request.view, origin, direction, &request.hidden)?))
    })
    .await
}

/// A piece as a stroke or an easing would leave it, with its gaps; the figures about it go in a
/// header.
pub(crate) async fn preview<T: Serialize + Send + 'static>(
    shop: &Shop,
    id: i64,
    work: impl FnOnce(&Room) -> Result<(ViewPart, T), WorkshopError> + Send + 'static,
) -> Result<Binary, Refusal> {
    look_aside(shop, move |shop| {
        let (part, figures) = work(&*shop.room(id, None)?)?;
        let says = serde_json::to_string(&figures).map_err(WorkshopError::from)?;
        Ok(Binary { bytes: pack_view(&[part]), keep: false, says: Some(says) })
    })
    .await
}

#[post("/fitting/<id>/brush-view/<piece>", data = "<stroke>")]
async fn brush_view(shop: &Shop, id: i64, piece: u32, stroke: Json<BrushStroke>) -> Result<Binary, Refusal> {
    let work = move |room: &Room| {
        let look = room.brush_view(piece, &stroke)?;
        Ok((look.part, serde_json::json!({ "before": look.before, "after": look.after })))
    };
    preview(shop, id, work).await
}

/// How what is chosen is to be moved, and where.
#[derive(Deserialize)]
struct MoveRequest {
    chosen: Chosen,
    options: MoveOptions,
    #[serde(default)]
    in_pose: Option<StrokePose>,
    #[serde(default)]
    into_shape: Option<String>,
}

#[post("/fitting/<id>/move-view/<piece>", data = "<asked>")]
async fn move_view(shop: &Shop, id: i64, piece: u32, asked: Json<MoveRequest>) -> Result<Binary, Refusal> {
    let work = move |room: &Room| {
        let MoveRequest { chosen, options, in_pose, into_shape } = &*asked;
        let (in_pose, into) = (in_pose.as_ref(), into_shape.as_deref());
        let look = room.move_view(piece, &MovedOnPiece { chosen, options: *options, in_pose, into })?;
        Ok((look.part, serde_json::json!({ "before": look.before, "after": look.after })))
    };
    preview(shop, id, work).await
}

/// What is to be eased, and how far.
#[derive(Deserialize)]
struct EaseRequest {
    chosen: Chosen,
    #[serde(flatten)]
    options: EaseOptions,
}

#[post("/fitting/<id>/ease-view/<piece>", data = "<ease>")]
async fn ease_view(shop: &Shop, id: i64, piece: u32, ease: Json<EaseRequest>) -> Result<Binary, Refusal> {
    preview(shop, id, move |room: &Room| room.ease_view(piece, &ease.chosen, ease.options)).await
}

/// One of a piece's own shapes, and how much of it is worn: 0 for none, 1 for all.
#[derive(Deserialize)]
struct WornShape {
    shape: usize,
    amount: f32,
}

#[post("/fitting/<id>/shape-view/<piece>", data = "<worn>")]
async fn shape_view(shop: &Shop, id: i64, piece: u32, worn: Json<WornShape>) -> Result<Binary, Refusal> {
    let work = move |room: &Room| {
        let (part, report) = room.shape_view(piece, worn.shape, worn.amount)?;
        Ok((part, seat_words(&report)))
    };
    preview(shop, id, work).await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![scene, mesh, skin, pose, maps, played, probe, brush_view, move_view, ease_view, shape_view]
}
