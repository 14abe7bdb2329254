//! A body and its pieces, and the outfit they are measured as.

use crate::dress::body::Body;
use crate::dress::file_settings::FileSettings;
use crate::dress::piece::Piece;
use crate::state::names::{PieceId, BODY};
use crate::state::trial_plan::TrialPlan;
use glam::Vec3;
use std::collections::BTreeMap;
use std::sync::Arc;
use tin_cloak_core::clearance::{CoverageSettings, Layer, Outfit};
use tin_cloak_core::deform::{add_morphs, Morph};
use tin_cloak_core::LayerIndex;
use tin_cloak_formats::PieceKind;

/// A body and the pieces on it.
#[derive(Clone, Debug)]
pub struct Dress {
    /// The body.
    pub body: Arc<Body>,
    /// The pieces, from the inside out.
    pub pieces: Vec<Piece>,
    /// What was said of the poses it is tried in.
    pub said: Arc<FileSettings>,
    /// What is left out of the body and of pieces, as nobody sees it.
    pub masked: Arc<Masked>,
}

/// Faces that are left out of parts (the body, or pieces), by their numbers; ascending.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Masked(pub BTreeMap<PieceId, Vec<u32>>);

impl Masked {
    /// Those of a part.
    pub fn faces_of(&self, part: PieceId) -> &[u32] {
        self.0.get(&part).map_or(&[], Vec::as_slice)
    }

    /// How many in all.
    pub fn count(&self) -> usize {
        self.0.values().map(Vec::len).sum()
    }
}

/// Rest with the shapes that are on in every pose, and the others: those do nothing more then, and keep their numbers.
/// What is compared with rest is compared with what is there.
pub(super) fn always_on(mut rest: Vec<Vec3>, mut shapes: Vec<Morph>) -> (Vec<Vec3>, Vec<Morph>) {
    for shape in shapes.iter_mut().filter(|m| m.is_always_on()) {
        add_morphs(&mut rest, std::slice::from_ref(shape), &[1.0]);
        (shape.vertices, shape.offsets) = (Vec::new(), Vec::new());
    }
    (rest, shapes)
}

impl Dress {
    /// The bound pieces as layers to measure, with the index of each layer's piece (the body,
    /// layer 0, has none).
    pub fn layers(&self) -> (Vec<Layer>, Vec<Option<usize>>) {
        self.layers_left(&|layer, part| layer.without(self.masked.faces_of(part)))
    }

    /// The same, with what `left` leaves of each layer (its piece's number, or the body's).
    pub fn layers_left(&self, left: &dyn Fn(Layer, PieceId) -> Layer) -> (Vec<Layer>, Vec<Option<usize>>) {
        let mut layers = vec![left(self.body.layer(), BODY)];
        let mut piece_of = vec![None];
        for (i, piece) in self.pieces.iter().enumerate() {
            let Some(bound) = piece.bound.as_ref().filter(|_| !piece.cage) else { continue };
            let (rest, morphs) = always_on(piece.rest.to_vec(), self.shapes_of(i));
            let layer = Layer {
                layer: LayerIndex(piece.layer),
                topology: Arc::clone(&piece.topology),
                rest,
                skin: Arc::new(bound.skin.clone()),
                walls: piece.shared_walls(),
                stiff: piece.kind == PieceKind::Stiff,
                rigid: Arc::default(),
                morphs,
            };
            layers.push(left(layer, piece.id));
            piece_of.push(Some(i));
        }
        (layers, piece_of)
    }

    /// For each layer (its piece, the body has none) whether it is off while it is asked what is seen; empty when
    /// none is.
    pub fn taken_off(&self, piece_of: &[Option<usize>], plan: &TrialPlan) -> Vec<bool> {
        match plan.taken_off.is_empty() {
            true => Vec::new(),
            false => piece_of.iter().map(|p| p.is_some_and(|p| plan.is_off(&self.pieces[p].name))).collect(),
        }
    }

    /// The bound pieces as an outfit to measure, with the index of each layer's piece (the
    /// body, layer 0, has none).
    pub fn outfit(&self) -> (Outfit, Vec<Option<usize>>) {
        let (layers, piece_of) = self.layers();
        (Outfit::new(layers, CoverageSettings::default()), piece_of)
    }

    /// The dress with nothing left out.
    pub fn whole(&self) -> Self {
        Self { masked: Arc::default(), ..self.clone() }
    }

    /// Puts the pieces in order from the inside out; pieces on one layer keep their order.
    pub fn sort(&mut self) {
        self.pieces.sort_by_key(|p| p.layer);
    }

    /// The name of a layer of the outfit.
    pub fn layer_name(&self, piece: Option<usize>) -> &str {
        piece.map_or(self.body.name.as_str(), |i| self.pieces[i].name.as_str())
    }
}
