//! A piece with more or less of its own shapes, before that is a step.

use crate::seating::ground::GroundOfRoom;
use crate::seating::sits::SeatReport;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::seat::Gap;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::shading::ViewPart;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::names::PieceId;

/// A piece as it would sit.
type Trial = (Arc<Vec<Vec3>>, Vec<Option<Gap>>);

/// Asked of a room: a piece with more or less of its own shapes, before that is a step.
pub trait WornShapeOfRoom {
    /// How piece `index` would sit with so much of one of its shapes.
    ///
    /// # Errors
    /// When it has no such shape.
    fn seat_with_shape(&self, index: usize, shape: usize, amount: f32) -> Result<SeatReport, WorkshopError>;

    /// A piece at rest with so much of one of its shapes, with its gaps (millimetres), and how it would
    /// sit.
    ///
    /// # Errors
    /// When the piece or the shape is not there.
    fn shape_view(
        &self,
        piece: PieceId,
        shape: usize,
        amount: f32,
    ) -> Result<(ViewPart, SeatReport), WorkshopError>;
}

impl WornShapeOfRoom for Room {
    fn seat_with_shape(&self, index: usize, shape: usize, amount: f32) -> Result<SeatReport, WorkshopError> {
        let key = Key::begin("seat with shape").and_key(self.ground_key(index));
        let key =
            key.and_key(self.contents.shapes[index]).and(&(shape, amount, self.state.tolerance_mm)).end();
        let report = self.derived.try_get_or(key, || {
            let gaps = with_shape(self, index, shape, amount)?.1;
            Ok::<_, WorkshopError>(vec![SeatReport::new(&gaps, self.state.tolerance_mm)])
        })?;
        Ok(report[0].clone())
    }

    fn shape_view(
        &self,
        piece: PieceId,
        shape: usize,
        amount: f32,
    ) -> Result<(ViewPart, SeatReport), WorkshopError> {
        let index = self.find(piece)?;
        let (rest, gaps) = with_shape(self, index, shape, amount)?;
        Ok((self.part_with_gaps(index, &rest, &gaps), SeatReport::new(&gaps, self.state.tolerance_mm)))
    }
}

fn with_shape(room: &Room, index: usize, shape: usize, amount: f32) -> Result<Trial, WorkshopError> {
    let piece = &room.dress.pieces[index];
    let rest = piece.clone().wearing(&piece.with_amount(shape, amount)?).rest;
    let gaps = room.ground(index).gaps_at(piece, &rest);
    Ok((rest, gaps))
}
