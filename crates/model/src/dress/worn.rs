//! What is worn and bound in a room, with the keys of what it is.

use crate::dress::derived::{Derived, Weighed};
use crate::dress::keys::PieceFields;
use crate::dress::room::Room;
use crate::state::corrective::Corrective;
use crate::state::key::Key;
use crate::state::names::{PieceId, BODY};
use rayon::prelude::*;
use std::sync::Arc;
use tin_cloak_core::clearance::{
    pairs_to_ask, Coverage, CoverageSettings, Layer, LayerFaces, Outfit, Pair, PosedLayer,
};
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::skin::Skin;
use tin_cloak_formats::PieceKind;

/// What is worn and bound, ready to be measured.
pub struct Worn {
    /// The body, then the bound pieces.
    pub outfit: Outfit,
    /// The piece of each layer, by its place in the dress; the body has none.
    pub piece_of: Vec<Option<usize>>,
    /// By layer.
    pub facts: Vec<LayerFacts>,
}

/// The layers of what is worn, each with the keys of what it is; nothing is built yet.
pub struct Pile {
    /// By layer.
    pub facts: Vec<LayerFacts>,
    /// All of them, and where they lie in the pile.
    pub key: Key,
}

/// What tells one layer from another.
#[derive(Clone)]
pub struct LayerFacts {
    /// 0 for the body, else the piece's number.
    pub piece: PieceId,
    /// Its shape at rest, its faces and walls.
    pub shape: Key,
    /// That, and its weights.
    pub moves: Key,
    /// Place in the pile.
    pub layer: u16,
    /// True when it must move as a whole: it is asked how far it does not.
    pub is_stiff: bool,
    /// Its piece's place in the dress; the body has none.
    pub at: Option<usize>,
    /// Joints that move any of it, ascending.
    joints: Vec<usize>,
    /// Numbers of the shapes that change it, ascending, each with the key of what it does, where `moves` does not
    /// tell.
    shapes: Vec<(usize, Key)>,
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

impl Weighed for LayerFaces {
    fn bytes(&self) -> usize {
        LayerFaces::bytes(self)
    }
}

impl Weighed for Coverage {
    fn bytes(&self) -> usize {
        Coverage::bytes(self)
    }
}

impl Weighed for Pile {
    fn bytes(&self) -> usize {
        self.facts.iter().map(|f| 128 + f.joints.len() * 8).sum()
    }
}

impl Room {
    /// The bound layers.
    pub fn pile(&self) -> Arc<Pile> {
        Pile::new(self)
    }

    /// What is there of a part whose shape has the key `whole`.
    fn left_of(&self, part: PieceId, whole: Key) -> Key {
        match self.dress.masked.faces_of(part) {
            [] => whole,
            faces => {
                let faces = bytemuck::cast_slice(faces);
                Key::begin("without").and_key(whole).and_bytes(faces).end()
            }
        }
    }

    /// What is there of the body, and how it moves.
    fn body_shown(&self) -> Key {
        self.left_of(BODY, self.contents.body_mesh)
    }

    /// What is there of a piece at rest.
    fn piece_shown(&self, index: usize) -> Key {
        self.left_of(self.dress.pieces[index].id, self.contents.shapes[index])
    }

