//! The speeds a rigger feels, on a real body of 13,380 vertices and a suit of 10,649.
//!
//! `cargo bench -p tin-cloak-bench`; `benches/reference.py` does the same work with libigl
//! and scipy.
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{criterion_group, criterion_main, Criterion};
use std::hint::black_box;
use std::sync::Arc;
use tin_cloak_workshop::core::bind::{fill, match_surface, BindTarget, MatchSettings, Source};
use tin_cloak_workshop::core::clearance::{measure_pose, Outfit, Settings};
use tin_cloak_workshop::core::deform::linear_blend;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mend::{push_out, trouble_in, Mending, PushSettings, TrialPose};
use tin_cloak_workshop::core::query::Bvh;
use tin_cloak_workshop::BrushViewOfRoom;
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{
    bind_piece, clip_trials, pose_of_piece, range_trials, read, sort_document, BindingStep, Body,
    BrushStroke, Companions, Dress, Frames, MapKind, Piece, PieceKind, PlaceOptions, Reach, Recipe,
    SeatingStep, Step, Turn, ViewRequest, Workshop,
};

fn open(name: &str) -> tin_cloak_workshop::Document {
    let path = format!("{}/../../testdata/open-human/{name}", env!("CARGO_MANIFEST_DIR"));
    read(name, &std::fs::read(path).unwrap(), &Companions::new()).unwrap()
}

fn body() -> Body {
    sort_document("body.glb", open("body.glb"), None).unwrap().0
}

fn piece(name: &str, layer: u16, body: &Body) -> Piece {
    let part = open(name).meshes.remove(0);
    Piece::new(part, layer, PieceKind::Soft, body, false)
}

fn binding(c: &mut Criterion) {
    let body = body();
    let suit = piece("bodysuit.glb", 1, &body);
    c.bench_function("transfer with inpainting: match and solve", |b| {
        b.iter(|| {
            let source =
                Source::new(&body.rest, &body.topology.triangles, &body.welded_skin, body.skeleton.len());
            let target = BindTarget::new(&suit.rest, &suit.topology);
            let found = match_surface(&source, &target, MatchSettings::for_target(&target));
            black_box(fill(&target, found, source.joints, 4).unwrap())
        });
    });
}

/// The body in its suit, and the poses of the range and of its clips.
fn dressed() -> (Outfit, Vec<TrialPose>) {
    let body = Arc::new(body());
    let mut suit = piece("bodysuit.glb", 1, &body);
    suit.bound = Some(Arc::new(bind_piece(&body, &suit, &Recipe::default()).unwrap().0));
    let set = range_trials(&body).and(clip_trials(&body, &[], Frames::Some(11)));
    let poses = set.poses(&body);
    let dress = Dress { body, pieces: vec![suit], said: Arc::default(), masked: Arc::default() };
    (dress.outfit().0, poses)
}

/// A pass over the built-in poses, and the shape of a turn for those of one joint, by what is through in them.
fn mending(c: &mut Criterion) {
    let (outfit, mut poses) = dressed();
    poses.truncate(30);
    let settings = PushSettings { rounds: 4, step: 0.004, judged: true, ..PushSettings::default() };
    let trouble = trouble_in(&outfit, &poses, settings.measure);
    let shape = poses.iter().map(|p| p.amounts.len()).max().unwrap();
    let mut called_up = poses.clone();
    called_up.iter_mut().for_each(|p| p.amounts.resize(shape + 1, 1.0));
    let mut group = c.benchmark_group("push a suit of 10,649 vertices out");
    for (name, poses, shape) in [("at rest", &poses, None), ("as a shape", &called_up, Some(shape))] {
        let (outfit, movable, held, at_rest, trouble) = (&outfit, &[1][..], &[][..], &[][..], &trouble[..]);
        let mending = Mending { outfit, movable, held, poses, trouble, at_rest, shape, settings };
        group.bench_function(name, |b| b.iter(|| black_box(push_out(mending, &|_| true).unwrap())));
    }
}

fn checking(c: &mut Criterion) {
    let (outfit, poses) = dressed();
    let poses = &poses[..60];
    let mut buffers = outfit.buffers();
    c.bench_function("check of one layer pair in 60 poses, one after another", |b| {
        b.iter(|| {
            for pose in poses {
                buffers.pose(&outfit, &pose.matrices, &pose.amounts);
                black_box(measure_pose(&outfit, &buffers, Settings::default()));
            }
        });
    });
}

fn posing(c: &mut Criterion) {
    let body = body();
    let suit = piece("bodysuit.glb", 1, &body);
    let bound = bind_piece(&body, &suit, &Recipe::default()).unwrap().0;
    let matrices = &range_trials(&body).poses(&body)[20].matrices;
    let mut out = (vec![Vec3::ZERO; body.rest.len()], vec![Vec3::ZERO; suit.rest.len()]);
    c.bench_function("linear blend skinning of 24,000 vertices", |b| {
        b.iter(|| {
            linear_blend(&body.rest, &body.welded_skin, matrices, &mut out.0);
            linear_blend(&suit.rest, &bound.skin, matrices, &mut out.1);
            black_box(out.0[0] + out.1[0])
        });
    });
    let mut tree = Bvh::build(&body.rest, &body.topology.triangles);
    c.bench_function("search tree over 26,756 triangles: build", |b| {
        b.iter(|| black_box(Bvh::build(&body.rest, &body.topology.triangles)));
    });
    c.bench_function("search tree over 26,756 triangles: refit", |b| {
        b.iter(|| tree.refit(black_box(&out.0)))
    });
}

