//! A piece with more or less of its own shapes, before that is a step.

use crate::dress::room::Room;
use crate::dress::shading::ViewPart;
use crate::error::WorkshopError;
use crate::seating::sits::SeatReport;
use crate::state::key::Key;
use crate::state::names::PieceId;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::seat::Gap;

/// A piece as it would sit.
type Trial = (Arc<Vec<Vec3>>, Vec<Option<Gap>>);

impl Room {
    fn with_shape(&self, index: usize, shape: usize, amount: f32) -> Result<Trial, WorkshopError> {
        let piece = &self.dress.pieces[index];
        let rest = piece.clone().wearing(&piece.with_amount(shape, amount)?).rest;
        let gaps = self.ground(index).gaps_at(piece, &rest);
        Ok((rest, gaps))
    }

    /// How piece `index` would sit with so much of one of its shapes.
    ///
    /// # Errors
    /// When it has no such shape.
    pub fn seat_with_shape(
        &self,
        index: usize,
        shape: usize,
        amount: f32,
    ) -> Result<SeatReport, WorkshopError> {
        let key = Key::begin("seat with shape").and_key(self.ground_key(index));
        let key =
            key.and_key(self.contents.shapes[index]).and(&(shape, amount, self.state.tolerance_mm)).end();
        let report = self.derived.try_get_or(key, || {
            let gaps = self.with_shape(index, shape, amount)?.1;
            Ok::<_, WorkshopError>(vec![SeatReport::of(&gaps, self.state.tolerance_mm)])
        })?;
        Ok(report[0].clone())
    }

    /// A piece at rest with so much of one of its shapes, with its gaps (millimetres), and how it would
    /// sit.
    ///
    /// # Errors
    /// When the piece or the shape is not there.
    pub fn shape_view(
        &self,
        piece: PieceId,
        shape: usize,
        amount: f32,
    ) -> Result<(ViewPart, SeatReport), WorkshopError> {
        let index = self.find(piece)?;
        let (rest, gaps) = self.with_shape(index, shape, amount)?;
        Ok((self.rest_part(index, &rest, &gaps), SeatReport::of(&gaps, self.state.tolerance_mm)))
    }
}
