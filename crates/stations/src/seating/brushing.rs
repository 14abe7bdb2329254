//! Hand work with a brush.

use crate::seating::ground::GroundOfRoom;
use crate::seating::in_shape::InShapeOfRoom;
use glam::{Mat4, Vec3};
use serde::Serialize;
use std::sync::Arc;
use tin_cloak_core::deform::{blended_matrix, linear_blend};
use tin_cloak_core::mend::{keep_rigid, move_with_partners};
use tin_cloak_core::seat::{dab, Brush, Gap, Stroke};
use tin_cloak_formats::PieceKind;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::shading::ViewPart;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
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
    /// With its gaps; in a pose without.
    pub part: ViewPart,
    /// Under the brush, before the pass.
    pub before: UnderBrush,
    /// And after it.
    pub after: UnderBrush,
}

/// A stroke on a piece.
pub trait StrokeOnPiece {
    /// Positions of `piece` (before any pose) after the pass over it as it is `now`; `matrices` (one a joint) are those
    /// of the pose it works in, where it does.
    ///
    /// # Errors
    /// When the piece is stiff, or not bound and yet to be brushed in a pose, a number makes no sense or a vertex is
    /// not there.
    fn applied(
        &self,
        piece: &Piece,
        now: &[Vec3],
        matrices: Option<&[Mat4]>,
    ) -> Result<Vec<Vec3>, WorkshopError>;
}

impl StrokeOnPiece for BrushStroke {
    fn applied(
        &self,
        piece: &Piece,
        now: &[Vec3],
        matrices: Option<&[Mat4]>,
    ) -> Result<Vec<Vec3>, WorkshopError> {
        if piece.kind == PieceKind::Stiff {
            return Err(WorkshopError::StiffIsNotEased { piece: piece.name.clone() });
        }
        let strength = match self.stroke {
            Stroke::Smooth => self.strength * 0.01,
            _ => self.strength * 0.001,
        };
        let firm = self.firm_percent * 0.01;
        if !(0.0..=1.0).contains(&strength) || !(0.0..=1.0).contains(&firm) {
            return Err(WorkshopError::BadBrush);
        }
        let brush = Brush { stroke: self.stroke, radius: self.reach.radius(), strength, firm };
        let mut positions = now.to_vec();
        let centres = self.reach.centres(&piece.rest, piece.plane)?;
        match matrices {
            None => centres.into_iter().for_each(|centre| {
                dab(&mut positions, &piece.topology, centre, brush);
            }),
            Some(matrices) => dabs_in_pose(piece, matrices, (&centres, brush), &mut positions)?,
        }
        if piece.walls().away_from_body.is_some() {
            both_walls(piece, now, &mut positions);
        }
        keep_rigid(&rigid_parts(piece), now, &mut positions, f32::INFINITY);
        Ok(positions)
    }
}

/// Dabs on the cloth as posed, each vertex carried back to rest through its own transform.
fn dabs_in_pose(
    piece: &Piece,
    matrices: &[Mat4],
    (centres, brush): (&[u32], Brush),
    rest: &mut [Vec3],
) -> Result<(), WorkshopError> {
    let skin = &piece.bound.as_ref().ok_or(WorkshopError::BindFirst)?.skin;
    let mut posed = rest.to_vec();
    linear_blend(rest, skin, matrices, &mut posed);
    let mut moved: Vec<u32> =
        centres.iter().flat_map(|centre| dab(&mut posed, &piece.topology, *centre, brush)).collect();
    moved.sort_unstable();
    moved.dedup();
    for v in moved.into_iter().map(|v| v as usize) {
        let back = blended_matrix(skin, v, matrices).inverse().transform_point3(posed[v]);
        // Where a blend folds flat there is no way back.
        if back.is_finite() && back.distance(rest[v]) <= FURTHEST_BACK {
            rest[v] = back;
        }
    }
    Ok(())
}

/// A dab carried back further than this is of a blend that has collapsed, metres.
const FURTHEST_BACK: f32 = 0.2;

