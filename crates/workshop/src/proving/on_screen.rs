//! Where a layer is on the screen.

use glam::{Mat4, Vec3};
use tin_cloak_core::clearance::Layer;

/// Its welded vertices under the joints' matrices, with so much of each shape.
pub(super) fn posed_here(layer: &Layer, matrices: &[Mat4], amounts: &[f32]) -> Vec<Vec3> {
    let mut posed = vec![Vec3::ZERO; layer.rest.len()];
    layer.pose_into(matrices, amounts, &mut Vec::new(), &mut posed);
    posed
}
