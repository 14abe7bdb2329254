//! Handing over in other forms, within the limits of the other side, and the bare page.

use crate::answers::{page, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::steps::changed_by;
use askama::Template;
use rocket::form::Form;
use rocket::http::{ContentType, Header, Status};
use rocket::response::Responder;
use rocket::{get, post, routes, FromForm, Route};
use tin_cloak_workshop::core::intake::Up;
use tin_cloak_workshop::TablesOfRoom;
use tin_cloak_workshop::{
    bvh_of, glb_of, gltf_zip_of, obj_of, usda_of, usdz_of, weights_csv, weights_json, BindingStep, Chosen,
    Clean, Frame, Limits, OfHidden, OutfitRecipe, Parts, Room, Step, Unit, Workshop, WorkshopError,
};

/// A file under a name.
struct NameForm {
    name: String,
    kind: ContentType,
    bytes: Vec<u8>,
}

impl<'r> Responder<'r, 'static> for NameForm {
    fn respond_to(self, request: &'r rocket::Request<'_>) -> rocket::response::Result<'static> {
        let safe: String =
            self.name.chars().map(|c| if c.is_ascii_alphanumeric() || c == '.' { c } else { '-' }).collect();
        let mut response = (self.kind, self.bytes).respond_to(request)?;
        let disposition = format!("attachment; filename=\"{}\"", safe.trim_matches('-'));
        response.set_header(Header::new("Content-Disposition", disposition));
        Ok(response)
    }
}

async fn file(
    shop: &Shop,
    id: i64,
    make: impl FnOnce(&Workshop, &Room) -> Result<NameForm, Refusal> + Send + 'static,
) -> Result<NameForm, Refusal> {
    aside(shop, move |shop| make(shop, &*shop.room(id, None)?)).await
}

/// Unit and upward axis of a form that leaves them open.
#[derive(FromForm)]
struct FrameForm {
    unit: Option<String>,
    up: Option<String>,
}

impl FrameForm {
    /// The frame; in `usual` units when none are named.
    fn frame(&self, usual: Unit) -> Result<Frame, Refusal> {
        let (unit, up) = (unit_of(self.unit.as_deref())?, up_of(self.up.as_deref())?);
        Ok(Frame { unit: unit.unwrap_or(usual), up: up.unwrap_or_default() })
    }

    /// Everything, in that frame.
    fn parts(&self) -> Result<Parts, Refusal> {
        Ok(Parts { frame: self.frame(Unit::Metre)?, ..Parts::default() })
    }
}

/// What a field of a form names; nothing where it is empty.
fn unit_of(sign: Option<&str>) -> Result<Option<Unit>, Refusal> {
    let unknown = || Refusal::new(Status::UnprocessableEntity, "Units are m, cm, mm, in or ft: choose one.");
    sign.filter(|s| !s.is_empty()).map(|s| Unit::of_sign(s).ok_or_else(unknown)).transpose()
}

fn up_of(axis: Option<&str>) -> Result<Option<Up>, Refusal> {
    match axis.unwrap_or_default() {
        "" => Ok(None),
        "Y" => Ok(Some(Up::Y)),
        "Z" => Ok(Some(Up::Z)),
        _ => Err(Refusal::new(Status::UnprocessableEntity, "The upward axis is Y or Z: choose one.")),
    }
}

#[get("/fitting/<id>/outfit.usda?<frame..>")]
async fn usda(shop: &Shop, id: i64, frame: FrameForm) -> Result<NameForm, Refusal> {
    file(shop, id, move |shop, room| {
        let text = usda_of(&room.dress, &frame.parts()?)?;
        let name = format!("{}.usda", shop.stored(id)?.name);
        Ok(NameForm { name, kind: ContentType::new("model", "vnd.usda"), bytes: text.into_bytes() })
    })
    .await
}

/// USD with its pictures, in one package.
#[get("/fitting/<id>/outfit.usdz?<frame..>")]
async fn usdz(shop: &Shop, id: i64, frame: FrameForm) -> Result<NameForm, Refusal> {
    file(shop, id, move |shop, room| {
        let bytes = usdz_of(&room.dress, &frame.parts()?)?;
        let kind = ContentType::new("model", "vnd.usdz+zip");
        Ok(NameForm { name: format!("{}.usdz", shop.stored(id)?.name), kind, bytes })
    })
    .await
}

