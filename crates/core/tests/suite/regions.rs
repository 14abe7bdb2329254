//! Tests of `regions.rs`.

use tin_cloak_core::regions::*;
use tin_cloak_core::JointId;

#[test]
fn regions_that_touch_have_different_colours() {
    // A ring of six regions, all of which touch a seventh in the middle.
    let main: Vec<JointId> = (0..7).map(JointId).collect();
    let ring = (0..6u32).map(|i| [i, (i + 1) % 6]);
    let edges: Vec<[u32; 2]> = ring.chain((0..6).map(|i| [i, 6])).collect();
    let colours = region_colours(9, &[(&edges, &main)], 8);
    assert!(edges.iter().all(|[a, b]| colours[*a as usize] != colours[*b as usize]));
    assert_eq!(colours.len(), 9);
}
