//! A shape that the body wears: what it is, at rest and in every pose.

use crate::making::doing::Doing;
use crate::seating::easing::moved_note;
use tin_cloak_core::deform::Morph;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;

impl Doing<'_> {
    pub fn wear_body_shape(&mut self, shape: &str, amount: f32) -> Result<String, WorkshopError> {
        let (room, body) = (self.room, &self.room.dress.body);
        let can_be_worn = |m: &Morph| m.name == shape && m.driver.is_none();
        let missing = || WorkshopError::NoSuchBodyShape { body: body.name.clone(), shape: shape.to_owned() };
        let number = body.own_shapes().iter().position(can_be_worn).ok_or_else(missing)?;
        if !(-1.0..=2.0).contains(&amount) {
            return Err(WorkshopError::BadAmount);
        }
        let mut amounts = body.amounts.clone();
        amounts.resize(body.own_shapes().len(), 0.0);
        amounts[number] = amount;
        self.draft.state.body_amounts = Some(amounts);
        for (index, piece) in room.dress.pieces.iter().enumerate() {
            self.wear_own(index, piece, shape, amount)?;
        }
        self.take_along(number)?;
        Ok(format!("{}, {shape} {:.0} %", body.name, amount * 100.0))
    }

    /// A piece that has a shape of the same name wears as much of it.
    fn wear_own(
        &mut self,
        index: usize,
        piece: &Piece,
        shape: &str,
        amount: f32,
    ) -> Result<(), WorkshopError> {
        let Some(own) = piece.shapes.iter().position(|m| m.name == shape) else { return Ok(()) };
        self.draft.piece(self.room.piece_state(index).id)?.amounts = piece.with_amount(own, amount)?;
        Ok(())
    }

    /// Tells what went along, with its own joints, and what stayed where it was.
    fn take_along(&mut self, number: usize) -> Result<(), WorkshopError> {
        let (room, then) = (self.room, self.room_of(self.draft)?);
        let moved = |piece: &Piece| !piece.followed(&room.dress.body)[number].vertices.is_empty();
        let mut stay = Vec::new();
        for (index, (before, after)) in room.dress.pieces.iter().zip(&then.dress.pieces).enumerate() {
            if moved(before) {
                self.draft.notes.push(moved_note(&before.name, &before.rest, &after.rest));
                self.draft.carry_joints(room, index, &before.rest, &after.rest);
            } else if !self.room.piece_state(index).follows_shape(&room.dress.body.morphs[number].name) {
                stay.push(before.name.as_str());
            }
        }
        if !stay.is_empty() {
            let note = format!("stay where they are, as they do not follow it: {}", stay.join(", "));
            self.draft.notes.push(note);
        }
        Ok(())
    }
}
