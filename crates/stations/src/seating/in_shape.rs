//! A piece in one of the shapes that it takes on: one of the body's that it follows, or one that the turn of a joint
//! calls up. What is done to it there is the shape's.

use crate::making::doing::Doing;
use crate::seating::ground::Ground;
use crate::seating::ground::GroundOfRoom;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::deform::{add_morphs, Morph};
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_positions;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::names::PieceId;

/// Where a shape is kept.
enum Of {
    /// Among those of the body that are followed, by number.
    Followed(usize),
    /// Among the piece's correctives.
    Turn,
}

/// A shape of a piece.
pub struct InShape {
    /// What it is called.
    pub name: String,
    of: Of,
    /// The piece's vertices with all of it.
    pub positions: Vec<Vec3>,
}

impl InShape {
    /// The share of the shape that [`InShape::positions`] adds to rest: what the body wears of it is there already.
    pub fn whole(&self, piece: &Piece) -> f32 {
        1.0 - along(piece, &self.of)
    }
}

/// Asked of a room: pieces in their shapes.
pub trait InShapeOfRoom {
    /// Piece `index` with all of the shape of a name.
    ///
    /// # Errors
    /// When it takes on none of that name.
    fn in_shape(&self, index: usize, name: &str) -> Result<InShape, WorkshopError>;

    /// What lies beneath piece `index` while it is in a shape.
    fn ground_in(&self, index: usize, shape: &InShape) -> Arc<Ground>;
}

impl InShapeOfRoom for Room {
    fn in_shape(&self, index: usize, name: &str) -> Result<InShape, WorkshopError> {
        let (piece, body) = (&self.dress.pieces[index], &self.dress.body);
        let missing = || WorkshopError::FollowsNoShape { piece: piece.name.clone(), shape: name.to_owned() };
        let number = body.own_shapes().iter().position(|m| m.name == name);
        let followed = |n: usize| Some((Of::Followed(n), piece.carried.as_ref()?.0.get(n)?));
        let turn = || Some((Of::Turn, &**piece.correctives.iter().find(|m| m.name == name)?));
        // What a turn calls up may be begun empty, by hand.
        let moves = |(of, m): &(Of, &Morph)| matches!(of, Of::Turn) || !m.vertices.is_empty();
        let found = number.and_then(followed).or_else(turn).filter(moves);
        let (of, shape) = found.ok_or_else(missing)?;
        // What the body wears of it is there at rest.
        let left = 1.0 - along(piece, &of);
        let offsets = shape.to_dense(piece.rest.len()).into_iter().map(|o| o * left);
        let positions = piece.rest.iter().zip(offsets).map(|(r, o)| *r + o).collect();
        Ok(InShape { name: name.to_owned(), of, positions })
    }

    fn ground_in(&self, index: usize, shape: &InShape) -> Arc<Ground> {
        let Of::Followed(number) = shape.of else { return self.ground(index) };
        let carried: Vec<_> = self.state.pieces.iter().map(|p| (p.id, &p.carried)).collect();
        let key = Key::begin("ground in a shape").and_key(self.ground_key(index)).and_key(self.contents.body);
        self.derived.get_or(key.and(&(number, carried)).end(), || {
            let followed = |i: usize| self.dress.pieces[i].followed(&self.dress.body);
            let mut beneath = Ground::offsets(&self.dress, index, &followed).swap_remove(number);
            let left = 1.0 - self.dress.body.worn_amounts().get(number).copied().unwrap_or(0.0);
            beneath.iter_mut().for_each(|o| *o *= left);
            self.ground(index).moved(&beneath)
        })
    }
}

/// How much of a shape is part of a piece's rest.
fn along(piece: &Piece, of: &Of) -> f32 {
    match of {
        Of::Followed(number) => piece.goes_along(*number),
        Of::Turn => 0.0,
    }
}

impl Doing<'_> {
    /// Gives a shape of a piece other positions.
    pub fn keep_in_shape(
        &mut self,
        index: usize,
        piece: PieceId,
        shape: &InShape,
        positions: &[Vec3],
    ) -> Result<(), WorkshopError> {
        let worn = &self.room.dress.pieces[index];
        let mut offsets: Vec<Vec3> = positions.iter().zip(worn.rest.iter()).map(|(p, r)| *p - *r).collect();
        if let (Of::Followed(n), Some(carried)) = (&shape.of, &worn.carried) {
            add_morphs(&mut offsets, &carried.0[*n..=*n], &[along(worn, &shape.of)]);
        }
        match shape.of {
            Of::Followed(number) => {
                let all = worn.carried.iter().flat_map(|c| c.0.iter().enumerate()).flat_map(|(n, other)| {
                    if n == number {
                        offsets.clone()
                    } else {
                        other.to_dense(worn.rest.len())
                    }
                });
                let blob = self.draft.keep(pack_positions(&all.collect::<Vec<Vec3>>()));
                self.draft.piece(piece)?.carried = Some(blob);
            }
            Of::Turn => {
                let blob = self.draft.keep(pack_positions(&offsets));
                let correctives = self.draft.piece(piece)?.correctives.iter_mut();
                for made in correctives.filter(|c| c.name == shape.name) {
                    (made.offsets, made.amount) = (blob.clone(), 1.0);
                }
            }
        }
        Ok(())
    }
}
