//! Which vertices of a piece a step works on.

use crate::dress::piece::Piece;
use crate::error::WorkshopError;
use crate::state::stroke::Chosen;
use crate::state::stroke::Reach;
use glam::Vec3;
use tin_cloak_core::mesh::{along_edges, Topology};
use tin_cloak_core::query::Bvh;

/// A pass has no more dabs than this.
const MOST_DABS: usize = 2000;

impl Reach {
    /// The places on a mesh at `rest` where it was set down, mirror images included.
    ///
    /// # Errors
    /// When the radius makes no sense or a vertex is not there.
    pub(crate) fn centres(&self, rest: &[Vec3]) -> Result<Vec<u32>, WorkshopError> {
        if !(0.5..=500.0).contains(&self.radius_mm) || self.dabs.len() > MOST_DABS {
            return Err(WorkshopError::BadBrush);
        }
        let radius = self.radius();
        let partners = self.mirrored.then(|| Bvh::over_points(rest));
        let mut centres = Vec::with_capacity(self.dabs.len());
        for &centre in &self.dabs {
            let missing = WorkshopError::Missing { what: "vertex", id: i64::from(centre) };
            let image = *rest.get(centre as usize).ok_or(missing)? * Vec3::new(-1.0, 1.0, 1.0);
            centres.push(centre);
            // On the middle itself one dab is enough.
            let far = image.x.abs() > radius * 0.25;
            let other = partners.as_ref().filter(|_| far).and_then(|t| t.closest(image, radius));
            centres.extend(other.map(|o| o.triangle));
        }
        Ok(centres)
    }

    pub(crate) fn radius(&self) -> f32 {
        self.radius_mm * 0.001
    }

    /// Which vertices of `piece` it touched.
    ///
    /// # Errors
    /// When the radius makes no sense or a vertex is not there.
    pub(crate) fn vertices(&self, piece: &Piece) -> Result<Vec<bool>, WorkshopError> {
        self.vertices_of(&piece.rest, &piece.topology)
    }

    /// The same of any mesh at rest (welded).
    pub(crate) fn vertices_of(&self, rest: &[Vec3], topology: &Topology) -> Result<Vec<bool>, WorkshopError> {
        let mut touched = vec![false; rest.len()];
        let centres = self.centres(rest)?;
        let reached = along_edges(rest, &topology.neighbours, &centres, self.radius());
        reached.into_iter().for_each(|(v, _)| touched[v as usize] = true);
        Ok(touched)
    }
}

/// Which vertices of a piece are chosen.
///
/// # Errors
/// When the brush reaches nowhere.
pub(crate) fn chosen_vertices(piece: &Piece, chosen: &Chosen) -> Result<Vec<bool>, WorkshopError> {
    match chosen {
        Chosen::Everything => Ok(vec![true; piece.rest.len()]),
        Chosen::Around(reach) => reach.vertices(piece),
    }
}