/// glTF with its buffer and its pictures beside it, in one archive.
#[get("/fitting/<id>/outfit.zip")]
async fn gltf(shop: &Shop, id: i64) -> Result<NameForm, Refusal> {
    file(shop, id, move |shop, room| {
        let bytes = gltf_zip_of(&room.dress, &Parts::default())?;
        Ok(NameForm { name: format!("{}.zip", shop.stored(id)?.name), kind: ContentType::ZIP, bytes })
    })
    .await
}

/// What is left out, as a table.
#[get("/fitting/<id>/masks.csv")]
async fn masks(shop: &Shop, id: i64) -> Result<NameForm, Refusal> {
    file(shop, id, move |_, room| {
        let bytes = room.masks_csv().into_bytes();
        Ok(NameForm { name: "masks.csv".to_owned(), kind: ContentType::CSV, bytes })
    })
    .await
}

/// What is kept under a name, as a table.
#[get("/fitting/<id>/patches.csv")]
async fn patches(shop: &Shop, id: i64) -> Result<NameForm, Refusal> {
    file(shop, id, move |_, room| {
        let bytes = room.patches_csv()?.into_bytes();
        Ok(NameForm { name: "patches.csv".to_owned(), kind: ContentType::CSV, bytes })
    })
    .await
}

/// What the OBJ asks for as its library.
const LIBRARY: &str = "outfit.mtl";

#[get("/fitting/<id>/outfit.obj?<pose>&<frame..>")]
async fn obj(shop: &Shop, id: i64, pose: Option<String>, frame: FrameForm) -> Result<NameForm, Refusal> {
    file(shop, id, move |_, room| {
        let (obj, _) = obj_of(&room.dress, &frame.parts()?, &room.trials, pose.as_deref(), LIBRARY)?;
        Ok(NameForm {
            name: "outfit.obj".to_owned(),
            kind: ContentType::new("model", "obj"),
            bytes: obj.into_bytes(),
        })
    })
    .await
}

#[get("/fitting/<id>/outfit.mtl")]
async fn mtl(shop: &Shop, id: i64) -> Result<NameForm, Refusal> {
    file(shop, id, move |_, room| {
        let (_, mtl) = obj_of(&room.dress, &Parts::default(), &room.trials, None, LIBRARY)?;
        Ok(NameForm {
            name: LIBRARY.to_owned(),
            kind: ContentType::new("model", "mtl"),
            bytes: mtl.into_bytes(),
        })
    })
    .await
}

#[get("/fitting/<id>/motion.bvh?<name>&<frame..>")]
async fn motion(shop: &Shop, id: i64, name: String, frame: FrameForm) -> Result<NameForm, Refusal> {
    file(shop, id, move |_, room| {
        let text = bvh_of(&room.dress, &room.trials, &name, frame.frame(Unit::Centimetre)?)?;
        Ok(NameForm { name: format!("{name}.bvh"), kind: ContentType::Plain, bytes: text.into_bytes() })
    })
    .await
}

/// One piece, skinned to the skeleton, without the body; or its weights as a table.
#[get("/fitting/<id>/piece/<file_name>")]
async fn piece(shop: &Shop, id: i64, file_name: String) -> Result<NameForm, Refusal> {
    file(shop, id, move |_, room| {
        let missing = || Refusal::new(Status::NotFound, "There is no such piece here: reload the page.");
        let (number, ending) = file_name.split_once('.').ok_or_else(missing)?;
        let index = || number.parse().ok().and_then(|id| room.index_of(id)).ok_or_else(missing);
        let name = match number {
            "0" if ending != "glb" => room.dress.body.name.clone(),
            _ => room.dress.pieces[index()?].name.clone(),
        };
        let parts = Parts { pieces: vec![name.clone()], without_body: true, ..Parts::default() };
        let (kind, bytes) = match ending {
            "glb" => (ContentType::new("model", "gltf-binary"), glb_of(&room.dress, &parts)?),
            "csv" => (ContentType::CSV, weights_csv(&room.dress, &name)?.into_bytes()),
            "json" => (ContentType::JSON, weights_json(&room.dress, &name)?.into_bytes()),
            _ => return Err(missing()),
        };
        Ok(NameForm { name: format!("{name}.{ending}"), kind, bytes })
    })
    .await
}

/// What goes out; all of what is not named.
#[derive(FromForm)]
struct ChosenForm {
    piece: Vec<u32>,
    clip: Vec<String>,
    without_body: bool,
    /// What the body is drawn in goes out as a change of it, not as a shape.
    tucks_in: bool,
    /// What nobody sees is there, marked.
    hidden_marked: bool,
}

