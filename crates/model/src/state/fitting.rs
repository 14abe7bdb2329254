//! The state of a fitting after a step: small, with everything large behind blob names.

use crate::state::choice::Patch;
use crate::state::clean::Cleaned;
use crate::state::corrective::Corrective;
use crate::state::made_of::MadeOf;
use crate::state::mask::Mask;
use crate::state::motion::{MotionState, RangeState};
use crate::state::names::{FileRef, PieceId};
use crate::state::own_joint::OwnJoint;
use crate::state::recipe::{Method, Recipe, Takes};
use crate::state::said_driver::SaidDriver;
use crate::state::trial_plan::TrialPlan;
use crate::state::tuck::Tuck;
use serde::{Deserialize, Serialize};
use tin_cloak_core::intake::{JointRole, Place, Up};
use tin_cloak_core::mesh::even_shares;
use tin_cloak_core::skeleton::Pose;
use tin_cloak_formats::PieceKind;
use tin_cloak_store::BlobId;

/// The state of a fitting after a step: small, with everything large behind blob names.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct FittingState {
    pub body: FileRef,
    /// The meshes of its file that are the body; none when it is all of the one named.
    #[serde(default)]
    pub body_parts: Vec<BodyPart>,
    /// Weights of the body, when they are no longer the file's.
    #[serde(default)]
    pub body_skin: Option<BlobId>,
    /// True when some of that was done by hand.
    #[serde(default)]
    pub body_by_hand: bool,
    /// Choices of the body's vertices that are kept under a name.
    #[serde(default)]
    pub body_patches: Vec<Patch>,
    /// Faces of the body and of pieces that nobody sees while something is worn.
    #[serde(default)]
    pub masks: Vec<Mask>,
    /// How far the body is drawn in under what is worn.
    #[serde(default)]
    pub tucks: Vec<Tuck>,
    /// What turns call up on the body, besides what its file has.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub body_correctives: Vec<Corrective>,
    /// How much of each of its shapes the body wears, by number; none as its file has it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub body_amounts: Option<Vec<f32>>,
    /// Which turns call up shapes of the body, where that was said.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub body_drivers: Vec<SaidDriver>,
    /// What the body of the file is multiplied by, and its upward axis there.
    #[serde(default)]
    pub body_size: Option<(f32, Up)>,
    pub pieces: Vec<PieceState>,
    pub next_piece: PieceId,
    pub tolerance_mm: f32,
    /// Motions of other files.
    #[serde(default)]
    pub motions: Vec<MotionState>,
    /// Poses set by hand.
    #[serde(default)]
    pub poses: Vec<KeptPose>,
    /// Ranges of motion set by hand.
    #[serde(default)]
    pub ranges: Vec<RangeState>,
    /// Roles of joints set by hand.
    #[serde(default)]
    pub roles: Vec<(String, JointRole)>,
    /// What it is tried in besides, and how that counts.
    #[serde(default)]
    pub plan: TrialPlan,
    /// Joints of the pieces' own, behind those of the body.
    #[serde(default)]
    pub joints: Vec<OwnJoint>,
}

impl FittingState {
    /// A body with nothing on.
    pub fn of_body(body: FileRef) -> Self {
        Self {
            body,
            body_parts: Vec::new(),
            body_skin: None,
            body_by_hand: false,
            body_patches: Vec::new(),
            masks: Vec::new(),
            tucks: Vec::new(),
            body_correctives: Vec::new(),
            body_amounts: None,
            body_drivers: Vec::new(),
            body_size: None,
            pieces: Vec::new(),
            next_piece: 1,
            tolerance_mm: 0.5,
            motions: Vec::new(),
            poses: Vec::new(),
            ranges: Vec::new(),
            roles: Vec::new(),
            plan: TrialPlan::default(),
            joints: Vec::new(),
        }
    }

    /// The pieces on layers beneath that of a piece.
    pub fn beneath(&self, layer: u16) -> impl Iterator<Item = PieceId> + '_ {
        self.pieces.iter().filter(move |p| p.layer < layer && !p.cage).map(|p| p.id)
    }

    /// True when a piece is worn and moves with the body.
    pub fn is_worn(&self, piece: PieceId) -> bool {
        self.pieces.iter().any(|p| p.id == piece && p.bound.is_some() && !p.cage)
    }

    /// What was made for the body.
    pub fn body_made(&self) -> BodyMade<'_> {
        BodyMade(self.tucks_on().collect(), &self.body_correctives)
    }

    /// The tucks that are on: all of what lies over them is worn.
    pub fn tucks_on(&self) -> impl Iterator<Item = &Tuck> {
        self.tucks.iter().filter(|t| t.by.iter().all(|id| self.is_worn(*id)))
    }
}

/// The shapes that were made for a body: how it is drawn in, and what turns call up on it.
#[derive(Debug, Serialize)]
pub struct BodyMade<'a>(Vec<&'a Tuck>, &'a [Corrective]);

/// A mesh that is the body, or a part of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct BodyPart {
    /// Its name in the body's file.
    pub mesh: String,
    /// The connected parts of it that are meant, by number; all when nothing is said.
    #[serde(default)]
    pub shells: Option<Vec<u32>>,
}

impl BodyPart {
    /// All of a mesh.
    pub fn whole(mesh: &str) -> Self {
        Self { mesh: mesh.to_owned(), shells: None }
    }
}

