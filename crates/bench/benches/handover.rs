//! Handing the demo's outfit over: the file made, read again and posed in every trial pose, compared with the screen.
//!
//! `cargo bench -p tin-cloak-bench --bench handover`
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{criterion_group, criterion_main, Criterion};
use std::hint::black_box;
use std::sync::Arc;
use tin_cloak_workshop::{
    export_glb, prove, read, BindingStep, Companions, Room, SeatingStep, Step, Workshop,
};

/// The demo's figure in all that it wears, bound and following its shapes.
fn dressed() -> (tempfile::TempDir, Arc<Room>) {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let (mut fitting, mut layer) = (0, 0);
    for file in tin_cloak_demo::wardrobe().unwrap() {
        let found = shop.bring_in(file.name, &file.bytes, &Companions::new()).unwrap();
        for asset in found {
            if asset.role == "body" {
                fitting = shop.begin("Wick", asset.id).unwrap();
            } else if asset.role == "piece" {
                layer += 1;
                let step = shop.piece_step(asset.id, layer, Default::default()).unwrap();
                shop.run_now(fitting, step).unwrap();
            }
        }
    }
    shop.run_now(fitting, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
    shop.run_now(
        fitting,
        Step::Seating(SeatingStep::FollowShapes { pieces: Vec::new(), follow: true, shapes: Vec::new() }),
    )
    .unwrap();
    let room = shop.room(fitting, None).unwrap();
    (folder, room)
}

fn handing_over(c: &mut Criterion) {
    let (_folder, room) = dressed();
    let mut group = c.benchmark_group("the demo's outfit");
    group.sample_size(10);
    group.bench_function("made and read again", |b| {
        b.iter(|| {
            let bytes = export_glb(&room.dress).unwrap();
            black_box(read("x.glb", &bytes, &Companions::new()).unwrap())
        });
    });
    group.bench_function("made, read again and compared in all poses", |b| {
        b.iter(|| {
            let (_, proof) = prove(&room, None, &|_| true).unwrap();
            assert!(proof.is_equal(), "{}", proof.line());
        });
    });
    group.finish();
}

criterion_group!(benches, handing_over);
criterion_main!(benches);
