//! Tests of `dress/chosen.rs`.

use glam::Vec3;
use tin_cloak_model::state::stroke::Reach;

/// A body that stands beside the origin has its own middle, and its other side is across that.
#[test]
fn both_sides_are_across_the_bodys_own_plane() {
    let middle = 0.5;
    let rest = [0.1f32, -0.1, 0.0].map(|x| Vec3::new(middle + x, 1.0, 0.0));
    let reach = |dab: u32| Reach { radius_mm: 30.0, dabs: vec![dab], mirrored: true };
    assert_eq!(reach(0).centres(&rest, middle).unwrap(), [0, 1]);
    assert_eq!(reach(2).centres(&rest, middle).unwrap(), [2], "on the middle one is enough");
    assert_eq!(reach(0).image(&rest, middle).unwrap().dabs, [1]);
    assert_eq!(reach(0).centres(&rest, 0.0).unwrap(), [0], "nothing lies across the origin");
    assert!(reach(3).centres(&rest, middle).is_err());
}
