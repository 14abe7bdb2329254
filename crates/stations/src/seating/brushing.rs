//! Hand work with a brush.

use crate::seating::in_shape::InShape;
use crate::seating::posed_cloth::{PosedCloth, PosedClothOfRoom};
use glam::Vec3;
use tin_cloak_core::mend::{keep_rigid, move_with_partners};
use tin_cloak_core::seat::{dab, Brush, Stroke};
use tin_cloak_core::units::from_mm;
use tin_cloak_formats::PieceKind;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::stroke::BrushStroke;

/// A stroke on a piece.
pub trait StrokeOnPiece {
    /// Positions of `piece` (before any pose) after the pass over it as it is `now`; `cloth` is the piece in the pose
    /// that it works in, where it does.
    ///
    /// # Errors
    /// When the piece is stiff, a number makes no sense or a vertex is not there.
    fn applied(
        &self,
        piece: &Piece,
        now: &[Vec3],
        cloth: Option<&PosedCloth>,
    ) -> Result<Vec<Vec3>, WorkshopError>;
}

impl StrokeOnPiece for BrushStroke {
    fn applied(
        &self,
        piece: &Piece,
        now: &[Vec3],
        cloth: Option<&PosedCloth>,
    ) -> Result<Vec<Vec3>, WorkshopError> {
        if piece.kind == PieceKind::Stiff {
            return Err(WorkshopError::StiffIsNotEased { piece: piece.name.clone() });
        }
        let strength = match self.stroke {
            Stroke::Smooth => self.strength * 0.01,
            _ => from_mm(self.strength),
        };
        let firm = self.firm_percent * 0.01;
        if !(0.0..=1.0).contains(&strength) || !(0.0..=1.0).contains(&firm) {
            return Err(WorkshopError::BadBrush);
        }
        let brush = Brush { stroke: self.stroke, radius: self.reach.radius(), strength, firm };
        let mut positions = now.to_vec();
        let centres = self.reach.centres(&piece.rest, piece.plane)?;
        match cloth {
            None => centres.into_iter().for_each(|centre| {
                dab(&mut positions, &piece.topology, centre, brush);
            }),
            Some(cloth) => dabs_in_pose(piece, cloth, &centres, brush, &mut positions),
        }
        if piece.walls().away_from_body.is_some() {
            both_walls(piece, now, &mut positions);
        }
        keep_rigid(&rigid_parts(piece), now, &mut positions, f32::INFINITY);
        Ok(positions)
    }
}

/// Dabs on the cloth as posed, each vertex carried back through its own transform.
fn dabs_in_pose(piece: &Piece, cloth: &PosedCloth, centres: &[u32], brush: Brush, positions: &mut [Vec3]) {
    let before = cloth.posed(positions);
    let mut posed = before.clone();
    let mut moved: Vec<u32> =
        centres.iter().flat_map(|centre| dab(&mut posed, &piece.topology, *centre, brush)).collect();
    moved.sort_unstable();
    moved.dedup();
    for v in moved.into_iter().map(|v| v as usize).filter(|v| posed[*v] != before[*v]) {
        positions[v] = cloth.carried_back(v, positions[v], posed[v]);
    }
}

/// Takes the wall of a plate that the brush did not touch along with the one that it did.
pub(super) fn both_walls(piece: &Piece, now: &[Vec3], positions: &mut [Vec3]) {
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

/// Asked of a room: the cloth that a stroke works on.
pub trait StrokeClothOfRoom {
    /// The piece as the pose shows it that a stroke works in; none when it works at rest.
    ///
    /// # Errors
    /// As for [`PosedClothOfRoom::posed_cloth`].
    fn stroke_cloth(
        &self,
        index: usize,
        stroke: &BrushStroke,
        into: Option<&InShape>,
    ) -> Result<Option<PosedCloth>, WorkshopError>;
}

impl StrokeClothOfRoom for Room {
    fn stroke_cloth(
        &self,
        index: usize,
        stroke: &BrushStroke,
        into: Option<&InShape>,
    ) -> Result<Option<PosedCloth>, WorkshopError> {
        stroke.in_pose.as_ref().map(|pose| self.posed_cloth(index, pose, into)).transpose()
    }
}
