//! Tests of `mesh/alignment.rs`.

use proptest::prelude::*;
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::mesh::*;

proptest! {
    #[test]
    fn a_move_is_found_again_for_solids_and_flat_sheets(
        angles in prop::array::uniform3(-3.0f32..3.0),
        flat in prop::bool::ANY,
        scale in 0.2f32..3.0,
    ) {
        let turn = Quat::from_euler(tin_cloak_core::glam::EulerRot::XYZ, angles[0], angles[1], angles[2]);
        let from: Vec<Vec3> = (0..30)
            .map(|i| {
                let (x, y, z) = (i as f32 * 0.37 % 1.0, i as f32 * 0.71 % 1.0, i as f32 * 0.53 % 1.0);
                Vec3::new(x, y, if flat { 0.0 } else { z })
            })
            .collect();
        let shift = Vec3::new(0.3, -1.0, 2.0);
        let to: Vec<Vec3> = from.iter().map(|p| turn * (*p * scale) + shift).collect();
        let found = Alignment::between(&from, &to);
        for (p, q) in from.iter().zip(&to) {
            prop_assert!(found.matrix().transform_point3(*p).distance(*q) < 2e-4);
        }
    }
}
