//! Triangles and surfaces that run through each other, against known answers and against libigl.

use proptest::prelude::*;
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::query::{common_stretch, triangles_meet, Bvh, ExclusionMask};
use tin_cloak_core::shapes::{joined, moved, sphere, Shape};

fn tree(shape: &Shape) -> Bvh {
    Bvh::build(&shape.0, &shape.1)
}

fn corners(shape: &Shape, t: u32) -> [Vec3; 3] {
    shape.1[t as usize].map(|v| shape.0[v as usize])
}

/// A closed box of twelve faces.
fn block(half: Vec3) -> Shape {
    let corner = |i: u32| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32) * 2.0 - Vec3::ONE;
    let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let faces = quads.iter().flat_map(|&[a, b, c, d]| [[a, b, c], [a, c, d]]).collect();
    ((0..8).map(|i| corner(i) * half).collect(), faces)
}

/// Length of the curve in which two surfaces run through each other.
fn curve(a: &Shape, b: &Shape) -> f32 {
    let pairs = tree(a).meeting(&tree(b));
    let stretch = |&(t, u): &(u32, u32)| common_stretch(corners(a, t), corners(b, u));
    pairs.iter().filter_map(stretch).map(|[p, q]| p.distance(q)).sum()
}

#[test]
fn two_boxes_cross_in_a_square() {
    // A post of 20 cm by 20 cm through a slab: twice its girth, above and below.
    let (post, slab) = (block(Vec3::new(0.1, 1.0, 0.1)), block(Vec3::new(0.5, 0.05, 0.5)));
    let post = (post.0.iter().map(|p| Quat::from_rotation_y(0.3) * *p).collect(), post.1);
    assert!((curve(&post, &slab) - 1.6).abs() < 1e-5, "{}", curve(&post, &slab));
    assert_eq!(curve(&moved(post, Vec3::X * 2.0), &slab), 0.0);
}

#[test]
fn a_ball_in_a_ball_that_grows_meets_it_only_while_it_passes() {
    let shell = sphere(0.1, 24);
    for (radius, meets) in [(0.09, false), (0.0975, false), (0.1, true), (0.102, false), (0.11, false)] {
        let ball = sphere(radius, 24);
        let found = tree(&ball).meeting(&tree(&shell));
        assert_eq!(!found.is_empty(), meets, "{radius}");
    }
    // Aside they meet in a circle: radius of the lens of two spheres 4 cm apart is √(r² − d²/4).
    let aside = moved(sphere(0.1, 96), Vec3::X * 0.04);
    let length = curve(&sphere(0.1, 96), &aside);
    let wanted = std::f32::consts::TAU * (0.01f32 - 0.0004).sqrt();
    assert!((length - wanted).abs() < 0.01 * wanted, "{length} for {wanted}");
}

#[test]
fn a_needle_between_vertices_is_found() {
    let skin = sphere(0.1, 12);
    let needle: Shape = (
        vec![Vec3::new(0.01, 0.2, 0.01), Vec3::new(0.012, 0.02, 0.012), Vec3::new(0.011, 0.2, 0.013)],
        vec![[0, 1, 2]],
    );
    assert!(!tree(&needle).meeting(&tree(&skin)).is_empty());
}

#[test]
fn touching_counts_and_a_hair_apart_does_not() {
    let t = [Vec3::ZERO, Vec3::X, Vec3::Y];
    let corner = [Vec3::X, Vec3::X * 2.0, Vec3::X + Vec3::Z];
    assert!(triangles_meet(t, corner));
    let hair = f32::EPSILON;
    assert!(!triangles_meet(t, corner.map(|p| p + Vec3::X * hair)));
    // In one plane: over each other, beside each other, one within the other.
    let flat = |x: f32, size: f32| {
        [Vec3::new(x, 0.1, 0.0), Vec3::new(x + size, 0.1, 0.0), Vec3::new(x, 0.1 + size, 0.0)]
    };
    assert!(triangles_meet(t, flat(0.2, 0.5)) && triangles_meet(t, flat(0.2, 0.01)));
    assert!(triangles_meet(flat(0.2, 0.01), t) && !triangles_meet(t, flat(0.95, 0.5)));
    // Faces without area are let be: a line through the face, one that only seems to cross it as it is seen along an
    // axis and lies 177 mm away, a point on it.
    let line = [Vec3::new(0.2, 0.2, -1.0), Vec3::new(0.2, 0.2, 1.0), Vec3::new(0.2, 0.2, 0.5)];
    let away = [Vec3::new(0.1, 0.1, 0.177), Vec3::new(0.2, 0.2, 0.177), Vec3::new(0.4, 0.4, 0.177)];
    for degenerate in [line, away, [Vec3::new(0.25, 0.25, 0.0); 3]] {
        assert!(!triangles_meet(t, degenerate) && !triangles_meet(degenerate, t));
        assert!(!triangles_meet(degenerate, line) && !triangles_meet(line, degenerate));
    }
}