/// A pose set by hand.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct KeptPose {
    pub name: String,
    pub pose: Pose,
}

/// What is done to the mesh of a piece's file before anything else.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Cut {
    /// Triangles of the file's mesh that are left out: ascending, little-endian.
    pub left_out: Option<BlobId>,
    /// True for its mirror image.
    pub mirrored: bool,
    /// Rows of vertices that are added, one after the other.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rows: Vec<AddedRows>,
}

/// Rows of vertices across the faces of a mesh.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct AddedRows {
    /// The edges that they cross: welded vertices two by two, packed.
    pub crossed: BlobId,
    /// How many on each.
    pub rows: usize,
    /// Where on each edge the only one lies, in percent of its way; as far apart as from the ends where nothing is
    /// said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_percent: Option<u8>,
}

impl AddedRows {
    /// Where they lie, as shares of the way along an edge.
    pub fn shares(&self) -> Vec<f32> {
        match self.at_percent {
            Some(percent) => vec![f32::from(percent) * 0.01],
            None => even_shares(self.rows),
        }
    }
}

/// A piece in a state.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PieceState {
    pub id: PieceId,
    pub source: FileRef,
    /// Its own name, when it is not its mesh's.
    #[serde(default)]
    pub own_name: Option<String>,
    #[serde(default)]
    pub cut: Cut,
    pub layer: u16,
    pub kind: PieceKind,
    /// Where on the body it is worn, when that was said.
    #[serde(default)]
    pub place: Option<Place>,
    /// Parts that were said to be stiff, or not.
    #[serde(default)]
    pub shells: Vec<(u32, bool)>,
    /// True for a cage.
    #[serde(default)]
    pub cage: bool,
    /// How it is to be bound.
    #[serde(default)]
    pub recipe: Recipe,
    /// How much of each of its own shapes it wears, by number; missing ones are 0.
    #[serde(default)]
    pub amounts: Vec<f32>,
    /// Its own shapes, when they are no longer the file's: offsets of all vertices, shape by shape.
    #[serde(default)]
    pub shapes: Option<BlobId>,
    /// What it does in each of the body's shapes, when those were carried to it: offsets of all vertices, shape by
    /// shape.
    #[serde(default)]
    pub carried: Option<BlobId>,
    /// Names of the shapes that were carried; all of them when none is named.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub follows: Vec<String>,
    /// What it does when joints are turned so far.
    #[serde(default)]
    pub correctives: Vec<Corrective>,
    /// What was cleaned on its weights since it was bound, in order.
    #[serde(default)]
    pub cleaned: Vec<Cleaned>,
    /// Choices of its vertices that are kept under a name.
    #[serde(default)]
    pub patches: Vec<Patch>,
    /// Rest positions without its shapes, when they are no longer the file's.
    pub rest: Option<BlobId>,
    /// Weights, once bound.
    pub bound: Option<BlobId>,
    /// Weights that the body had then, when they were no longer its file's.
    #[serde(default)]
    pub bound_on: Option<BlobId>,
    /// Pieces that it took them from, as they were then.
    #[serde(default, skip_serializing_if = "MadeOf::is_empty")]
    pub took: MadeOf,
    /// It and what lies beneath it, when the body's shapes were carried to it.
    #[serde(default, skip_serializing_if = "MadeOf::is_empty")]
    pub carried_on: MadeOf,
    /// Ranges of motion that it narrows.
    #[serde(default)]
    pub limits: Vec<RangeState>,
}

impl PieceState {
    /// A piece as its file has it.
    pub fn new(id: PieceId, source: FileRef, layer: u16, kind: PieceKind) -> Self {
        Self {
            id,
            source,
            own_name: None,
            cut: Cut::default(),
            layer,
            kind,
            place: None,
            shells: Vec::new(),
            cage: false,
            recipe: Recipe::default(),
            amounts: Vec::new(),
            shapes: None,
            carried: None,
            follows: Vec::new(),
            correctives: Vec::new(),
            cleaned: Vec::new(),
            patches: Vec::new(),
            rest: None,
            bound: None,
            bound_on: None,
            took: MadeOf::default(),
            carried_on: MadeOf::default(),
            limits: Vec::new(),
        }
    }

    /// True when it is bound to a body that had other weights than `body_skin`, and took them from there.
    pub fn is_older_than(&self, body_skin: Option<&BlobId>) -> bool {
        let own =
            matches!(self.recipe.takes, Takes::Template(_)) || self.recipe.options.method == Method::Came;
        self.bound.is_some() && !own && self.bound_on.as_ref() != body_skin
    }

    /// True when a shape of the body was carried to it.
    pub fn follows_shape(&self, name: &str) -> bool {
        self.carried.is_some() && (self.follows.is_empty() || self.follows.iter().any(|f| f == name))
    }

    /// The shapes that were made for it where it was are gone; what is to be told of that.
    pub fn drop_made_shapes(&mut self) -> Vec<String> {
        let mut notes = Vec::new();
        self.follows.clear();
        if self.carried.take().is_some() {
            let name = self.name();
            notes.push(format!("{name} follows the body’s shapes no longer: let it follow them again"));
        }
        if !std::mem::take(&mut self.correctives).is_empty() {
            notes.push(format!("{} has its correctives no longer: make them again (Mending)", self.name()));
        }
        notes
    }

    /// What people call it.
    pub fn name(&self) -> &str {
        self.own_name.as_deref().unwrap_or(&self.source.mesh)
    }
}
