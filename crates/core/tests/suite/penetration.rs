//! What is through, found by looking closely only where it matters, against asking every vertex; rays
//! and smoothing against what brute force finds.

use crate::common::*;
use proptest::prelude::*;
use tin_cloak_core::clearance::{
    ask_pairs, measure_pose, meeting_faces, strain, sum_up, InPose, Outfit, PairMeasure, Penetration,
    Settings,
};
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::mesh::{even_out, flood_fill, mix, Topology};
use tin_cloak_core::query::{ray_triangle, Bvh};

/// A trunk, a loose tube round it and a short one over that, in a pose that presses them together.
fn pressed(by: f32, turn: f32, last: f32) -> (Outfit, Vec<Mat4>) {
    let body = tube(0.10, -0.4, 0.4, 40, 40, 1.0);
    let mut o = outfit(&body, &[tube(0.112, -0.3, 0.3, 36, 24, 1.0), tube(0.125, -0.2, 0.25, 30, 18, 0.8)]);
    for v in 0..o.layers[1].rest.len() {
        // The middle layer swells and shrinks along its length: parts of it go under.
        let p = &mut o.layers[1].rest[v];
        let wave = 1.0 + by * (p.y * 21.0).sin();
        (p.x, p.z) = (p.x * wave, p.z * wave);
    }
    let pose = Mat4::from_rotation_translation(Quat::from_rotation_z(turn), Vec3::new(last, 0.02, 0.0));
    (o, vec![pose, Mat4::IDENTITY])
}

fn measured(o: &Outfit, matrices: &[Mat4]) -> Vec<(Penetration, PairMeasure)> {
    let mut buffers = o.buffers();
    buffers.pose(o, matrices, &[]);
    let at = InPose::new(o, &buffers);
    let one = |pair: usize| {
        let meeting = meeting_faces(&buffers, o.pairs[pair].outer, o.pairs[pair].inner);
        let through = at.through(pair, Settings::default(), &meeting, None);
        let sight = at.see(pair, &through);
        let m = sum_up(&through, &sight, strain(o, &buffers, o.pairs[pair].outer));
        (through, m)
    };
    (0..o.pairs.len()).map(one).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn looking_closely_only_where_it_matters_finds_all_that_asking_everything_finds(
        by in 0.0f32..0.25, turn in -0.2f32..0.2, last in -0.03f32..0.03,
    ) {
        let (o, matrices) = pressed(by, turn, last);
        let mut buffers = o.buffers();
        buffers.pose(&o, &matrices, &[]);
        let everything = measure_pose(&o, &buffers, Settings::default());
        let all: Vec<_> = (0..o.pairs.len()).map(|pair| (pair, Settings::default())).collect();
        let points = ask_pairs(&o, &buffers, &all);
        for (pair, (through, m)) in measured(&o, &matrices).into_iter().enumerate() {
            prop_assert_eq!(&m, &everything.pairs[pair]);
            // Maps and cards are made of these: the same vertices are through in them.
            let out = |list: &[Option<tin_cloak_core::clearance::Asked>]| {
                list.iter().flatten().filter(|a| a.clearance < -0.0005).count()
            };
            prop_assert_eq!(through.spots.len(), out(&points[pair].inner) + out(&points[pair].outer));
        }
    }

    #[test]
    fn a_ray_is_hit_when_any_triangle_is_met_and_first_where_it_is_nearest(
        from in prop::array::uniform3(-0.4f32..0.4), to in prop::array::uniform3(-0.4f32..0.4), odd in 0u32..2,
    ) {
        let (positions, triangles) = joined(sphere(0.1, 24), tube(0.2, -0.2, 0.2, 24, 8, 0.6));
        let bvh = Bvh::build(&positions, &triangles);
        let (origin, way) = (Vec3::from(from), Vec3::from(to) - Vec3::from(from));
        prop_assume!(way.length() > 1e-3);
        let taken = |t: u32| t % 2 == odd;
        let met = (0u32..).zip(&triangles).filter(|(t, _)| taken(*t)).filter_map(|(t, corners)| {
            let hit = ray_triangle(origin, way, corners.map(|v| positions[v as usize]))?;
            (0.0..=1.0).contains(&hit.0).then_some((hit.0, t, hit.1))
        });
        let nearest = met.min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        prop_assert_eq!(bvh.is_hit(origin, way, 0.0, 1.0, taken), nearest.is_some());
        let found = bvh.ray(origin, way, 0.0, 1.0, |t, _| taken(t));
        prop_assert_eq!(found.map(|h| (h.distance, h.triangle, h.barycentric)), nearest);
    }
}