proptest! {
    /// Whichever way round they are said, and wherever the pair stands on a grid, the answer is one.
    #[test]
    fn the_answer_does_not_depend_on_the_order(list in prop::collection::vec(-3i8..4, 18), turn in 0usize..3) {
        let p = |i: usize| Vec3::new(list[3 * i].into(), list[3 * i + 1].into(), list[3 * i + 2].into());
        let (a, b) = ([p(0), p(1), p(2)], [p(3), p(4), p(5)]);
        let meets = triangles_meet(a, b);
        prop_assert_eq!(triangles_meet(b, a), meets);
        let turned = [a[turn], a[(turn + 1) % 3], a[(turn + 2) % 3]];
        prop_assert_eq!(triangles_meet(turned, b), meets);
        prop_assert_eq!(triangles_meet([a[0], a[2], a[1]], b), meets);
        let shift = Vec3::new(16.0, -8.0, 4.0);
        prop_assert_eq!(triangles_meet(a.map(|p| p + shift), b.map(|p| p + shift)), meets);
        // A shared corner is a point in common, but of faces without area.
        let has_area = |t: [Vec3; 3]| (t[1] - t[0]).cross(t[2] - t[0]) != Vec3::ZERO;
        let other = [a[0], b[1], b[2]];
        prop_assert_eq!(triangles_meet(a, other), has_area(a) && has_area(other));
    }

    /// The tree finds what trying all pairs finds.
    #[test]
    fn the_tree_finds_every_pair(shift in prop::array::uniform3(-0.12f32..0.12), angle in 0.0f32..3.0) {
        let (a, b) = (sphere(0.1, 14), sphere(0.08, 12));
        let b: Shape = (b.0.iter().map(|p| Quat::from_rotation_x(angle) * *p + Vec3::from(shift)).collect(), b.1);
        let mut all = Vec::new();
        for t in 0..a.1.len() as u32 {
            for u in 0..b.1.len() as u32 {
                if triangles_meet(corners(&a, t), corners(&b, u)) {
                    all.push((t, u));
                }
            }
        }
        prop_assert_eq!(tree(&a).meeting(&tree(&b)), all);
    }
}

proptest! {
    /// A surface in itself: what the tree finds is what trying all pairs finds, each once.
    #[test]
    fn the_tree_finds_every_pair_of_a_surface_in_itself(
        shift in prop::array::uniform3(-0.12f32..0.12), angle in 0.0f32..3.0,
    ) {
        let (a, b) = (sphere(0.1, 12), sphere(0.08, 10));
        let turned = b.0.iter().map(|p| Quat::from_rotation_x(angle) * *p + Vec3::from(shift)).collect();
        let both = joined(a, (turned, b.1));
        let apart = |f: u32, g: u32| both.1[f as usize].iter().all(|v| !both.1[g as usize].contains(v));
        let mut all = Vec::new();
        for f in 0..both.1.len() as u32 {
            for g in f + 1..both.1.len() as u32 {
                if apart(f, g) && triangles_meet(corners(&both, f), corners(&both, g)) {
                    all.push((f, g));
                }
            }
        }
        let tree = tree(&both);
        let next = |f: u32, found: &mut Vec<u32>| {
            found.extend((0..both.1.len() as u32).filter(|g| !apart(f, *g)));
        };
        prop_assert_eq!(tree.meeting_itself(&ExclusionMask::new(&tree, &next, Vec::new())), all);
    }
}

proptest! {
    /// Of what lies below two places of the tree that are let be less is found, of all else all of it; below two leaves
    /// nothing is.
    #[test]
    fn what_lies_below_two_places_that_are_let_be_is_passed_over(
        shift in prop::array::uniform3(-0.05f32..0.05),
        most in 4usize..24,
        chosen in prop::collection::vec((0usize..999, 0usize..999), 1..40),
    ) {
        let both = joined(sphere(0.1, 12), moved(sphere(0.1, 12), Vec3::from(shift)));
        let tree = tree(&both);
        let all = tree.meeting_itself(&ExclusionMask::default());
        let subtrees = tree.subtrees(most);
        let last = subtrees.iter().map(|s| s.place).max().unwrap_or(0);
        let mut places = vec![Vec::new(); last + 1];
        let mut gone = std::collections::HashSet::new();
        for (a, b) in chosen {
            let (a, b) = (&subtrees[a % subtrees.len()], &subtrees[b % subtrees.len()]);
            places[a.place].push(b.place as u32);
            places[b.place].push(a.place as u32);
            gone.extend(a.triangles.iter().flat_map(|f| b.triangles.iter().map(move |g| (*f.min(g), *f.max(g)))));
        }
        let found = tree.meeting_itself(&ExclusionMask::new(&tree, &|_, _| (), places));
        prop_assert!(found.iter().all(|pair| all.binary_search(pair).is_ok()));
        prop_assert!(all.iter().all(|pair| gone.contains(pair) || found.binary_search(pair).is_ok()));
        let leaves = most <= 4;
        prop_assert!(!leaves || found.iter().all(|pair| !gone.contains(pair)));
    }
}
