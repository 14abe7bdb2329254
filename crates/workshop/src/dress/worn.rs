//! A body and its pieces, and the outfit they are measured as.

use crate::dress::body::Body;
use crate::dress::derived::{Derived, Weighed};
use crate::dress::piece::Piece;
use crate::dress::room::Room;
use crate::state::fitting::PieceId;
use crate::state::key::Key;
use rayon::prelude::*;
use std::sync::Arc;
use tin_cloak_core::clearance::{pairs_to_ask, Coverage, CoverageSettings, Layer, Outfit, Pair, PosedLayer};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::LayerIndex;
use tin_cloak_formats::PieceKind;

/// A body and the pieces on it.
#[derive(Clone, Debug)]
pub struct Dress {
    /// The body.
    pub body: Arc<Body>,
    /// The pieces, from the inside out.
    pub pieces: Vec<Piece>,
}

impl Dress {
    /// The bound pieces as layers to measure, with the index of each layer's piece (the body,
    /// layer 0, has none).
    fn layers(&self) -> (Vec<Layer>, Vec<Option<usize>>) {
        let mut layers = vec![self.body.layer()];
        let mut piece_of = vec![None];
        for (i, piece) in self.pieces.iter().enumerate() {
            let Some(bound) = piece.bound.as_ref().filter(|_| !piece.cage) else { continue };
            layers.push(Layer {
                layer: LayerIndex(piece.layer),
                topology: Arc::clone(&piece.topology),
                rest: piece.rest.to_vec(),
                skin: bound.skin.clone(),
                walls: piece.shared_walls(),
                stiff: piece.kind == PieceKind::Stiff,
                morphs: Vec::new(),
            });
            piece_of.push(Some(i));
        }
        (layers, piece_of)
    }

    /// The bound pieces as an outfit to measure, with the index of each layer's piece (the
    /// body, layer 0, has none).
    pub fn outfit(&self) -> (Outfit, Vec<Option<usize>>) {
        let (layers, piece_of) = self.layers();
        (Outfit::new(layers, CoverageSettings::default()), piece_of)
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

/// What is worn and bound, ready to be measured, each layer with the keys of what it is.
pub(crate) struct Worn {
    /// The body, then the bound pieces.
    pub outfit: Outfit,
    /// The piece of each layer, by its place in the dress; the body has none.
    pub piece_of: Vec<Option<usize>>,
    /// By layer.
    pub facts: Vec<LayerFacts>,
}

/// What tells one layer from another.
pub(crate) struct LayerFacts {
    /// 0 for the body, else the piece's number.
    pub piece: PieceId,
    /// Its shape at rest, its faces and walls.
    pub shape: Key,
    /// That, and its weights.
    pub moves: Key,
    /// Joints that move any of it, ascending.
    joints: Vec<usize>,
}

impl Weighed for Worn {
    fn bytes(&self) -> usize {
        let layer = |l: &Layer| l.rest.len() * (12 + l.skin.stride() * 6);
        self.outfit.layers.iter().map(layer).sum()
    }
}

impl Weighed for PosedLayer {
    fn bytes(&self) -> usize {
        PosedLayer::bytes(self)
    }
}

impl Weighed for Coverage {
    fn bytes(&self) -> usize {
        Coverage::bytes(self)
    }
}

impl Worn {
    /// What is worn in a room; trees and coverage are those of rooms before where nothing of a
    /// layer's shape has changed.
    pub(super) fn of(room: &Room) -> Arc<Self> {
        let worn = |i: &usize| room.dress.pieces[*i].bound.is_some() && !room.dress.pieces[*i].cage;
        let pieces: Vec<usize> = (0..room.dress.pieces.len()).filter(worn).collect();
        let mut key = Key::begin("worn").and_key(room.contents.body_mesh).and(&pieces);
        for &i in &pieces {
            let state = room.piece_state(i);
            let weights = (state.id, &state.bound, state.layer, state.kind);
            key = key.and_key(room.contents.shapes[i]).and(&weights);
        }
        room.derived.get_or(key.end(), || Self::make(room))
    }

    fn make(room: &Room) -> Self {
        let (layers, piece_of) = room.dress.layers();
        let facts: Vec<LayerFacts> =
            layers.iter().zip(&piece_of).map(|(layer, piece)| LayerFacts::of(room, layer, *piece)).collect();
        let derived = &room.derived;
        let tree = |(layer, facts): (&Layer, &LayerFacts)| {
            derived.get_or(Key::begin("trees").and_key(facts.shape).end(), || PosedLayer::at_rest(layer))
        };
        let built: Vec<Arc<PosedLayer>> = layers.par_iter().zip(&facts).map(tree).collect();
        let pairs: Vec<Pair> = pairs_to_ask(&layers)
            .into_par_iter()
            .filter_map(|(outer, inner)| {
                let at = |layer: usize| (&layers[layer], &*built[layer]);
                let coverage = coverage(derived, (&facts[outer], &facts[inner]), at(outer), at(inner))?;
                Some(Pair { outer, inner, coverage })
            })
            .collect();
        Self { outfit: Outfit::of_parts(layers, built, pairs), piece_of, facts }
    }

    /// The key of a layer in a pose: all that settles where its vertices are.
    pub fn posed(&self, layer: usize, pose: &TrialPose) -> Key {
        let facts = &self.facts[layer];
        let mut key = Key::begin("posed").and_key(facts.moves);
        for &joint in &facts.joints {
            key = key.and_bytes(bytemuck::bytes_of(&pose.matrices[joint]));
        }
        if !self.outfit.layers[layer].morphs.is_empty() {
            key = key.and_bytes(bytemuck::cast_slice(&pose.amounts));
        }
        key.end()
    }
}

impl LayerFacts {
    fn of(room: &Room, layer: &Layer, piece: Option<usize>) -> Self {
        let moved: Vec<bool> = {
            let mut moved = vec![false; room.dress.body.skeleton.len()];
            let places = layer.skin.joints().iter().zip(layer.skin.weights());
            places.filter(|(_, w)| **w > 0.0).for_each(|(j, _)| moved[usize::from(*j)] = true);
            moved
        };
        let joints = (0..moved.len()).filter(|&j| moved[j]).collect();
        let Some(index) = piece else {
            let key = room.contents.body_mesh;
            return Self { piece: 0, shape: key, moves: key, joints };
        };
        let (state, shape) = (room.piece_state(index), room.contents.shapes[index]);
        let moves = Key::begin("moves").and_key(shape).and(&state.bound).end();
        Self { piece: state.id, shape, moves, joints }
    }
}

/// What of two layers lies over what at rest; none when nothing does.
fn coverage(
    derived: &Derived,
    (outer, inner): (&LayerFacts, &LayerFacts),
    above: (&Layer, &PosedLayer),
    below: (&Layer, &PosedLayer),
) -> Option<Arc<Coverage>> {
    let key = Key::begin("coverage").and_key(outer.shape).and_key(inner.shape).end();
    let found =
        derived.get_or(key, || Coverage::find(above, below, CoverageSettings::default()).map(Arc::new));
    Option::clone(&found)
}