    /// The bound layers, ready to be measured.
    pub fn worn(&self) -> Arc<Worn> {
        Worn::new(self)
    }
}

impl Pile {
    /// What is worn in a room.
    fn new(room: &Room) -> Arc<Self> {
        let worn = |i: &usize| room.dress.pieces[*i].bound.is_some() && !room.dress.pieces[*i].cage;
        let pieces: Vec<usize> = (0..room.dress.pieces.len()).filter(worn).collect();
        let mut key = Key::begin("pile").and_key(room.body_shown()).and(&(&pieces, room.state.body_made()));
        for &i in &pieces {
            let PieceFields { moves, correctives, filed, .. } = PieceFields::new(room.piece_state(i));
            let shapes = (correctives, room.dress.shape_numbers(i));
            key = key.and_key(room.piece_shown(i)).and(&(filed, moves, shapes));
        }
        let key = key.end();
        room.derived.get_or(key, || {
            let body = LayerFacts::of_body(room);
            let pieces = pieces.iter().map(|&i| LayerFacts::of_piece(room, i));
            Self { facts: std::iter::once(body).chain(pieces).collect(), key }
        })
    }
}

impl Worn {
    /// What is worn in a room; trees and coverage are those of rooms before where nothing of a
    /// layer's shape has changed.
    fn new(room: &Room) -> Arc<Self> {
        let pile = Pile::new(room);
        let at: Vec<Option<usize>> = pile.facts.iter().map(|f| f.at).collect();
        let off = room.dress.taken_off(&at, &room.state.plan);
        let key = Key::begin("worn").and_key(pile.key).and(&off).end();
        room.derived.get_or(key, || Self::make(room, &pile.facts, off))
    }

    fn make(room: &Room, facts: &[LayerFacts], off: Vec<bool>) -> Self {
        let derived = &room.derived;
        // What is hidden costs more to leave out than all else here: it is left out once.
        let left = |layer: Layer, part: PieceId| {
            let hidden = room.dress.masked.faces_of(part);
            let shape = facts.iter().find(|f| f.piece == part && !hidden.is_empty()).map(|f| f.shape);
            let Some(shape) = shape else { return layer };
            let faces =
                derived.get_or(Key::begin("faces").and_key(shape).end(), || layer.faces_without(hidden));
            let LayerFaces { topology, walls } = LayerFaces::clone(&faces);
            Layer { topology, walls, ..layer }
        };
        let (layers, piece_of) = room.dress.layers_left(&left);
        let tree = |(layer, facts): (&Layer, &LayerFacts)| {
            derived.get_or(Key::begin("trees").and_key(facts.shape).end(), || PosedLayer::at_rest(layer))
        };
        let built: Vec<Arc<PosedLayer>> = layers.par_iter().zip(facts).map(tree).collect();
        let pairs: Vec<Pair> = pairs_to_ask(&layers)
            .into_par_iter()
            .filter_map(|(outer, inner)| {
                let find = || {
                    let (above, below) = (&layers[outer], &layers[inner]);
                    let settings = CoverageSettings::default();
                    Coverage::find(above, &built[outer], below, &built[inner], settings)
                };
                let coverage = coverage(derived, &facts[outer], &facts[inner], find)?;
                Some(Pair { outer, inner, coverage })
            })
            .collect();
        let mut outfit = Outfit::of_parts(layers, built, pairs);
        outfit.off = off;
        Self { outfit, piece_of, facts: facts.to_vec() }
    }
}

/// What a shape does that a turn calls up.
fn does_key(made: &Corrective) -> Key {
    Key::hashed("corrective", &(&made.offsets, made.amount))
}

impl LayerFacts {
    /// The key of the layer in a pose: all that settles where its vertices are.
    pub fn posed(&self, pose: &TrialPose) -> Key {
        let mut key = Key::begin("posed").and_key(self.moves);
        for &joint in &self.joints {
            key = key.and_bytes(bytemuck::bytes_of(&pose.matrices[joint]));
        }
        for (shape, does) in &self.shapes {
            // What is not called up changes nothing: a pose without it is measured once.
            let amount = pose.amounts.get(*shape).copied().unwrap_or(0.0);
            if amount != 0.0 {
                key = key.and_key(*does).and_bytes(&amount.to_le_bytes());
            }
        }
        key.end()
    }

    fn of_body(room: &Room) -> Self {
        let body = &room.dress.body;
        let (joints, mut shapes) =
            (used_joints(&body.welded_skin), by_number(&that_change(&body.welded_morphs)));
        let tucks = room.state.tucks_on().map(|t| Key::hashed("tuck", &(&t.offsets, t.amount)));
        let named = |m: &Morph| room.state.body_correctives.iter().find(|c| c.name == m.name);
        let mut made: Vec<Key> = tucks.collect();
        made.extend(body.made_shapes().iter().skip(made.len()).filter_map(named).map(does_key));
        for (number, does) in (body.own_shapes().len()..).zip(made) {
            shapes.iter_mut().filter(|s| s.0 == number).for_each(|s| s.1 = does);
        }
        let key = resting(room.body_shown(), &mut shapes, &body.welded_morphs);
        Self { piece: 0, shape: key, moves: key, layer: 0, is_stiff: false, at: None, joints, shapes }
    }

