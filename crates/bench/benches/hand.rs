//! Touching up weights: a dab of the brush, a joint smoothed, a disc along the surface, at 20,000 and 200,000
//! vertices.
//!
//! `cargo bench -p tin-cloak-bench --bench hand`
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{criterion_group, criterion_main, Criterion};
use std::hint::black_box;
use tin_cloak_workshop::core::bind::by_hand::{give, smooth_joints, Amount, Given, Rest};
use tin_cloak_workshop::core::bind::clean::BoundMesh;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mesh::{over_surface, Topology};
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::core::JointId;

/// A sleeve round Y of so many vertices, 5 mm from one to the next, that goes from joint to joint along it.
fn sleeve(around: u32, along: u32) -> (Vec<Vec3>, Topology, Skin) {
    let radius = around as f32 * 0.005 / std::f32::consts::TAU;
    let point = |i: u32| {
        let (sin, cos) = (std::f32::consts::TAU * (i % around) as f32 / around as f32).sin_cos();
        Vec3::new(radius * cos, (i / around) as f32 * 0.005, radius * sin)
    };
    let positions: Vec<Vec3> = (0..around * along).map(point).collect();
    let next = |i: u32| i / around * around + (i + 1) % around;
    let quad = |i: u32| [[i, next(i), next(i) + around], [i, next(i) + around, i + around]];
    let triangles: Vec<[u32; 3]> = (0..around * (along - 1)).flat_map(quad).collect();
    let topology = Topology::of_welded(positions.len(), &triangles);
    let row = |i: u32| {
        let at = (i / around) as f32 / along as f32 * 31.0;
        let (first, share) = (at as u16, at.fract());
        vec![(JointId(first), 1.0 - share), (JointId(first + 1), share)]
    };
    let rows: Vec<_> = (0..around * along).map(row).collect();
    let skin = Skin::from_rows(&rows, 33).unwrap();
    (positions, topology, skin)
}

fn touching_up(c: &mut Criterion) {
    for (around, along) in [(100, 200), (400, 500)] {
        let (positions, topology, skin) = sleeve(around, along);
        let count = positions.len();
        let middle = (count / 2) as u32;
        let dabs: Vec<u32> = (0..30).map(|i| middle + i * around).collect();
        c.bench_function(&format!("{count} vertices: 30 discs of 40 mm along the surface"), |b| {
            b.iter(|| black_box(over_surface(&positions, &topology, &dabs, 0.04)));
        });
        let (all, locked) = (vec![true; count], vec![false; 33]);
        let of = |chosen| BoundMesh {
            positions: &positions,
            topology: &topology,
            skin: &skin,
            chosen,
            locked: &locked,
            most: 4,
        };
        let given = Given { joint: JointId(15), amount: Amount::Add(0.1), rest: Rest::Others };
        c.bench_function(&format!("{count} vertices: a dab that adds, the thirtieth of its stroke"), |b| {
            b.iter(|| {
                let (mut shares, mut touched) = (vec![0.0; count], vec![false; count]);
                for (v, far) in over_surface(&positions, &topology, &dabs, 0.04) {
                    (shares[v as usize], touched[v as usize]) = (1.0 - far / 0.04, true);
                }
                black_box(give(BoundMesh { chosen: &touched, ..of(&all) }, given, &shares).unwrap())
            });
        });
        let shares = vec![1.0; count];
        c.bench_function(&format!("{count} vertices: a joint smoothed three times, everywhere"), |b| {
            b.iter(|| black_box(smooth_joints(of(&all), &[JointId(15)], 0.5, 3, &shares).unwrap()));
        });
    }
}

criterion_group! {
    name = hand;
    config = Criterion::default().sample_size(10);
    targets = touching_up
}
criterion_main!(hand);
