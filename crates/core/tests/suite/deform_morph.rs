//! Tests of `deform/morph.rs`.

use tin_cloak_core::deform::*;
use tin_cloak_core::glam::Vec3;

#[test]
fn sparse_and_dense_are_the_same() {
    let dense = [Vec3::ZERO, Vec3::X, Vec3::ZERO, Vec3::Y];
    let morph = Morph::from_dense("stout".into(), &dense);
    assert_eq!(morph.vertices, [1, 3]);
    assert_eq!(morph.to_dense(4), dense);
    let mut positions = [Vec3::ONE; 4];
    add_morphs(&mut positions, &[morph], &[0.5]);
    assert_eq!(positions[3], Vec3::new(1.0, 1.5, 1.0));
}
