//! Tests of `intake/weights.rs`.

use tin_cloak_core::glam::Vec3;
use tin_cloak_core::intake::*;
use tin_cloak_core::JointId;

#[test]
fn the_nearest_held_vertex_lends_its_weights() {
    let j = JointId;
    let mut rows = vec![vec![(j(0), 1.0)], vec![], vec![(j(1), 0.5), (j(2), 0.2)], vec![(j(3), 0.0)]];
    let positions: Vec<Vec3> = [0.0, 0.4, 1.0, 0.9].map(|x| Vec3::X * x).to_vec();
    let faults = mend_weights(&mut rows, &positions);
    assert_eq!(faults, WeightFaults { weightless: vec![1, 3], unnormalised: 1 });
    assert_eq!((&rows[1], &rows[3]), (&vec![(j(0), 1.0)], &vec![(j(1), 0.5), (j(2), 0.2)]));
    // Nothing wrong, and nothing to go by.
    assert_eq!(mend_weights(&mut rows[..1], &positions[..1]), WeightFaults::default());
    assert_eq!(mend_weights(&mut [vec![]], &positions[..1]), WeightFaults::default());
}
