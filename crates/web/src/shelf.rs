//! The Shelf: fittings, bodies and pieces.

use crate::answers::{page, sentence, Page, Refusal, Tell};
use crate::blocking_pool::{aside, Shop};
use crate::looked_over::kind_key;
use askama::Template;
use rocket::form::Form;
use rocket::http::{ContentType, Status};
use rocket::response::Redirect;
use rocket::{delete, get, post, routes, FromForm, FromFormField, Route};
use tin_cloak_workshop::{Asset, AssetFacts, AssetRole, Fitting, StiffSize, Summary, WorkshopError};

struct FittingCard {
    id: i64,
    name: String,
    body: String,
    layers: String,
    /// True when something is on.
    is_worn: bool,
    /// Bodies that could wear it, too.
    others: Vec<AssetCard>,
    deepest: Option<f32>,
    bad: bool,
    changed: String,
    cursor: i64,
    /// Why it cannot be read.
    broken: Option<String>,
}

pub(crate) struct AssetCard {
    pub id: i64,
    pub name: String,
    pub file: String,
    pub facts: String,
    /// Its role, and those it could have with their words.
    pub role: &'static str,
    pub roles: &'static [(&'static str, &'static str)],
    /// Why the role was guessed.
    pub why: String,
    /// Groups of its file that wait to be sorted.
    pub groups: usize,
    /// How it moves, as its file says, or cloth.
    pub kind: &'static str,
    /// Its layer, when its file says so.
    pub layer: Option<u16>,
}

#[derive(Template)]
#[template(path = "shelf.html")]
struct Shelf {
    fittings: Vec<FittingCard>,
    bodies: Vec<AssetCard>,
    pieces: Vec<AssetCard>,
    motions: Vec<AssetCard>,
    left_out: Vec<AssetCard>,
    /// Files whose groups wait to be sorted.
    to_sort: Vec<AssetCard>,
}

const BODY: (&str, &str) = ("body", "body");
const PIECE: (&str, &str) = ("piece", "piece");
const MOTION: (&str, &str) = ("motion", "motion");
const LEFT_OUT: (&str, &str) = ("left out", "leave out");

fn roles_of(facts: &AssetFacts) -> &'static [(&'static str, &'static str)] {
    match (facts.vertices, facts.joints) {
        (0, _) => &[MOTION, LEFT_OUT],
        (_, Some(_)) => &[BODY, PIECE, LEFT_OUT],
        (_, None) => &[PIECE, LEFT_OUT],
    }
}

pub(crate) fn asset_card(asset: &Asset) -> AssetCard {
    let facts = AssetFacts::new(asset);
    let count = |n: usize, one: &str, many: &str| match n {
        0 => None,
        1 => Some(format!("1 {one}")),
        n => Some(format!("{} {many}", thousands(n as u64))),
    };
    let words: Vec<String> = [
        count(facts.vertices, "vertex", "vertices"),
        count(facts.joints.unwrap_or(0), "joint", "joints"),
        count(facts.clips, "clip", "clips"),
        count(facts.materials, "material", "materials"),
    ]
    .into_iter()
    .flatten()
    .collect();
    let roles = roles_of(&facts);
    AssetCard {
        id: asset.id,
        name: asset.name.clone(),
        file: asset.file_name.clone(),
        facts: words.join(" · "),
        role: roles.iter().find(|r| r.0 == asset.role).map_or("", |r| r.0),
        roles,
        why: facts.why,
        groups: facts.groups_to_sort,
        kind: kind_key(facts.kind.unwrap_or_default()),
        layer: facts.layer,
    }
}

/// A number with thin spaces between thousands.
pub(crate) fn thousands(n: u64) -> String {
    let digits = n.to_string();
    let mut out = String::new();
    for (i, c) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push('\u{2009}');
        }
        out.push(c);
    }
    out
}

fn ago(seconds: i64) -> String {
    let now =
        std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs() as i64);
    match now - seconds {
        s if s < 60 => "just now".to_owned(),
        s if s < 3600 => format!("{} min ago", s / 60),
        s if s < 86_400 => format!("{} h ago", s / 3600),
        s => format!("{} days ago", s / 86_400),
    }
}

fn fitting_card(fitting: Fitting, summary: Result<Summary, WorkshopError>, assets: &[Asset]) -> FittingCard {
    let (summary, broken) = match summary {
        Ok(summary) => (summary, None),
        Err(why) => (Summary::default(), Some(sentence(&why.to_string()))),
    };
    let nothing = summary.pieces.is_empty();
    let others = other_bodies(assets, &summary.body);
    FittingCard {
        id: fitting.id,
        name: fitting.name,
        body: summary.body,
        layers: if nothing { "nothing on yet".to_owned() } else { summary.pieces.join(", ") },
        is_worn: !nothing,
        others,
        deepest: summary.deepest_mm,
        bad: summary.bad > 0,
        changed: ago(fitting.changed),
        cursor: fitting.cursor,
        broken,
    }
}