/// Takes the wall of a plate that the brush did not touch along with the one that it did.
fn both_walls(piece: &Piece, now: &[Vec3], positions: &mut [Vec3]) {
    let partners = piece.walls().towards_body.measured_partners(&piece.rest);
    let moved = |v: usize, positions: &[Vec3]| positions[v] - now[v];
    for (v, &partner) in partners.iter().enumerate() {
        let (own, other) = (moved(v, positions), moved(partner as usize, positions));
        if own.length_squared() > other.length_squared() {
            positions[partner as usize] = now[partner as usize] + own;
        }
    }
    move_with_partners(&partners, now, positions);
}

/// Asked of a room: hand work with a brush.
pub trait BrushingOfRoom {
    /// A piece at rest as a pass of the brush would leave it, with its gaps (millimetres) to what
    /// lies beneath.
    ///
    /// # Errors
    /// When the piece is not there or the pass makes no sense.
    fn brush_view(&self, piece: u32, stroke: &BrushStroke) -> Result<BrushLook, WorkshopError>;

    /// The matrices of the joints in the pose that a stroke works in.
    fn stroke_matrices(&self, stroke: &BrushStroke) -> Result<Option<Vec<Mat4>>, WorkshopError>;
}

impl BrushingOfRoom for Room {
    fn brush_view(&self, piece: u32, stroke: &BrushStroke) -> Result<BrushLook, WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        let index = self.index_of(piece).ok_or(missing)?;
        let worn = &self.dress.pieces[index];
        let matrices = self.stroke_matrices(stroke)?;
        let touched = stroke.reach.vertices(worn)?;
        let under = |gaps: &[Option<Gap>]| under_brush(self, &touched, gaps);
        let (rest, was, gaps) = match &stroke.into_shape {
            None => {
                let rest = stroke.applied(worn, &worn.rest, matrices.as_deref())?;
                let gaps = gaps_where_moved(self, index, &rest);
                (rest, self.rest_gaps(index), gaps)
            }
            Some(name) => {
                let shape = self.in_shape(index, name)?;
                let rest = stroke.applied(worn, &shape.positions, matrices.as_deref())?;
                let ground = self.ground_in(index, &shape);
                let was = ground.gaps_at(worn, &shape.positions);
                let gaps = ground.gaps_at(worn, &rest);
                (rest, Arc::new(was), gaps)
            }
        };
        let (before, after) = (under(&was), under(&gaps));
        let part = match matrices {
            None => self.rest_part(index, &rest, &gaps),
            Some(matrices) => posed_part(self, index, &rest, &matrices)?,
        };
        Ok(BrushLook { part, before, after })
    }

    fn stroke_matrices(&self, stroke: &BrushStroke) -> Result<Option<Vec<Mat4>>, WorkshopError> {
        let Some(StrokePose { pose, turns }) = &stroke.in_pose else { return Ok(None) };
        Ok(Some(self.joints_in(*pose, turns)?.matrices))
    }
}

/// A piece in a pose with its vertices at `rest` before that.
fn posed_part(
    room: &Room,
    index: usize,
    rest: &[Vec3],
    matrices: &[Mat4],
) -> Result<ViewPart, WorkshopError> {
    let piece = &room.dress.pieces[index];
    let mut posed = rest.to_vec();
    linear_blend(rest, &piece.bound.as_ref().ok_or(WorkshopError::BindFirst)?.skin, matrices, &mut posed);
    let positions = piece.topology.weld.scatter(&posed);
    let normals = piece.shading.normals(&positions);
    Ok(ViewPart { id: room.piece_state(index).id, positions, normals, map: None })
}

/// The gaps of piece `index` with its vertices at `rest`: asked anew only where it or a
/// neighbour has moved.
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

fn under_brush(room: &Room, touched: &[bool], gaps: &[Option<Gap>]) -> UnderBrush {
    let mut under = UnderBrush::default();
    let met = gaps.iter().zip(touched).filter(|(_, t)| **t).filter_map(|(g, _)| g.as_ref());
    for depth in met.map(|g| -g.clearance * 1000.0).filter(|d| *d > room.state.tolerance_mm) {
        under.sunk += 1;
        under.deepest_mm = under.deepest_mm.max(depth);
    }
    under
}
