//! Finding what no look reaches: an arm in two sleeves, over sixteen bends of the elbow at once, and each by itself.
//!
//! `cargo bench -p tin-cloak-bench --bench unseen`
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{criterion_group, criterion_main, Criterion};
use std::hint::black_box;
use tin_cloak_workshop::core::clearance::{never_seen, LookingAt, Outfit};
use tin_cloak_workshop::core::mend::TrialPose;
use tin_cloak_workshop::core::shapes::{outfit, tube, Arm};
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::core::JointId;

/// Tubes of so many vertices round, one over the other, that blend from joint to joint at the elbow.
fn dressed_arm(around: u32) -> Outfit {
    let shape = |radius: f32| tube(radius, 0.0, 0.6, around, around * 3 / 2, 1.0);
    let mut dressed = outfit(&shape(0.05), &[shape(0.055), shape(0.062)]);
    for layer in &mut dressed.layers {
        let elbow = |y: f32| ((y - 0.25) / 0.1).clamp(0.0, 1.0);
        let row = |y: f32| vec![(JointId(0), 1.0 - elbow(y)), (JointId(1), elbow(y))];
        let rows: Vec<_> = layer.rest.iter().map(|p| row(p.y)).collect();
        layer.skin = Skin::from_rows(&rows, 2).unwrap().into();
    }
    dressed
}

fn unseen(c: &mut Criterion) {
    let arm = Arm::new();
    let pose = |n: i32| TrialPose { matrices: arm.bent(n as f32 * 5.0), amounts: Vec::new() };
    let poses: Vec<TrialPose> = (0..16).map(pose).collect();
    for around in [32, 64] {
        let dressed = dressed_arm(around);
        let places = &dressed.layers[0].topology.triangles;
        let at = [LookingAt { of: 0, places, by: &[1, 2], through: &[] }];
        let count = places.len();
        c.bench_function(&format!("{count} faces: 16 poses at once"), |b| {
            b.iter(|| black_box(never_seen(&dressed, &at, &poses, &|_| true)));
        });
        c.bench_function(&format!("{count} faces: 16 poses, each by itself"), |b| {
            b.iter(|| {
                let one = |pose| never_seen(&dressed, &at, std::slice::from_ref(pose), &|_| true);
                black_box(poses.iter().map(one).collect::<Vec<_>>())
            });
        });
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(10);
    targets = unseen
}
criterion_main!(benches);