/// Chosen pieces and motions as one GLB.
#[get("/fitting/<id>/chosen.glb?<form..>")]
async fn chosen(shop: &Shop, id: i64, form: ChosenForm) -> Result<NameForm, Refusal> {
    file(shop, id, move |shop, room| {
        let missing = || Refusal::new(Status::NotFound, "There is no such piece here: reload the page.");
        let name =
            |piece: &u32| Ok(room.dress.pieces[room.index_of(*piece).ok_or_else(missing)?].name.clone());
        let pieces = form.piece.iter().map(name).collect::<Result<Vec<String>, Refusal>>()?;
        let ChosenForm { clip, without_body, tucks_in, hidden_marked, .. } = form;
        let hidden = if hidden_marked { OfHidden::Marked } else { OfHidden::LeftOut };
        let parts = Parts { pieces, without_body, clips: clip, tucks_in, hidden, ..Parts::default() };
        let bytes = glb_of(&room.dress, &parts)?;
        let name = format!("{}, chosen.glb", shop.stored(id)?.name);
        Ok(NameForm { name, kind: ContentType::new("model", "gltf-binary"), bytes })
    })
    .await
}

#[derive(FromForm)]
struct LimitsForm {
    joints_a_vertex: Option<usize>,
    joints_a_mesh: Option<usize>,
    vertices_a_mesh: Option<usize>,
    shapes_a_mesh: Option<usize>,
    picture_pixels: Option<usize>,
    no_joint_scale: bool,
    unit: Option<String>,
    up: Option<String>,
    /// Under which they are kept.
    name: Option<String>,
}

impl LimitsForm {
    fn limits(&self) -> Result<Limits, Refusal> {
        Ok(Limits {
            name: self.name.clone().unwrap_or_default().trim().to_owned(),
            joints_a_vertex: self.joints_a_vertex,
            joints_a_mesh: self.joints_a_mesh,
            vertices_a_mesh: self.vertices_a_mesh,
            shapes_a_mesh: self.shapes_a_mesh,
            picture_pixels: self.picture_pixels,
            no_joint_scale: self.no_joint_scale,
            unit: unit_of(self.unit.as_deref())?,
            up: up_of(self.up.as_deref())?,
        })
    }
}

/// A set of limits as it is filled in; what is empty is not limited.
pub(crate) struct LimitFields {
    pub name: String,
    pub joints_a_vertex: String,
    pub joints_a_mesh: String,
    pub vertices_a_mesh: String,
    pub shapes_a_mesh: String,
    pub picture_pixels: String,
    pub no_joint_scale: bool,
    /// Its sign, or nothing.
    pub unit: &'static str,
    /// `Y`, `Z` or nothing.
    pub up: &'static str,
    /// Signs and names of those that there are.
    pub units: Vec<(&'static str, String)>,
    /// The names of those that were kept.
    pub sets: Vec<String>,
}

impl LimitFields {
    /// Those kept under a name; else what most take.
    pub fn new(shop: &Workshop, name: Option<&str>) -> Result<Self, Refusal> {
        let sets = shop.limit_sets()?;
        let limits =
            sets.iter().find(|s| Some(s.name.as_str()) == name).cloned().unwrap_or_else(Limits::usual);
        let text = |limit: Option<usize>| limit.map_or(String::new(), |l| l.to_string());
        Ok(Self {
            name: limits.name,
            joints_a_vertex: text(limits.joints_a_vertex),
            joints_a_mesh: text(limits.joints_a_mesh),
            vertices_a_mesh: text(limits.vertices_a_mesh),
            shapes_a_mesh: text(limits.shapes_a_mesh),
            picture_pixels: text(limits.picture_pixels),
            no_joint_scale: limits.no_joint_scale,
            unit: limits.unit.map_or("", Unit::sign),
            up: limits.up.map_or("", axis),
            units: Unit::ALL.iter().map(|u| (u.sign(), u.to_string())).collect(),
            sets: sets.into_iter().map(|s| s.name).collect(),
        })
    }
}

fn axis(up: Up) -> &'static str {
    match up {
        Up::Y => "Y",
        Up::Z => "Z",
    }
}

/// The form by itself.
struct FormOf {
    id: i64,
    limits: LimitFields,
}

#[derive(Template)]
#[template(path = "limits_form.html")]
struct LimitsFormShown {
    s: FormOf,
}

