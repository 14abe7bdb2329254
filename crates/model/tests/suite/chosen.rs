//! Tests of `dress/chosen.rs`.

use glam::Vec3;
use tin_cloak_core::mesh::Topology;
use tin_cloak_formats::{Look, MaterialRun};
use tin_cloak_model::dress::chosen::of_material;
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

/// Two strips of one material with another between them: what is clicked takes its like along, wherever it lies.
#[test]
fn a_material_is_chosen_wherever_the_file_has_it() {
    let strip = |first: u32| [[first, first + 1, first + 2], [first + 1, first + 3, first + 2]];
    let triangles: Vec<[u32; 3]> = [0, 4, 8].into_iter().flat_map(strip).collect();
    let topology = Topology::of_welded(13, &triangles);
    let run = |first: u32, material: Option<u32>| MaterialRun { first, material };
    let look = Look { runs: vec![run(0, Some(1)), run(2, None), run(4, Some(1))], ..Look::default() };
    let chosen = |look: &Look, vertex: u32| {
        let mut list = of_material(look, &topology, vertex);
        list.sort_unstable();
        list.dedup();
        list
    };
    assert_eq!(chosen(&look, 9), [0, 1, 2, 3, 8, 9, 10, 11]);
    assert_eq!(chosen(&look, 5), [4, 5, 6, 7]);
    // A file without materials has one; a vertex without faces has none.
    assert_eq!(chosen(&Look::default(), 5).len(), 12);
    assert!(chosen(&look, 12).is_empty());
}
