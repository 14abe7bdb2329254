//! What a pass of the brush or a move of what is chosen would do, before it is made.

use crate::looking::maps::MapsOfRoom;
use crate::seating::brushing::{StrokeClothOfRoom, StrokeOnPiece};
use crate::seating::ground::{mm_of, GroundOfRoom};
use crate::seating::in_shape::{InShape, InShapeOfRoom};
use crate::seating::moving::{Moved, MovedOfRoom, MovedOnPiece};
use crate::seating::posed_cloth::PosedCloth;
use glam::Vec3;
use serde::Serialize;
use tin_cloak_core::seat::Gap;
use tin_cloak_measure::measuring::posed::PosedOfRoom;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::shading::ViewPart;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::stroke::{BrushStroke, StrokePose};

/// What lies under a brush.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct UnderBrush {
    /// Vertices inside what lies beneath, beyond the tolerance.
    pub sunk: usize,
    /// The deepest of them, millimetres.
    pub deepest_mm: f32,
}

/// A piece as a pass of the brush would leave it.
#[derive(Clone, Debug)]
pub struct BrushLook {
    /// With its clearance, millimetres: at rest its gaps to all that lies beneath, in a pose what the clearance map
    /// says there.
    pub part: ViewPart,
    /// Under the brush, before the pass.
    pub before: UnderBrush,
    /// And after it.
    pub after: UnderBrush,
}

/// Asked of a room: what a pass of the brush would do, before it is made.
pub trait BrushViewOfRoom {
    /// A piece as a pass of the brush would leave it, at rest or in the pose that it works in.
    ///
    /// # Errors
    /// When the piece is not there or the pass makes no sense.
    fn brush_view(&self, piece: u32, stroke: &BrushStroke) -> Result<BrushLook, WorkshopError>;

    /// A piece as a move of what is chosen would leave it.
    ///
    /// # Errors
    /// When the piece is not there, nothing is chosen or the move makes no sense.
    fn move_view(&self, piece: u32, by: &MovedOnPiece) -> Result<BrushLook, WorkshopError>;
}

impl BrushViewOfRoom for Room {
    fn brush_view(&self, piece: u32, stroke: &BrushStroke) -> Result<BrushLook, WorkshopError> {
        let index = self.find(piece)?;
        let worn = &self.dress.pieces[index];
        let shape = stroke.into_shape.as_ref().map(|name| self.in_shape(index, name)).transpose()?;
        let cloth = self.stroke_cloth(index, stroke, shape.as_ref())?;
        let now = shape.as_ref().map_or(&*worn.rest, |s| &s.positions);
        let next = stroke.applied(worn, now, cloth.as_ref())?;
        let touched = stroke.reach.vertices(worn)?;
        looked_at(self, index, now, next, cloth.as_ref(), shape.as_ref(), &touched)
    }

    fn move_view(&self, piece: u32, by: &MovedOnPiece) -> Result<BrushLook, WorkshopError> {
        let index = self.find(piece)?;
        let Moved { shape, cloth, now, next, shares } = self.moved(index, by)?;
        let mut touched: Vec<bool> = shares.iter().map(|s| *s > 0.0).collect();
        // What goes along on the other side counts, too.
        let moves = now.iter().zip(&next).map(|(a, b)| a != b);
        touched.iter_mut().zip(moves).for_each(|(t, moves)| *t |= moves);
        looked_at(self, index, &now, next, cloth.as_ref(), shape.as_ref(), &touched)
    }
}

/// A piece that goes from `now` to `next` as its pose or shape shows it, with its clearance; `touched` are the vertices
/// that are told of.
fn looked_at(
    room: &Room,
    index: usize,
    now: &[Vec3],
    next: Vec<Vec3>,
    cloth: Option<&PosedCloth>,
    shape: Option<&InShape>,
    touched: &[bool],
) -> Result<BrushLook, WorkshopError> {
    let worn = &room.dress.pieces[index];
    let (shown, was, is) = match (cloth, shape) {
        (Some(cloth), _) => {
            let StrokePose { pose, turns, shapes } = &cloth.shown;
            let posed = room.posed_with(*pose, turns, shapes)?;
            let (now, next) = (cloth.posed(now), cloth.posed(&next));
            let was = room.clearance_moved(&posed, index, &now);
            let is = room.clearance_moved(&posed, index, &next);
            (next, was, is)
        }
        (None, Some(shape)) => {
            let ground = room.ground_in(index, shape);
            let (was, is) = (ground.gaps_at(worn, now), ground.gaps_at(worn, &next));
            (next, mm_of(&was), mm_of(&is))
        }
        (None, None) => {
            let was = room.rest_gaps(index);
            let is = gaps_where_moved(room, index, &next);
            (next, mm_of(&was), mm_of(&is))
        }
    };
    let under = |mm: &[f32]| under_brush(room.state.tolerance_mm, touched, mm);
    let (before, after) = (under(&was), under(&is));
    Ok(BrushLook { part: room.part_with_map(index, &shown, &is), before, after })
}

/// The gaps of piece `index` with its vertices at `rest`: asked anew only where it or a neighbour has moved.
fn gaps_where_moved(room: &Room, index: usize, rest: &[Vec3]) -> Vec<Option<Gap>> {
    let (worn, known) = (&room.dress.pieces[index], room.rest_gaps(index));
    let moved: Vec<bool> = rest.iter().zip(worn.rest.iter()).map(|(a, b)| a != b).collect();
    let beside = |v: &usize| worn.topology.neighbours.row(*v).iter().any(|&n| moved[n as usize]);
    let anew: Vec<usize> = (0..rest.len()).filter(|v| moved[*v] || beside(v)).collect();
    let mut gaps = known.to_vec();
    let asked = room.ground(index).gaps_of(worn, rest, &anew);
    anew.into_iter().zip(asked).for_each(|(v, gap)| gaps[v] = gap);
    gaps
}

/// `mm` is the clearance of each vertex, not a number where nothing lies beneath.
fn under_brush(tolerance_mm: f32, touched: &[bool], mm: &[f32]) -> UnderBrush {
    let depths = mm.iter().zip(touched).filter(|(_, t)| **t).map(|(mm, _)| -mm);
    depths.filter(|depth| *depth > tolerance_mm).fold(UnderBrush::default(), |under, depth| UnderBrush {
        sunk: under.sunk + 1,
        deepest_mm: under.deepest_mm.max(depth),
    })
}
