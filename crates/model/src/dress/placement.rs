//! Moving, turning and sizing a piece.

use crate::dress::dressed::Dress;
use crate::dress::piece::Piece;
use crate::error::WorkshopError;
use crate::state::placing::PlaceOptions;
use glam::Vec3;
use tin_cloak_core::seat::Placement;
use tin_cloak_core::units::from_mm;

impl PlaceOptions {
    /// The placement of `piece`.
    ///
    /// # Errors
    /// When a number is not one, a size is not above 0, or the joint is not there.
    pub fn placement(&self, dress: &Dress, piece: &Piece) -> Result<Placement, WorkshopError> {
        let all = self.shift_mm.iter().chain(&self.turn_degrees).chain(&self.size_percent);
        if !all.clone().all(|x| x.is_finite()) || self.size_percent.iter().any(|s| *s < 0.01 || *s > 1e6) {
            return Err(WorkshopError::BadPlacement);
        }
        let places = dress.body.skeleton.rest_positions();
        let joint = |joint: u16| {
            let missing = WorkshopError::Missing { what: "joint", id: i64::from(joint) };
            places.get(usize::from(joint)).copied().ok_or(missing)
        };
        let (low, high) = tin_cloak_core::mesh::bounds(&piece.rest);
        let own = (low + high) * 0.5;
        let middle = self.about.map_or(Ok(own), joint)?;
        let snap = self.onto.map_or(Ok(own), joint)? - own;
        let [x, y, z] = self.turn_degrees.map(f32::to_radians);
        Ok(Placement {
            middle,
            shift: from_mm(Vec3::from(self.shift_mm)) + snap,
            turn: glam::Quat::from_euler(glam::EulerRot::ZYX, z, y, x),
            scale: Vec3::from(self.size_percent) * 0.01,
        })
    }
}
