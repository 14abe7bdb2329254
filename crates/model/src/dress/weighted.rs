//! What chooses vertices and changes weights: a piece, or the body as if it were one.

use crate::dress::piece::Piece;
use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::state::choice::Patch;
use crate::state::fitting::PieceState;
use crate::state::key::Key;
use crate::state::made_of::Facet;
use crate::state::names::{PieceId, BODY};
use std::ops::Deref;
use std::sync::Arc;

/// A piece, or the body as if it were one.
pub enum Weighted<'a> {
    Worn(usize, &'a Piece),
    Body(Arc<Piece>),
}

impl Deref for Weighted<'_> {
    type Target = Piece;

    fn deref(&self) -> &Piece {
        match self {
            Self::Worn(_, piece) => piece,
            Self::Body(body) => body,
        }
    }
}

impl Weighted<'_> {
    /// Where it stands in the dress; the body stands nowhere.
    pub fn index(&self) -> Option<usize> {
        match self {
            Self::Worn(index, _) => Some(*index),
            Self::Body(_) => None,
        }
    }
}

impl Room {
    /// The piece of that number, or the body.
    ///
    /// # Errors
    /// When no such piece is there.
    pub fn weighted(&self, piece: PieceId) -> Result<Weighted<'_>, WorkshopError> {
        if piece == BODY {
            let make = || Piece::of_body(&self.dress.body);
            let key = Key::begin("body as a piece").and_key(self.contents.body).end();
            return Ok(Weighted::Body(self.derived.get_or(key, make)));
        }
        let index = self.find(piece)?;
        Ok(Weighted::Worn(index, &self.dress.pieces[index]))
    }

    /// The pieces whose weights were taken when the body, or another piece, had others.
    pub fn older_pieces(&self) -> Vec<PieceId> {
        let older = |p: &&PieceState| {
            let of_piece = p.bound.is_some() && !p.took.changed(&self.state, Facet::Weights).is_empty();
            of_piece || p.is_older_than(self.state.body_skin.as_ref())
        };
        self.state.pieces.iter().filter(older).map(|p| p.id).collect()
    }

    /// Choices of its vertices that are kept under a name.
    pub fn patches_of(&self, on: &Weighted) -> &[Patch] {
        on.index().map_or(&self.state.body_patches, |i| &self.piece_state(i).patches)
    }
}