    fn of_piece(room: &Room, index: usize) -> Self {
        let state = room.piece_state(index);
        let skin = room.dress.pieces[index].bound.as_ref().map(|b| &b.skin);
        let named = |n: usize| room.dress.body.morphs.get(n).map(|m| &m.name);
        let made = |n: usize| state.correctives.iter().find(|c| Some(&c.name) == named(n));
        let does = |n: usize| (n, made(n).map_or_else(|| numbered(n), does_key));
        let joints = skin.map_or_else(Vec::new, used_joints);
        let mut shapes: Vec<(usize, Key)> = room.dress.shape_numbers(index).into_iter().map(does).collect();
        let fields = PieceFields::new(state);
        let shown = room.piece_shown(index);
        // What a shape of the body does on it is told by what was carried to it.
        let carried = Key::begin("carried to").and_key(shown).and(&fields.moves.1).end();
        let is_on = shapes.iter().any(|s| is_always_on(&room.dress.body.morphs, s.0));
        let shape = resting(if is_on { carried } else { shown }, &mut shapes, &room.dress.body.morphs);
        let moves = Key::begin("moves").and_key(shape).and(&fields.moves).end();
        Self {
            piece: state.id,
            shape,
            moves,
            layer: state.layer,
            is_stiff: state.kind == PieceKind::Stiff,
            at: Some(index),
            joints,
            shapes,
        }
    }
}

/// The key of a shape at rest: `bare`, with those of `shapes` that are on in every pose, which are told no more.
fn resting(bare: Key, shapes: &mut Vec<(usize, Key)>, all: &[Morph]) -> Key {
    let on = |s: &(usize, Key)| is_always_on(all, s.0);
    let always: Vec<Key> = shapes.iter().filter(|s| on(s)).map(|s| s.1).collect();
    shapes.retain(|s| !on(s));
    match always[..] {
        [] => bare,
        _ => always.into_iter().fold(Key::begin("always on").and_key(bare), |key, s| key.and_key(s)).end(),
    }
}

fn is_always_on(all: &[Morph], number: usize) -> bool {
    all.get(number).is_some_and(Morph::is_always_on)
}

fn numbered(shape: usize) -> Key {
    Key::hashed("shape", &shape)
}

/// Shapes that `moves` tells of.
fn by_number(numbers: &[usize]) -> Vec<(usize, Key)> {
    numbers.iter().map(|n| (*n, numbered(*n))).collect()
}

/// Numbers of the shapes that change anything.
fn that_change(shapes: &[Morph]) -> Vec<usize> {
    (0..shapes.len()).filter(|&n| !shapes[n].vertices.is_empty()).collect()
}

/// Joints that move any vertex, ascending.
pub fn used_joints(skin: &Skin) -> Vec<usize> {
    let mut moves = Vec::new();
    for (joint, _) in skin.joints().iter().zip(skin.weights()).filter(|(_, w)| **w > 0.0) {
        let joint = usize::from(*joint);
        if moves.len() <= joint {
            moves.resize(joint + 1, false);
        }
        moves[joint] = true;
    }
    (0..moves.len()).filter(|&j| moves[j]).collect()
}

/// What of two layers lies over what at rest; none when nothing does.
fn coverage(
    derived: &Derived,
    outer: &LayerFacts,
    inner: &LayerFacts,
    find: impl FnOnce() -> Option<Coverage>,
) -> Option<Arc<Coverage>> {
    let key = Key::begin("coverage").and_key(outer.shape).and_key(inner.shape).end();
    let found = derived.get_or(key, || find().map(Arc::new));
    Option::clone(&found)
}
