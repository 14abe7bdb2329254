//! Relaxing a piece: it is given back the shape that it came in, at rest or in a shape that it follows.

use crate::making::carried::Turned;
use crate::making::doing::Doing;
use crate::seating::easing::moved_note;
use crate::seating::ground::Ground;
use crate::seating::in_shape::InShapeOfRoom;
use glam::Vec3;
use tin_cloak_core::mend::move_with_partners;
use tin_cloak_core::seat::{relax, shape_change, Relaxed, Relaxing, ShapeChange};
use tin_cloak_formats::PieceKind;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::placing::RelaxOptions;
use tin_cloak_model::state::stroke::Chosen;

impl Doing<'_> {
    pub fn relax(
        &mut self,
        piece: PieceId,
        chosen: &Chosen,
        options: RelaxOptions,
        shape: Option<&str>,
    ) -> Result<String, WorkshopError> {
        let (room, index) = (self.room, self.room.find(piece)?);
        let worn = &room.dress.pieces[index];
        if worn.kind == PieceKind::Stiff {
            return Err(WorkshopError::StiffIsNotEased { piece: worn.name.clone() });
        }
        let (how, name) = (options.checked()?, worn.name.clone());
        let vertices = Choosing::on(worn, &room.dress.body).chosen(chosen)?;
        let part = if *chosen == Chosen::Everything { "" } else { "part of " };
        let percent = options.percent;
        match shape {
            None => {
                let came = self.came_in(worn, piece)?;
                let ground = Ground::beneath(&room.dress, index);
                let rest = relaxed(worn, &came, &worn.rest, &ground, &vertices, how)?;
                self.tell(worn, &came, &worn.rest, &rest, &vertices);
                self.draft.reseat(room, index, &rest, &Turned::Not)?;
                Ok(format!("Relax {part}{name} by {percent:.0} %, {} times", options.times))
            }
            Some(shape) => {
                self.relax_in_shape(index, piece, shape, &vertices, how)?;
                Ok(format!(
                    "Relax {part}{name} in the shape {shape} by {percent:.0} %, {} times",
                    options.times
                ))
            }
        }
    }

    /// The shape that a piece has in its file, with as much of its own shapes as it wears.
    pub fn came_in(&self, worn: &Piece, piece: PieceId) -> Result<Vec<Vec3>, WorkshopError> {
        let blob = |id: &_| self.draft.blob(self.store, id);
        let state = self.room.piece_state(self.room.find(piece)?);
        let came = self.decoder.piece(&blob, state)?;
        let as_it_came =
            (*came).clone().carrying(worn.carried.clone(), &self.room.dress.body).wearing(&worn.amounts);
        Ok(as_it_came.rest.to_vec())
    }

    fn relax_in_shape(
        &mut self,
        index: usize,
        piece: PieceId,
        name: &str,
        chosen: &[bool],
        how: Relaxing,
    ) -> Result<(), WorkshopError> {
        let worn = &self.room.dress.pieces[index];
        let shape = self.room.in_shape(index, name)?;
        let ground = self.room.ground_in(index, &shape);
        let next = relaxed(worn, &worn.rest, &shape.positions, &ground, chosen, how)?;
        self.tell(worn, &worn.rest, &shape.positions, &next, chosen);
        self.keep_in_shape(index, piece, &shape, &next)
    }

    fn tell(&mut self, piece: &Piece, shape: &[Vec3], was: &[Vec3], is: &[Vec3], chosen: &[bool]) {
        let change = |now: &[Vec3]| shape_change(&piece.topology, shape, now, chosen);
        self.draft.notes.push(moved_note(&piece.name, was, is));
        self.draft.notes.push(change_note(&piece.name, change(was), change(is)));
    }
}

/// How far a piece is from the shape that it came in, before and after something was done.
pub fn change_note(name: &str, was: ShapeChange, is: ShapeChange) -> String {
    format!(
        "{name}, off its shape: edges by {:.1} % → {:.1} %, bends by {:.1}° → {:.1}° on the mean",
        was.strain * 100.0,
        is.strain * 100.0,
        was.bend_degrees,
        is.bend_degrees
    )
}

fn relaxed(
    piece: &Piece,
    shape: &[Vec3],
    positions: &[Vec3],
    ground: &Ground,
    chosen: &[bool],
    how: Relaxing,
) -> Result<Vec<Vec3>, WorkshopError> {
    let side = &piece.walls().towards_body;
    let (topology, rigid) = (&*piece.topology, &rigid_parts(piece)[..]);
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    let what = Relaxed { positions, shape, topology, side, chosen, rigid };
    let mut next = relax(what, ground.covering(), how).map_err(fail)?;
    if piece.walls().away_from_body.is_some() {
        move_with_partners(&side.measured_partners(positions), positions, &mut next);
    }
    Ok(next)
}