#[test]
fn the_same_is_through_on_one_two_and_eight_threads() {
    let (o, matrices) = pressed(0.2, 0.1, 0.015);
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| measured(&o, &matrices))
    };
    let one = on(1);
    assert!(one.iter().any(|(through, _)| through.spots.len() > 100), "the pose presses");
    assert_eq!(one, on(2));
    assert_eq!(one, on(8));
}

#[test]
fn a_layer_posed_alone_is_as_posed_with_the_others() {
    let (o, matrices) = pressed(0.1, 0.3, 0.0);
    let (mut all, mut some) = (o.buffers(), o.buffers());
    all.pose(&o, &matrices, &[]);
    some.pose_some(&o, |layer| layer == 1, &matrices, &[]);
    assert_eq!(all.positions(1), some.positions(1));
    assert_eq!(some.positions(2), o.layers[2].rest, "the others stay as they were");
}

#[test]
fn what_hangs_together_is_one_group_whatever_the_order() {
    let (positions, triangles) = joined(sphere(0.1, 12), moved(sphere(0.1, 12), Vec3::X));
    let topology = Topology::of_welded(positions.len(), &triangles);
    let (group, groups) =
        flood_fill(positions.len(), |v| topology.neighbours.row(v as usize).iter().copied());
    assert_eq!((groups, topology.shells), (2, 2));
    assert_eq!(group, topology.shell_of_vertex);
    assert!(positions.iter().zip(&group).all(|(p, g)| (p.x > 0.5) == (*g == 1)));
}

#[test]
fn taubins_passes_even_out_a_sphere_without_shrinking_it() {
    let (mut positions, triangles) = sphere(0.1, 24);
    let topology = Topology::of_welded(positions.len(), &triangles);
    for (v, p) in positions.iter_mut().enumerate() {
        *p *= if v % 2 == 0 { 1.03 } else { 0.97 };
    }
    let rough =
        |list: &[Vec3]| list.iter().map(|p| (p.length() - 0.1).abs()).sum::<f32>() / list.len() as f32;
    let before = rough(&positions);
    let (mut taubin, mut plain) = (positions.clone(), positions);
    even_out(&topology.neighbours, &mut taubin, &[0.5, -0.53].repeat(10));
    even_out(&topology.neighbours, &mut plain, &[0.5; 20]);
    let size = |list: &[Vec3]| list.iter().map(|p| p.length()).sum::<f32>() / list.len() as f32;
    assert!(rough(&taubin) < before * 0.5, "{} of {before}", rough(&taubin));
    assert!((size(&taubin) - 0.1).abs() < 0.002, "{}", size(&taubin));
    assert!(size(&plain) < 0.097, "the umbrella alone shrinks: {}", size(&plain));
}

#[test]
fn mixing_is_linear_and_exact_at_the_corners() {
    let values = [1.0f32, 10.0, 100.0];
    for (corner, value) in values.iter().enumerate() {
        let mut barycentric = [0.0; 3];
        barycentric[corner] = 1.0;
        assert_eq!(mix([0, 1, 2], barycentric, |v| values[v as usize]), *value);
    }
    assert_eq!(mix([2, 0, 1], [0.5, 0.25, 0.25], |v| values[v as usize]), 52.75);
}
