//! What is chosen of a piece is moved by hand, at rest or in a pose, in its shape at rest or in another one.

use crate::making::carried::Turned;
use crate::making::doing::Doing;
use crate::seating::brushing::both_walls;
use crate::seating::easing::moved_note;
use crate::seating::in_shape::{InShape, InShapeOfRoom};
use crate::seating::posed_cloth::{PosedCloth, PosedClothOfRoom};
use glam::Vec3;
use tin_cloak_core::mend::keep_rigid;
use tin_cloak_core::seat::{mirror_places, moved_by, with_mirror_image};
use tin_cloak_model::dress::chosen::{faded, Choosing};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::placing::MoveOptions;
use tin_cloak_model::state::stroke::{Chosen, StrokePose};

/// A move of what is chosen of a piece.
pub struct MovedOnPiece<'a> {
    pub chosen: &'a Chosen,
    pub options: MoveOptions,
    /// The pose that it is moved in; at rest where there is none.
    pub in_pose: Option<&'a StrokePose>,
    /// The shape of the piece that changes, by name.
    pub into: Option<&'a str>,
}

/// Where a move leads.
pub struct Moved {
    pub shape: Option<InShape>,
    pub cloth: Option<PosedCloth>,
    /// The piece (before any pose) as it is, and as it will be.
    pub now: Vec<Vec3>,
    pub next: Vec<Vec3>,
    /// How much of the move each vertex gets.
    pub shares: Vec<f32>,
}

/// Asked of a room: where a move of what is chosen leads.
pub trait MovedOfRoom {
    /// # Errors
    /// When nothing is chosen, a number makes no sense, or the pose or the shape is not there.
    fn moved(&self, index: usize, by: &MovedOnPiece) -> Result<Moved, WorkshopError>;
}

impl MovedOfRoom for Room {
    fn moved(&self, index: usize, by: &MovedOnPiece) -> Result<Moved, WorkshopError> {
        let (piece, body) = (&self.dress.pieces[index], &self.dress.body);
        let go = by.options.checked()?;
        let chosen = Choosing::on(piece, body).chosen(by.chosen)?;
        let shares = faded(piece, &chosen, by.options.fade, by.options.fade_mm);
        let shape = by.into.map(|name| self.in_shape(index, name)).transpose()?;
        let cloth = by.in_pose.map(|pose| self.posed_cloth(index, pose, shape.as_ref())).transpose()?;
        let now = shape.as_ref().map_or_else(|| piece.rest.to_vec(), |s| s.positions.clone());
        let topology = &piece.topology;
        let mut moves = match &cloth {
            None => moved_by(&now, topology, &shares, &go),
            Some(cloth) => {
                let posed = cloth.posed(&now);
                let there = moved_by(&posed, topology, &shares, &go);
                let back = |v: usize| match there[v] {
                    Vec3::ZERO => Vec3::ZERO,
                    far => cloth.carried_back(v, now[v], posed[v] + far) - now[v],
                };
                (0..now.len()).map(back).collect()
            }
        };
        if by.options.both_sides {
            let places = mirror_places(&piece.rest, topology, body.plane());
            moves = with_mirror_image(&places, &shares, &moves);
        }
        let mut next: Vec<Vec3> = now.iter().zip(&moves).map(|(p, m)| *p + *m).collect();
        if piece.walls().away_from_body.is_some() {
            both_walls(piece, &now, &mut next);
        }
        keep_rigid(&rigid_parts(piece), &now, &mut next, f32::INFINITY);
        Ok(Moved { shape, cloth, now, next, shares })
    }
}

impl Doing<'_> {
    pub fn move_chosen(
        &mut self,
        piece: PieceId,
        chosen: &Chosen,
        options: MoveOptions,
        in_pose: Option<&StrokePose>,
        into: Option<&str>,
    ) -> Result<String, WorkshopError> {
        let by = &MovedOnPiece { chosen, options, in_pose, into };
        let (index, worn) = self.worn_piece(piece)?;
        let name = worn.name.clone();
        let moved = self.room.moved(index, by)?;
        let mut into = String::new();
        match &moved.shape {
            None => self.reseat(index, &moved.next, &Turned::Not)?,
            Some(shape) => {
                self.draft.notes.push(moved_note(&name, &moved.now, &moved.next));
                self.keep_in_shape(index, piece, shape, &moved.next)?;
                into = format!(" in the shape {}", shape.name);
            }
        }
        let pose = by.in_pose.and_then(|p| self.room.trials.trials.get(p.pose));
        let pose = pose.map_or(String::new(), |p| format!(", in {}", p.label()));
        let both = if by.options.both_sides { ", both sides" } else { "" };
        Ok(format!("Move what is chosen of {name}{into}{pose}{both}"))
    }
}
