//! What a file that came in holds: bodies, pieces, motions, and what is better left out.

use crate::dress::members::Beside;
use crate::error::WorkshopError;
use serde::{Deserialize, Serialize};
use tin_cloak_formats::{Document, MeshPart, PieceKind};
use tin_cloak_store::{Asset, NewAsset};

/// What a mesh or motion is used as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub enum AssetRole {
    Body,
    Piece,
    Motion,
    /// Kept, but not offered.
    LeftOut,
}

impl AssetRole {
    /// As the store has it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Body => "body",
            Self::Piece => "piece",
            Self::Motion => "motion",
            Self::LeftOut => "left out",
        }
    }
}

/// What is known about an asset.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct AssetFacts {
    /// Vertices as the file has them.
    pub vertices: usize,
    /// Triangles.
    pub triangles: usize,
    /// Faces of four sides.
    pub quads: usize,
    /// Joints, when it has a skin (or is a motion).
    pub joints: Option<usize>,
    /// Clips that come with it.
    pub clips: usize,
    /// Materials it has.
    pub materials: usize,
    /// How it moves, when its file says so.
    pub kind: Option<PieceKind>,
    /// Its layer, when its file says so.
    pub layer: Option<u16>,
    /// Why its role was guessed; empty once a person has said.
    pub why: String,
    /// Groups its file has, when nobody has said yet whether they are one piece or several.
    pub groups_to_sort: usize,
    /// The asset of which it is a group.
    pub group_of: Option<String>,
}

impl AssetFacts {
    /// Those of a stored asset.
    pub fn new(asset: &Asset) -> Self {
        serde_json::from_str(&asset.summary).unwrap_or_default()
    }
}

/// The assets of a file, with a guess for each. `stem` names a motion.
pub fn found_in(stem: &str, document: &Document) -> Result<Vec<NewAsset>, WorkshopError> {
    if document.meshes.is_empty() {
        let facts = AssetFacts {
            joints: document.skeleton.as_ref().map(|s| s.len()),
            clips: document.clips.len(),
            ..AssetFacts::default()
        };
        return Ok(vec![new_asset(stem, AssetRole::Motion, &facts)?]);
    }
    let body = guess_body(document);
    let all = &document.meshes;
    let skinned =
        |i: &usize| body.is_some_and(|b| b != *i) && all[*i].skin.is_some() && all[*i].mark.is_none();
    let apart: Vec<usize> = (0..all.len()).filter(skinned).collect();
    let parts: Vec<&MeshPart> = apart.iter().map(|i| &all[*i]).collect();
    let beside = body.map_or_else(Vec::new, |b| Beside::all(&[&all[b]], &parts));
    let closes = |i: usize| apart.iter().position(|a| *a == i).is_some_and(|at| beside[at].closes);
    let mut found = Vec::new();
    for (i, part) in document.meshes.iter().enumerate() {
        let (role, why) = match closes(i) {
            true => (AssetRole::LeftOut, "it closes the body’s open edge: joined to it at Intake"),
            false => guess(part, body == Some(i), document.meshes.len()),
        };
        let mut facts = facts_of(document, part);
        facts.why = why.to_owned();
        facts.clips = if role == AssetRole::Body { document.clips.len() } else { 0 };
        facts.groups_to_sort = document.groups.len();
        found.push(new_asset(&part.name, role, &facts)?);
    }
    for group in &document.groups {
        let whole = document.meshes.first().map(|m| m.name.clone());
        let facts = AssetFacts { group_of: whole, ..facts_of(document, group) };
        found.push(new_asset(&group.name, AssetRole::LeftOut, &facts)?);
    }
    Ok(found)
}

fn new_asset(name: &str, role: AssetRole, facts: &AssetFacts) -> Result<NewAsset, WorkshopError> {
    let (name, mesh) = (name.to_owned(), name.to_owned());
    Ok(NewAsset { name, role: role.word().to_owned(), mesh, summary: serde_json::to_string(facts)? })
}

fn facts_of(document: &Document, part: &MeshPart) -> AssetFacts {
    let mut materials: Vec<u32> = part.look.runs.iter().filter_map(|r| r.material).collect();
    materials.sort_unstable();
    materials.dedup();
    AssetFacts {
        vertices: part.mesh.positions.len(),
        triangles: part.mesh.triangles.len(),
        quads: part.mesh.quads(),
        joints: document.skeleton.as_ref().filter(|_| part.skin.is_some()).map(|s| s.len()),
        materials: materials.len(),
        kind: part.mark.as_ref().and_then(|m| m.kind),
        layer: part.mark.as_ref().and_then(|m| m.layer),
        ..AssetFacts::default()
    }
}

fn is_marked(part: &MeshPart, role: &str) -> bool {
    part.mark.as_ref().is_some_and(|k| k.role == role)
}

/// The marked body; else of the skinned meshes the one that most joints move, by vertices when
/// several are alike.
fn guess_body(document: &Document) -> Option<usize> {
    let meshes = &document.meshes;
    if let Some(marked) = meshes.iter().position(|m| is_marked(m, "body")) {
        return Some(marked);
    }
    let joints = |part: &MeshPart| {
        let skin = part.skin.as_ref()?;
        let mut moved: Vec<u16> = (0..skin.vertices()).flat_map(|v| skin.row(v)).map(|(j, _)| j.0).collect();
        moved.sort_unstable();
        moved.dedup();
        Some((moved.len(), part.mesh.positions.len()))
    };
    let skinned = meshes.iter().enumerate().filter(|(_, m)| !is_marked(m, "piece"));
    skinned
        .filter_map(|(i, m)| Some((joints(m)?, i)))
        .max_by_key(|(k, i)| (*k, usize::MAX - i))
        .map(|(_, i)| i)
}

fn guess(part: &MeshPart, is_body: bool, meshes: usize) -> (AssetRole, &'static str) {
    const HELPERS: [&str; 9] =
        ["ctrl", "control", "widget", "helper", "ground", "floor", "backdrop", "camera", "light"];
    let name = part.name.to_ascii_lowercase();
    if is_marked(part, "body") && !is_body {
        return (AssetRole::LeftOut, "a part of the body");
    }
    if part.mark.is_some() {
        return (if is_body { AssetRole::Body } else { AssetRole::Piece }, "");
    }
    if is_body {
        return (AssetRole::Body, if meshes == 1 { "" } else { "most joints move it" });
    }
    if meshes > 1 && part.mesh.triangles.len() <= 2 {
        return (AssetRole::LeftOut, "a single flat face");
    }
    if meshes > 1 && HELPERS.iter().any(|h| name.contains(h)) {
        return (AssetRole::LeftOut, "its name says it helps at the work");
    }
    (AssetRole::Piece, if meshes == 1 { "" } else { "the other meshes are taken as worn" })
}
