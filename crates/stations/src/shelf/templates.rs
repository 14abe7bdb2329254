//! Bindings kept from good pieces, for the next one of their sort.

use crate::handover::export::document_glb;
use crate::intake::worn_on::WornOnOfRoom;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use tin_cloak_core::intake::Place;
use tin_cloak_core::query::Bvh;
use tin_cloak_core::regions::main_joints;
use tin_cloak_formats::{Document, MeshPart, PieceKind};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::{checked_name, PieceId};
use tin_cloak_store::{Asset, NewAsset, Store};

/// The role of a kept binding among the assets.
pub const TEMPLATE: &str = "template";

/// What tells whether a kept binding suits a piece.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
struct Likeness {
    place: Option<Place>,
    kind: PieceKind,
    /// Share of the piece that lies on what each joint of the body moves most, by name.
    covers: BTreeMap<String, f32>,
}

impl Likeness {
    fn new(room: &Room, index: usize) -> Self {
        let (body, piece) = (&room.dress.body, &room.dress.pieces[index]);
        let main = main_joints(&body.welded_skin);
        let tree = Bvh::build(&body.rest, &body.topology.triangles);
        let mut covers: BTreeMap<String, f32> = BTreeMap::new();
        // A few hundred vertices tell as much as all of them.
        let step = (piece.rest.len() / 400).max(1);
        let samples: Vec<_> = piece.rest.iter().step_by(step).collect();
        for p in &samples {
            let Some(hit) = tree.closest(**p, f32::INFINITY) else { continue };
            let joint = main[body.topology.triangles[hit.triangle as usize][0] as usize];
            let name = body.skeleton.names[joint.index()].clone();
            *covers.entry(name).or_default() += 1.0 / samples.len() as f32;
        }
        Self { place: Some(room.place_of(index)), kind: piece.kind, covers }
    }

    /// 0 to 1: the place, the kind, and how much of the body both cover.
    fn to(&self, other: &Self) -> f32 {
        let both = |(name, share): (&String, &f32)| other.covers.get(name).map_or(0.0, |o| share.min(*o));
        let overlap: f32 = self.covers.iter().map(both).sum();
        let same = |yes: bool, worth: f32| if yes { worth } else { 0.0 };
        same(self.place == other.place, 0.25) + same(self.kind == other.kind, 0.15) + 0.6 * overlap
    }
}

/// A kept binding as it suits a piece.
#[derive(Clone, Debug, PartialEq)]
pub struct Suiting {
    /// Of its asset.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// How alike both are, 0 to 1.
    pub likeness: f32,
}

/// Keeps the binding of a piece under a name.
///
/// # Errors
/// When the piece is not there or not bound, or the name is empty.
pub fn keep(store: &Store, room: &Room, piece: PieceId, name: &str) -> Result<Asset, WorkshopError> {
    let name = &*checked_name(name)?;
    let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
    let index = room.index_of(piece).ok_or(missing)?;
    let piece = &room.dress.pieces[index];
    let bound = piece.bound.as_ref().ok_or(WorkshopError::BindFirst)?;
    let mesh = tin_cloak_core::mesh::Mesh { positions: piece.split_positions(), ..(*piece.mesh).clone() };
    let part = MeshPart {
        name: name.to_owned(),
        mesh,
        skin: Some(bound.skin.scatter(&piece.topology.weld)),
        ..MeshPart::default()
    };
    let skeleton = Some(room.dress.body.skeleton.clone());
    let bytes = document_glb(&Document { meshes: vec![part], skeleton, ..Document::default() })?;
    let new = NewAsset {
        name: name.to_owned(),
        role: TEMPLATE.to_owned(),
        mesh: name.to_owned(),
        summary: serde_json::to_string(&Likeness::new(room, index))?,
    };
    let mut kept = store.add_assets(&format!("{name}.glb"), &bytes, &[new])?;
    kept.pop().ok_or(WorkshopError::Missing { what: "kept binding", id: 0 })
}

/// The kept bindings, those that suit a piece best first.
///
/// # Errors
/// When the store fails.
pub fn suiting(store: &Store, room: &Room, index: usize) -> Result<Vec<Suiting>, WorkshopError> {
    let kept: Vec<Asset> = store.assets()?.into_iter().filter(|a| a.role == TEMPLATE).collect();
    if kept.is_empty() {
        return Ok(Vec::new());
    }
    let own = Likeness::new(room, index);
    let suiting = |a: &Asset| {
        let of: Likeness = serde_json::from_str(&a.summary).unwrap_or_default();
        Suiting { id: a.id, name: a.name.clone(), likeness: own.to(&of) }
    };
    let mut all: Vec<Suiting> = kept.iter().map(suiting).collect();
    all.sort_by(|a, b| b.likeness.total_cmp(&a.likeness).then(a.id.cmp(&b.id)));
    Ok(all)
}
