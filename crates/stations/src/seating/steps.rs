//! Steps that put a piece where it belongs at rest.

use crate::making::carried::Turned;
use crate::making::doing::{Doing, Phase};
use crate::seating::brushing::StrokeClothOfRoom;
use crate::seating::brushing::StrokeOnPiece;
use crate::seating::easing::{eased, moved_note};
use crate::seating::in_shape::InShapeOfRoom;
use crate::seating::modelled_pose::{carried_to_rest, pose_notes, pose_of_piece};
use glam::Vec3;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::placing::{EaseOptions, PlaceOptions};
use tin_cloak_model::state::stroke::BrushStroke;
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::turn::Turn;

impl Doing<'_> {
    pub fn place(&mut self, piece: PieceId, options: PlaceOptions) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let placement = options.placement(&self.room.dress, worn)?;
        let rest: Vec<Vec3> = worn.rest.iter().map(|p| placement.apply(*p)).collect();
        let name = worn.name.clone();
        self.reseat(index, &rest, &Turned::By(placement.linear()))?;
        // Moved or turned as a whole it is the same thing elsewhere; sized, or brought to another
        // joint, it lies over something else.
        let same = placement.is_rigid() && options.onto.is_none();
        let weights = if same { self.weights_stay(piece)? } else { self.bound_again(piece)? };
        Ok(format!("Place {name}{weights}"))
    }

    /// New rest positions, with how far they moved.
    pub(super) fn reseat(
        &mut self,
        index: usize,
        rest: &[Vec3],
        turned: &Turned,
    ) -> Result<(), WorkshopError> {
        let worn = &self.room.dress.pieces[index];
        self.draft.notes.push(moved_note(&worn.name, &worn.rest, rest));
        self.draft.reseat(self.room, index, rest, turned)?;
        Ok(())
    }

    pub fn find_pose(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let name = worn.name.clone();
        let dress = &self.room.dress;
        let phase = Phase { job: self.job, from: 0.0, to: 0.8 };
        let (found, joints) = pose_of_piece(dress, index, &|s| phase.tell(s))?;
        let rest = carried_to_rest(dress, index, &found.pose)?;
        self.draft.notes.extend(pose_notes(dress, &found, &joints));
        self.draft.reseat(self.room, index, &rest, &Turned::Locally)?;
        let weights = self.bound_again(piece)?;
        Ok(format!("Find the pose of {name} and take it to rest{weights}"))
    }

    pub fn seat_from_pose(
        &mut self,
        piece: PieceId,
        pose: usize,
        turns: &[Turn],
    ) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let name = worn.name.clone();
        let rest = carried_to_rest(&self.room.dress, index, &self.room.pose_of(pose, turns)?)?;
        self.reseat(index, &rest, &Turned::Locally)?;
        let weights = self.bound_again(piece)?;
        Ok(format!("Take {name} from the pose set by hand to rest{weights}"))
    }

    pub fn wear_shape(&mut self, piece: PieceId, shape: usize, amount: f32) -> Result<String, WorkshopError> {
        let (room, index) = (self.room, self.worn_piece(piece)?.0);
        let worn = &room.dress.pieces[index];
        let amounts = worn.with_amount(shape, amount)?;
        let (name, shape) = (worn.name.clone(), worn.shapes[shape].name.clone());
        let rest = worn.clone().wearing(&amounts).rest;
        self.draft.notes.push(moved_note(&name, &worn.rest, &rest));
        self.draft.carry_joints(room, index, &worn.rest, &rest);
        self.draft.piece(piece)?.amounts = amounts;
        let weights = self.weights_stay(piece)?;
        Ok(format!("Wear {name} with {:.0} % of its shape {shape}{weights}", amount * 100.0))
    }

    pub fn ease(
        &mut self,
        piece: PieceId,
        chosen: &Chosen,
        options: EaseOptions,
    ) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let name = worn.name.clone();
        let vertices = Choosing::on(worn, &self.room.dress.body).chosen(chosen)?;
        let rest = eased(&self.room.dress, index, &vertices, options)?;
        self.reseat(index, &rest, &Turned::Not)?;
        let part = if *chosen == Chosen::Everything { "" } else { "part of " };
        Ok(match options.most_mm {
            None => format!("Ease {part}{name} off to {} mm", options.least_mm),
            Some(most) => format!("Bring {part}{name} to between {} and {most} mm", options.least_mm),
        })
    }

    pub fn brush(&mut self, piece: PieceId, stroke: &BrushStroke) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let name = worn.name.clone();
        let shape = stroke.into_shape.as_ref().map(|name| self.room.in_shape(index, name)).transpose()?;
        let cloth = self.room.stroke_cloth(index, stroke, shape.as_ref())?;
        let now = shape.as_ref().map_or(&*worn.rest, |s| &s.positions);
        let next = stroke.applied(worn, now, cloth.as_ref())?;
        let mut into = String::new();
        match &shape {
            None => self.reseat(index, &next, &Turned::Not)?,
            Some(shape) => {
                self.draft.notes.push(moved_note(&worn.name, now, &next));
                self.keep_in_shape(index, piece, shape, &next)?;
                into = format!(" in the shape {}", shape.name);
            }
        }
        let pose = stroke.in_pose.as_ref().and_then(|p| self.room.trials.trials.get(p.pose));
        Ok(format!(
            "{} {name}{into}{}",
            stroke.word(),
            pose.map_or(String::new(), |p| format!(", in {}", p.label()))
        ))
    }
}
