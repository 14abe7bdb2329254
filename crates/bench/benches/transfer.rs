//! Binding at size: the demo's whole outfit, and one garment at 10,000 to 200,000 vertices.
//!
//! `cargo bench -p tin-cloak-bench --bench transfer`
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{criterion_group, criterion_main, BenchmarkId, Criterion, Throughput};
use std::collections::HashMap;
use std::hint::black_box;
use std::sync::Arc;
use tin_cloak_workshop::core::bind::{fill, match_surface, BindTarget, MatchSettings, Source};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mesh::{weld, Topology};
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::{
    bind_piece, read, sort_document, BindingStep, Body, Companions, MeshPart, Piece, PieceKind, Recipe, Step,
    Workshop,
};

fn part(name: &str, bytes: &[u8]) -> MeshPart {
    read(name, bytes, &Companions::new()).unwrap().meshes.remove(0)
}

/// Every triangle in four, three times over.
fn refined(mut positions: Vec<Vec3>, mut triangles: Vec<[u32; 3]>) -> (Vec<Vec3>, Vec<[u32; 3]>) {
    for _ in 0..3 {
        let mut middles: HashMap<[u32; 2], u32> = HashMap::new();
        let mut finer = Vec::with_capacity(triangles.len() * 4);
        for [a, b, c] in triangles {
            let mut middle = |x: u32, y: u32| {
                *middles.entry([x.min(y), x.max(y)]).or_insert_with(|| {
                    positions.push((positions[x as usize] + positions[y as usize]) * 0.5);
                    positions.len() as u32 - 1
                })
            };
            let [ab, bc, ca] = [middle(a, b), middle(b, c), middle(c, a)];
            finer.extend([[a, ab, ca], [ab, b, bc], [ca, bc, c], [ab, bc, ca]]);
        }
        triangles = finer;
    }
    (positions, triangles)
}

/// The faces of a mesh from below until they have so many vertices.
fn cut(positions: &[Vec3], triangles: &[[u32; 3]], vertices: usize) -> (Vec<Vec3>, Vec<[u32; 3]>) {
    let mut new_of = vec![u32::MAX; positions.len()];
    let (mut kept, mut faces) = (Vec::new(), Vec::new());
    for t in triangles {
        if kept.len() >= vertices {
            break;
        }
        for &v in t {
            if new_of[v as usize] == u32::MAX {
                new_of[v as usize] = kept.len() as u32;
                kept.push(positions[v as usize]);
            }
        }
        faces.push(t.map(|v| new_of[v as usize]));
    }
    (kept, faces)
}

fn growing(c: &mut Criterion) {
    let folder = format!("{}/../../testdata/open-human", env!("CARGO_MANIFEST_DIR"));
    let load = |name: &str| std::fs::read(format!("{folder}/{name}")).unwrap();
    let document = read("body.glb", &load("body.glb"), &Companions::new()).unwrap();
    let body = sort_document("body.glb", document, None).unwrap().0;
    let suit = part("bodysuit.glb", &load("bodysuit.glb")).mesh;
    let place = weld(&suit.positions, &suit.triangles);
    let (fine, mut faces) = refined(place.gather(&suit.positions), place.triangles(&suit.triangles));
    let low = |t: &[u32; 3]| t.iter().map(|&v| fine[v as usize].y).fold(f32::INFINITY, f32::min);
    faces.sort_by(|a, b| low(a).total_cmp(&low(b)));
    let mut group = c.benchmark_group("transfer with inpainting");
    for vertices in [10_000, 20_000, 50_000, 100_000, 200_000] {
        let (positions, triangles) = cut(&fine, &faces, vertices);
        let topology = Topology::of_welded(positions.len(), &triangles);
        group.throughput(Throughput::Elements(positions.len() as u64));
        group.bench_function(BenchmarkId::from_parameter(vertices), |b| {
            b.iter(|| {
                let joints = body.skeleton.len();
                let source = Source::new(&body.rest, &body.topology.triangles, &body.welded_skin, joints);
                let target = BindTarget::new(&positions, &topology);
                // A tight match, so that there is much to fill in.
                let settings = MatchSettings { distance: 0.02, min_cosine: 0.97 };
                let found = match_surface(&source, &target, settings);
                black_box(fill(&target, found, joints, 4).unwrap())
            });
        });
    }
    group.finish();
}

fn outfit(c: &mut Criterion) {
    let files = tin_cloak_demo::wardrobe().unwrap();
    let wick = read(files[0].name, &files[0].bytes, &Companions::new()).unwrap();
    let body: Body = sort_document(files[0].name, wick, None).unwrap().0;
    let kind = |part: &MeshPart| part.mark.as_ref().and_then(|m| m.kind).unwrap_or_default();
    let pieces: Vec<Piece> = files[1..]
        .iter()
        .map(|f| {
            let mut part = part(f.name, &f.bytes);
            let size = if f.name == "oilskin coat.glb" { 0.01 } else { 1.0 };
            part.mesh.positions.iter_mut().for_each(|p| *p *= size);
            let kind = if f.name.contains("plate") { PieceKind::Stiff } else { kind(&part) };
            Piece::new(part, 1, kind, &body, false)
        })
        .collect();
    let vertices: usize = pieces.iter().map(|p| p.rest.len()).sum::<usize>() + body.rest.len();
    c.bench_function(&format!("bind all: {} pieces and body, {vertices} vertices", pieces.len()), |b| {
        b.iter(|| {
            for piece in &pieces {
                black_box(bind_piece(&body, piece, &Recipe::default()).unwrap());
            }
        });
    });

    // The same as a step, with its reports.
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    let bring = |i: usize| shop.bring_in(files[i].name, &files[i].bytes, &Companions::new()).unwrap()[0].id;
    shop.measure_behind(false);
    let id = shop.begin("bench", bring(0)).unwrap();
    for (i, piece) in pieces.iter().enumerate() {
        let step = shop.piece_step(bring(i + 1), i as u16 + 1, piece.kind).unwrap();
        shop.run_now(id, step).unwrap();
        if files[i + 1].name == "oilskin coat.glb" {
            let cure = shop.fitting(id).unwrap().room.findings()[i + 1].1[0].cure.clone().unwrap();
            shop.run_now(id, cure.step).unwrap();
        }
    }
    c.bench_function("bind all as a step", |b| {
        b.iter(|| {
            shop.run_now(id, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
            shop.undo(id).unwrap();
        });
    });
}

criterion_group! {
    name = speeds;
    config = Criterion::default().sample_size(10);
    targets = growing, outfit
}
criterion_main!(speeds);
