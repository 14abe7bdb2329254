//! The shapes that a pose may call up, by number: those of the body, which pieces follow, and behind them what pieces
//! have by themselves.

use crate::dress::body::Body;
use crate::dress::derived::Weighed;
use crate::dress::dressed::Dress;
use crate::dress::piece::Piece;
use glam::Vec3;
use serde::Serialize;
use tin_cloak_core::deform::{add_morphs, linear_blend, Morph};
use tin_cloak_core::mend::TrialPose;

/// What a piece does in each of the body's shapes, by their numbers.
#[derive(Clone, Debug, PartialEq)]
pub struct Carried(pub Vec<Morph>);

impl Weighed for Carried {
    fn bytes(&self) -> usize {
        self.0.iter().map(Weighed::bytes).sum()
    }
}

/// A shape of a piece that the body has none of the same name of.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct OwnShape {
    /// The piece's place in the dress.
    pub piece: usize,
    /// What the piece is called: a clip keys its shapes by that.
    pub mesh: String,
    /// The shape's number among the piece's.
    pub shape: usize,
    /// Both their names.
    pub label: String,
    /// How much of it is worn at rest.
    pub worn: f32,
}

/// What pieces have by themselves, in the order of their numbers behind the body's.
pub fn own_shapes(body: &Body, pieces: &[Piece]) -> Vec<OwnShape> {
    let of_piece = |(piece, worn): (usize, &Piece)| {
        let own = worn.shapes.iter().enumerate().filter(|(_, m)| !has(body, &m.name));
        let one = |(shape, m): (usize, &Morph)| OwnShape {
            piece,
            mesh: worn.name.clone(),
            shape,
            label: format!("{}: {}", worn.name, m.name),
            worn: worn.amounts.get(shape).copied().unwrap_or(0.0),
        };
        own.map(one).collect::<Vec<_>>()
    };
    let moves = |(_, p): &(usize, &Piece)| p.bound.is_some() && !p.cage;
    pieces.iter().enumerate().filter(moves).flat_map(of_piece).collect()
}

fn has(body: &Body, name: &str) -> bool {
    body.morphs.iter().any(|m| m.name == name)
}

impl Piece {
    /// What it does in a shape that poses call up: its own of that name, else the one that was carried to it, else the
    /// corrective that was made.
    fn shape_in(&self, n: usize, name: &str) -> Option<&Morph> {
        let own = self.shapes.iter().find(|m| m.name == name);
        let carried = || self.carried.as_ref().and_then(|list| list.0.get(n));
        let made = || self.correctives.iter().map(|m| &**m).find(|m| m.name == name);
        own.or_else(carried).or_else(made)
    }

    /// What it does in each of the shapes that poses call up by the body.
    pub fn followed(&self, body: &Body) -> Vec<Morph> {
        let one = |(n, of_body): (usize, &Morph)| {
            let shape = self.shape_in(n, &of_body.name).cloned().unwrap_or_default();
            Morph { name: of_body.name.clone(), driver: of_body.driver, ..shape }
        };
        body.welded_morphs.iter().enumerate().map(one).collect()
    }

    /// The shapes that go out with it: its own, those carried to it, with the names and drivers of the body's, and its
    /// correctives.
    pub fn outgoing_shapes(&self, body: &Body) -> Vec<Morph> {
        let own = |name: &str| self.shapes.iter().any(|m| m.name == name);
        let more = self.followed(body).into_iter().filter(|m| !m.vertices.is_empty() && !own(&m.name));
        // A shape of its own that the body drives is driven alike.
        let driver = |m: &Morph| body.morphs.iter().find(|b| b.name == m.name).and_then(|b| b.driver);
        let mine = self.shapes.iter().map(|m| Morph { driver: driver(m).or(m.driver), ..m.clone() });
        mine.chain(more).collect()
    }
}

impl Dress {
    /// Numbers of the shapes that change a piece, ascending.
    pub fn shape_numbers(&self, index: usize) -> Vec<usize> {
        let (piece, of_body) = (&self.pieces[index], &self.body.morphs);
        let follows =
            |n: &usize| piece.shape_in(*n, &of_body[*n].name).is_some_and(|shape| !shape.vertices.is_empty());
        let own = (of_body.len()..).zip(own_shapes(&self.body, &self.pieces));
        let own = own.filter(|(_, own)| own.piece == index).map(|(n, _)| n);
        (0..of_body.len()).filter(follows).chain(own).collect()
    }

    /// The name of the shape of a number on the body (none) or on a piece; a shape of another piece has none there.
    pub fn shape_name(&self, shape: usize, piece: Option<usize>) -> Option<String> {
        let of_body = self.body.morphs.len();
        if let Some(morph) = self.body.morphs.get(shape) {
            return Some(morph.name.clone());
        }
        let own = own_shapes(&self.body, &self.pieces).into_iter().nth(shape - of_body)?;
        (Some(own.piece) == piece).then(|| self.pieces[own.piece].shapes[own.shape].name.clone())
    }

    /// Welded positions of a piece in a pose, with its shapes as far as the pose calls them up.
    pub fn posed_piece(&self, index: usize, pose: &TrialPose) -> Vec<Vec3> {
        let piece = &self.pieces[index];
        let mut shaped = piece.rest.to_vec();
        add_morphs(&mut shaped, &self.shapes_of(index), &pose.amounts);
        let Some(bound) = &piece.bound else { return shaped };
        let mut posed = shaped.clone();
        linear_blend(&shaped, &bound.skin, &pose.matrices, &mut posed);
        posed
    }

    /// The shapes of a piece by the numbers that poses call them up by; none when no pose changes its shape.
    pub fn shapes_of(&self, index: usize) -> Vec<Morph> {
        let piece = &self.pieces[index];
        let mut all = piece.followed(&self.body);
        for own in own_shapes(&self.body, &self.pieces) {
            all.push(match own.piece == index {
                true => piece.shapes[own.shape].clone(),
                false => Morph::default(),
            });
        }
        if all.iter().all(|m| m.vertices.is_empty()) {
            all.clear();
        }
        all
    }
}
