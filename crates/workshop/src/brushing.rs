//! Hand work with a brush, as steps keep it.

use crate::{Piece, Room, ViewPart, WorkshopError};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_core::query::Tree;
use tin_cloak_core::seat::{dab, Brush, Stroke};

/// One pass of the brush: the dabs in order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BrushStroke {
    /// What it does.
    pub stroke: Stroke,
    /// How far it reaches along the cloth, millimetres.
    pub radius_mm: f32,
    /// Millimetres a dab moves its middle, or percent of the way when smoothing.
    pub strength: f32,
    /// Welded vertices at which it was set down.
    pub dabs: Vec<u32>,
    /// Also on the mirror image of each place.
    pub mirrored: bool,
}

/// A pass has no more dabs than this.
const MOST_DABS: usize = 2000;

impl BrushStroke {
    /// What it does, as a step begins.
    pub fn word(&self) -> &'static str {
        match self.stroke {
            Stroke::PullOut => "Pull out",
            Stroke::PushIn => "Push in",
            Stroke::Smooth => "Smooth",
        }
    }

    /// Rest positions of `piece` after the pass.
    ///
    /// # Errors
    /// When a number makes no sense or a vertex is not there.
    pub fn applied(&self, piece: &Piece) -> Result<Vec<Vec3>, WorkshopError> {
        let strength = match self.stroke {
            Stroke::Smooth => self.strength * 0.01,
            _ => self.strength * 0.001,
        };
        let sane = (0.5..=500.0).contains(&self.radius_mm) && (0.0..=1.0).contains(&strength);
        if !sane || self.dabs.len() > MOST_DABS {
            return Err(WorkshopError::BadBrush);
        }
        let brush = Brush { stroke: self.stroke, radius: self.radius_mm * 0.001, strength };
        let topology = &piece.topology;
        let partners = self.mirrored.then(|| Tree::over_points(&piece.rest));
        let mut positions = piece.rest.clone();
        for &centre in &self.dabs {
            if centre as usize >= positions.len() {
                return Err(WorkshopError::Missing { what: "vertex", id: i64::from(centre) });
            }
            dab(&mut positions, topology, centre, brush);
            let image = piece.rest[centre as usize] * Vec3::new(-1.0, 1.0, 1.0);
            // On the middle itself one dab is enough.
            let far = image.x.abs() > brush.radius * 0.25;
            if let Some(other) =
                partners.as_ref().filter(|_| far).and_then(|t| t.closest(image, brush.radius))
            {
                dab(&mut positions, topology, other.triangle, brush);
            }
        }
        Ok(positions)
    }
}

impl Room {
    /// A piece at rest as a pass of the brush would leave it, with its gaps (millimetres) to what
    /// lies beneath.
    ///
    /// # Errors
    /// When the piece is not there or the pass makes no sense.
    pub fn brush_view(&self, piece: u32, stroke: &BrushStroke) -> Result<ViewPart, WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        let index = self.index_of(piece).ok_or(missing)?;
        let worn = &self.dress.pieces[index];
        let rest = stroke.applied(worn)?;
        let gaps = self.ground(index).gaps_at(worn, &rest);
        let map: Vec<f32> = gaps.iter().map(|g| g.map_or(f32::NAN, |g| g.clearance * 1000.0)).collect();
        let weld = &worn.topology.weld;
        let positions = weld.scatter(&rest);
        let normals = worn.shading.normals(&positions);
        Ok(ViewPart { id: piece, positions, normals, map: Some(weld.scatter(&map)) })
    }
}