#[get("/")]
async fn shelf(shop: &Shop) -> Page {
    aside(shop, move |shop| {
        let assets = shop.assets()?;
        let card = |(fitting, summary)| fitting_card(fitting, summary, &assets);
        let fittings = shop.listed()?.into_iter().map(card).collect();
        let of = |role: &str| assets.iter().filter(|a| a.role == role).map(asset_card).collect();
        let to_sort = to_sort(&assets);
        let (bodies, pieces) = (of("body"), of("piece"));
        page(&Shelf { fittings, bodies, pieces, motions: of("motion"), left_out: of("left out"), to_sort })
    })
    .await
}

/// The bodies of the Shelf but one, by its name.
pub(crate) fn other_bodies(assets: &[Asset], but: &str) -> Vec<AssetCard> {
    assets.iter().filter(|a| a.role == "body" && a.mesh != but).map(asset_card).collect()
}

/// Files whose groups wait to be sorted.
pub(crate) fn to_sort(assets: &[Asset]) -> Vec<AssetCard> {
    assets.iter().map(asset_card).filter(|a| a.groups > 1).collect()
}

#[derive(Clone, Copy, FromFormField)]
enum AssetRoleField {
    Body,
    Piece,
    Motion,
    #[field(value = "left out")]
    LeftOut,
}

#[derive(FromForm)]
struct Sorted {
    role: AssetRoleField,
}

fn sorted_anew() -> Tell {
    Tell::brought_in()
}

#[post("/assets/<id>/role", data = "<form>")]
async fn sort(shop: &Shop, id: i64, form: Form<Sorted>) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        let role = match form.role {
            AssetRoleField::Body => AssetRole::Body,
            AssetRoleField::Piece => AssetRole::Piece,
            AssetRoleField::Motion => AssetRole::Motion,
            AssetRoleField::LeftOut => AssetRole::LeftOut,
        };
        shop.sort(id, role)?;
        Ok(sorted_anew())
    })
    .await
}

#[derive(FromForm)]
struct Groups {
    several: bool,
}

#[post("/assets/<id>/groups", data = "<form>")]
async fn sort_groups(shop: &Shop, id: i64, form: Form<Groups>) -> Result<Tell, Refusal> {
    aside(shop, move |shop| {
        shop.sort_groups(id, form.several)?;
        Ok(sorted_anew())
    })
    .await
}

#[derive(FromForm)]
struct NewFitting {
    name: String,
    body: i64,
}

#[post("/fittings", data = "<form>")]
async fn begin(shop: &Shop, form: Form<NewFitting>) -> Result<Redirect, Refusal> {
    aside(shop, move |shop| {
        let name = form.name.trim();
        if name.is_empty() || name.chars().count() > 80 {
            return Err(Refusal::new(
                Status::UnprocessableEntity,
                "Give the fitting a name of up to 80 letters.",
            ));
        }
        let id = shop.begin(name, form.body)?;
        Ok(Redirect::to(format!("/fitting/{id}")))
    })
    .await
}

#[derive(Clone, Copy, FromFormField)]
enum StiffField {
    #[field(value = "by_region")]
    ByRegion,
    #[field(value = "kept")]
    Kept,
}

#[derive(FromForm)]
struct OtherBody {
    body: i64,
    stiff: StiffField,
}

/// The outfit on another body: a fitting of its own, where the carrying is under way.
#[post("/fitting/<id>/wear", data = "<form>")]
async fn wear(shop: &Shop, id: i64, form: Form<OtherBody>) -> Result<Redirect, Refusal> {
    aside(shop, move |shop| {
        let stiff = match form.stiff {
            StiffField::ByRegion => StiffSize::ByRegion,
            StiffField::Kept => StiffSize::Kept,
        };
        let (new, _) = shop.wear_on(id, form.body, stiff)?;
        Ok(Redirect::to(format!("/fitting/{new}")))
    })
    .await
}

#[delete("/fitting/<id>")]
async fn discard(shop: &Shop, id: i64) -> Result<String, Refusal> {
    aside(shop, move |shop| {
        shop.delete(id)?;
        Ok(String::new())
    })
    .await
}

/// Takes back the step that cannot be read.
#[post("/fitting/<id>/take-back")]
async fn take_back(shop: &Shop, id: i64) -> Result<Redirect, Refusal> {
    aside(shop, move |shop| {
        shop.undo(id)?;
        Ok(Redirect::to(format!("/fitting/{id}")))
    })
    .await
}

/// All that is kept of a fitting, as text.
#[get("/fitting/<id>/kept.json")]
async fn kept_text(shop: &Shop, id: i64) -> Result<(ContentType, String), Refusal> {
    aside(shop, move |shop| Ok((ContentType::JSON, shop.kept_text(id)?))).await
}

/// The fitting as it stands, drawn small.
#[get("/fitting/<id>/picture.png")]
async fn picture_of(shop: &Shop, id: i64) -> Result<(ContentType, Vec<u8>), Refusal> {
    aside(shop, move |shop| Ok((ContentType::PNG, shop.picture(id, crate::look::colour)?))).await
}

pub(crate) fn routes() -> Vec<Route> {
    routes![shelf, begin, wear, discard, take_back, kept_text, picture_of, sort, sort_groups]
}
