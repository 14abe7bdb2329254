//! A touch and what follows from it: the step, the board behind it, undo, a restart.
//!
//! `cargo bench -p tin-cloak-bench --bench touch`
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{criterion_group, criterion_main, BatchSize, Criterion};
use std::hint::black_box;
use std::sync::Arc;
use tin_cloak_workshop::{BindingStep, Chosen, Clean, Companions, PieceKind, Step, Workshop};

/// Four layers of the demo, from the inside out.
const WORN: [(&str, PieceKind); 4] = [
    ("breeches.glb", PieceKind::Soft),
    ("quilted tunic.glb", PieceKind::Soft),
    ("tin breastplate.glb", PieceKind::Stiff),
    ("scale cloak.glb", PieceKind::Mixed),
];

fn smooth(strength: f32) -> Step {
    let clean = Clean::Smooth { strength, times: 2 };
    Step::Binding(BindingStep::Clean { piece: 2, clean, chosen: Chosen::Everything, locked: Vec::new() })
}

fn touch(c: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let files = tin_cloak_demo::wardrobe().unwrap();
    let bring = |name: &str| {
        let file = files.iter().find(|f| f.name == name).unwrap();
        shop.bring_in(file.name, &file.bytes, &Companions::new()).unwrap()[0].id
    };
    let id = shop.begin("bench", bring("wick.glb")).unwrap();
    for (layer, (name, kind)) in (1..).zip(WORN) {
        shop.run_now(id, shop.piece_step(bring(name), layer, kind).unwrap()).unwrap();
    }
    shop.run_now(id, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
    let cells = shop.measure_now(id).unwrap().size();

    // Another strength each time: no cell is known from the last.
    let mut strength = 0.3;
    let mut next = || {
        strength += 1e-4;
        smooth(strength)
    };
    c.bench_function("smooth one of four pieces, as a step", |b| {
        b.iter_batched(&mut next, |step| shop.run_now(id, step).unwrap(), BatchSize::PerIteration);
    });
    c.bench_function(&format!("the board of {cells} cells behind it"), |b| {
        let touched = || shop.run_now(id, next()).unwrap();
        b.iter_batched(touched, |_| shop.measure_now(id).unwrap(), BatchSize::PerIteration);
    });
    c.bench_function("undo and redo, with the board", |b| {
        b.iter(|| {
            shop.undo(id).unwrap();
            black_box(shop.measure_now(id).unwrap());
            shop.redo(id).unwrap();
            black_box(shop.measure_now(id).unwrap())
        });
    });
    c.bench_function("a restart: the board again", |b| {
        b.iter(|| Workshop::open(folder.path()).unwrap().measure_now(id).unwrap());
    });
    c.bench_function("a restart: the Shelf", |b| {
        b.iter(|| Workshop::open(folder.path()).unwrap().listed().unwrap());
    });
}

criterion_group! {
    name = touches;
    config = Criterion::default().sample_size(10);
    targets = touch
}
criterion_main!(touches);
