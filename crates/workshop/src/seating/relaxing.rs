//! Relaxing a piece: it is given back the shape that it came in, at rest or in a shape that it follows.

use crate::dress::chosen::Choosing;
use crate::dress::piece::Piece;
use crate::dress::stiff_parts::rigid_parts;
use crate::error::WorkshopError;
use crate::making::carried::Turned;
use crate::making::doing::Doing;
use crate::seating::easing::moved_note;
use crate::seating::ground::Ground;
use crate::state::names::PieceId;
use crate::state::placing::RelaxOptions;
use crate::state::stroke::Chosen;
use glam::Vec3;
use tin_cloak_core::mend::move_with_partners;
use tin_cloak_core::seat::{relax, shape_change, Relaxed, Relaxing, ShapeChange};
use tin_cloak_formats::PieceKind;

/// More often than this brings nothing.
const MOST_TIMES: usize = 50;

impl RelaxOptions {
    fn checked(self) -> Result<Relaxing, WorkshopError> {
        let sane = (1.0..=100.0).contains(&self.percent)
            && (1..=MOST_TIMES).contains(&self.times)
            && (0.0..=50.0).contains(&self.clear_mm);
        let (strength, clear) = (self.percent * 0.01, self.clear_mm * 0.001);
        sane.then_some(Relaxing { strength, times: self.times, clear }).ok_or(WorkshopError::BadRelax)
    }
}

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
                let rest = relaxed(worn, (&came, &worn.rest), &ground, (&vertices, how))?;
                self.tell((worn, &came), (&worn.rest, &rest), &vertices);
                self.draft.reseat(room, index, &rest, &Turned::Not)?;
                Ok(format!("Relax {part}{name} by {percent:.0} %, {} times", options.times))
            }
            Some(shape) => {
                self.relax_in_shape((index, piece), shape, (&vertices, how))?;
                Ok(format!(
                    "Relax {part}{name} in the shape {shape} by {percent:.0} %, {} times",
                    options.times
                ))
            }
        }
    }

    /// The shape that a piece has in its file, with as much of its own shapes as it wears.
    pub(crate) fn came_in(&self, worn: &Piece, piece: PieceId) -> Result<Vec<Vec3>, WorkshopError> {
        let blob = |id: &_| self.draft.blob(self.store, id);
        let state = self.room.piece_state(self.room.find(piece)?);
        let came = self.decoder.piece(&blob, state)?;
        let as_it_came = (*came).clone().wearing(&worn.amounts);
        Ok(as_it_came.rest.to_vec())
    }

    fn relax_in_shape(
        &mut self,
        (index, piece): (usize, PieceId),
        name: &str,
        (chosen, how): (&[bool], Relaxing),
    ) -> Result<(), WorkshopError> {
        let worn = &self.room.dress.pieces[index];
        let shape = self.room.in_shape(index, name)?;
        let ground = self.room.ground_in(index, &shape);
        let next = relaxed(worn, (&worn.rest, &shape.positions), &ground, (chosen, how))?;
        self.tell((worn, &worn.rest), (&shape.positions, &next), chosen);
        self.keep_in_shape((index, piece), &shape, &next)
    }

    fn tell(&mut self, (piece, shape): (&Piece, &[Vec3]), (was, is): (&[Vec3], &[Vec3]), chosen: &[bool]) {
        let change = |now: &[Vec3]| shape_change(&piece.topology, (shape, now), chosen);
        self.draft.notes.push(moved_note(&piece.name, was, is));
        self.draft.notes.push(change_note(&piece.name, change(was), change(is)));
    }
}

/// How far a piece is from the shape that it came in, before and after something was done.
pub(crate) fn change_note(name: &str, was: ShapeChange, is: ShapeChange) -> String {
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
    (shape, positions): (&[Vec3], &[Vec3]),
    ground: &Ground,
    (chosen, how): (&[bool], Relaxing),
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