/// Body and pieces that are looked at.
const WORN: [&str; 4] = ["wick.glb", "quilted tunic.glb", "boots.glb", "tin breastplate.glb"];

fn viewing(c: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    let mut fitting = None;
    let mut assets = Vec::new();
    let files = tin_cloak_demo::wardrobe().unwrap();
    for file in files.iter().filter(|f| WORN.contains(&f.name)) {
        assets.extend(shop.bring_in(file.name, &file.bytes, &Companions::new()).unwrap());
    }
    for (layer, asset) in assets.iter().enumerate() {
        let Some(id) = fitting else {
            fitting = Some(shop.begin("bench", asset.id).unwrap());
            continue;
        };
        let kind = if layer == 3 { PieceKind::Stiff } else { PieceKind::Soft };
        shop.run_now(id, shop.piece_step(asset.id, layer as u16, kind).unwrap()).unwrap();
    }
    let id = fitting.unwrap();
    shop.run_now(id, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
    let room = shop.fitting(id).unwrap().room;
    for (name, map) in [("weights", MapKind::Weights), ("clearance", MapKind::Clearance)] {
        // A joint turned a little further each time: no answer is kept from the last.
        let mut bend = 0.0;
        c.bench_function(&format!("pose request: Wick, three pieces, map of {name}"), |b| {
            b.iter(|| {
                bend += 0.01;
                let turns = vec![Turn { joint: 20, bend, ..Turn::default() }];
                black_box(
                    room.view(&ViewRequest { pose: 9, turns, map, joint: 3, shapes: Vec::new() }).unwrap(),
                )
            });
        });
    }
}

fn seating(c: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    let files = tin_cloak_demo::wardrobe().unwrap();
    let bring = |name: &str| {
        let file = files.iter().find(|f| f.name == name).unwrap();
        shop.bring_in(file.name, &file.bytes, &Companions::new()).unwrap()[0].id
    };
    let id = shop.begin("bench", bring("wick.glb")).unwrap();
    shop.run_now(id, shop.piece_step(bring("oilskin coat.glb"), 1, PieceKind::Soft).unwrap()).unwrap();
    let options = PlaceOptions { size_percent: [1.0; 3], ..PlaceOptions::NONE };
    let units = shop.fitting(id).unwrap().room.findings()[1].1[0].cure.clone();
    let place = units.map_or(Step::Seating(SeatingStep::Place { piece: 1, options }), |cure| cure.step);
    shop.run_now(id, place).unwrap();
    let room = shop.fitting(id).unwrap().room;
    c.bench_function("find the pose of the coat", |b| {
        b.iter(|| black_box(pose_of_piece(&room.dress, 0, &|_| true).unwrap()));
    });
    let stroke = BrushStroke {
        stroke: Default::default(),
        strength: 0.5,
        firm_percent: 0.0,
        reach: Reach { radius_mm: 40.0, dabs: (0..30).map(|i| 4000 + i).collect(), mirrored: true },
        in_pose: None,
        into_shape: None,
    };
    c.bench_function("a dab of the brush, the thirtieth of its stroke, with gaps", |b| {
        b.iter(|| black_box(room.brush_view(1, &stroke).unwrap()));
    });
}

/// A tube of 50,000 vertices along Y whose weights change joint every tenth of its length.
fn cleaning(c: &mut Criterion) {
    use tin_cloak_workshop::core::bind::clean::{smooth, BoundMesh};
    let (around, along) = (250u32, 200u32);
    let point = |i: u32| {
        let (sin, cos) = (std::f32::consts::TAU * (i % around) as f32 / around as f32).sin_cos();
        tin_cloak_workshop::core::glam::Vec3::new(0.2 * cos, (i / around) as f32 * 0.005, 0.2 * sin)
    };
    let positions: Vec<_> = (0..around * along).map(point).collect();
    let next = |i: u32| i / around * around + (i + 1) % around;
    let quad = |i: u32| [[i, next(i), next(i) + around], [i, next(i) + around, i + around]];
    let triangles: Vec<[u32; 3]> = (0..around * (along - 1)).flat_map(quad).collect();
    let topology = tin_cloak_workshop::core::mesh::Topology::of_welded(positions.len(), &triangles);
    let joint = |i: u32| tin_cloak_workshop::core::JointId((i / around / 20) as u16);
    let rows: Vec<_> = (0..around * along).map(|i| vec![(joint(i), 1.0)]).collect();
    let skin = tin_cloak_workshop::core::skin::Skin::from_rows(&rows, 33).unwrap();
    let (chosen, locked) = (vec![true; positions.len()], vec![false; 33]);
    let bound = BoundMesh {
        positions: &positions,
        topology: &topology,
        skin: &skin,
        chosen: &chosen,
        locked: &locked,
        most: 4,
    };
    c.bench_function("smooth the weights of 50,000 vertices 10 times", |b| {
        b.iter(|| black_box(smooth(bound, 0.5, 10).unwrap()));
    });
}

criterion_group! {
    name = speeds;
    config = Criterion::default().sample_size(10);
    targets = cleaning, binding, checking, mending, posing, viewing, seating
}
criterion_main!(speeds);