fn form_of(shop: &Workshop, id: i64, name: Option<&str>) -> Page {
    page(&LimitsFormShown { s: FormOf { id, limits: LimitFields::new(shop, name)? } })
}

#[get("/fitting/<id>/limits-form?<set>")]
async fn limits_form(shop: &Shop, id: i64, set: String) -> Page {
    aside(shop, move |shop| form_of(shop, id, Some(&set))).await
}

#[post("/fitting/<id>/limits-keep", data = "<form>")]
async fn keep_limits(shop: &Shop, id: i64, form: Form<LimitsForm>) -> Page {
    aside(shop, move |shop| {
        let limits = form.limits()?;
        shop.keep_limits(&limits)?;
        form_of(shop, id, Some(&limits.name))
    })
    .await
}

#[post("/fitting/<id>/limits-forget", data = "<form>")]
async fn forget_limits(shop: &Shop, id: i64, form: Form<LimitsForm>) -> Page {
    aside(shop, move |shop| {
        shop.forget_limits(&form.limits()?.name)?;
        form_of(shop, id, None)
    })
    .await
}

/// What of a mesh is beyond a limit, and the piece that can be limited.
struct BeyondRow {
    of: String,
    words: String,
    cost: Option<String>,
    cure: Option<u32>,
    /// Unit and axis that other forms can go out in.
    frame: Option<(&'static str, &'static str)>,
}

#[derive(Template)]
#[template(path = "limits.html")]
struct LimitsShown {
    id: i64,
    most: usize,
    beyond: Vec<BeyondRow>,
}

#[get("/fitting/<id>/limits?<form..>")]
async fn limits(shop: &Shop, id: i64, form: LimitsForm) -> Page {
    aside(shop, move |shop| {
        let room = shop.room(id, None)?;
        let limits = form.limits()?;
        if limits.joints_a_vertex == Some(0) {
            let words = "Every vertex is moved by one joint at least: allow 1 or more.";
            return Err(Refusal::new(Status::UnprocessableEntity, words));
        }
        let row = |b: tin_cloak_workshop::Beyond| {
            let cure = match b.cure {
                Some(Step::Binding(BindingStep::Clean { piece, .. })) => Some(piece),
                _ => None,
            };
            let frame = b.frame.map(|f| (f.unit.sign(), axis(f.up)));
            BeyondRow { of: b.of, words: b.words, cost: b.cost, cure, frame }
        };
        let beyond = limits.broken_by(&room.dress, &room.trials, Frame::default())?;
        let beyond = beyond.into_iter().map(row).collect();
        page(&LimitsShown { id, most: limits.joints_a_vertex.unwrap_or(1), beyond })
    })
    .await
}

/// Limits the joints of each vertex of a piece.
#[post("/fitting/<id>/limit/<piece>?<most>")]
async fn limit(shop: &Shop, id: i64, piece: u32, most: usize) -> Result<Tell, Refusal> {
    let clean = Clean::Limit { most };
    changed_by(
        shop,
        id,
        Step::Binding(BindingStep::Clean { piece, clean, chosen: Chosen::Everything, locked: Vec::new() }),
    )
    .await
}

#[derive(Template)]
#[template(path = "bare.html")]
struct Bare {
    id: i64,
    name: String,
}

#[get("/fitting/<id>/bare")]
async fn bare(shop: &Shop, id: i64) -> Page {
    aside(shop, move |shop| page(&Bare { id, name: shop.stored(id)?.name })).await
}

/// How the outfit is filed, bound and tried, without its meshes.
#[get("/fitting/<id>/recipe.json")]
async fn recipe(shop: &Shop, id: i64) -> Result<NameForm, Refusal> {
    file(shop, id, move |shop, room| {
        let recipe = OutfitRecipe::of_state(&room.state, &room.dress.body.name);
        let mut bytes = serde_json::to_vec_pretty(&recipe).map_err(WorkshopError::from)?;
        bytes.push(b'\n');
        let name = format!("{} recipe.json", shop.stored(id)?.name);
        Ok(NameForm { name, kind: ContentType::JSON, bytes })
    })
    .await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![
        recipe,
        usda,
        usdz,
        gltf,
        obj,
        mtl,
        motion,
        masks,
        patches,
        piece,
        chosen,
        limits,
        limits_form,
        keep_limits,
        forget_limits,
        limit,
        bare
    ]
}
