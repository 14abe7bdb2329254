//! What the ways of matching miss on garments whose true weights are known: the body's own surface, drawn off and
//! evened out. `docs/matching.md` has the whole table.

use tin_cloak_workshop::core::bind::{
    fill, match_along_normal, match_both_ways, match_surface, BindTarget, Match, MatchSettings, Source,
};
use tin_cloak_workshop::core::deform::linear_blend;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mesh::{even_out, vertex_normals, Topology};
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::{range_trials, read, sort_document, Body, Companions};

/// A loose garment: the body from ankles to neck and out to the wrists, with the weights the body has there.
struct Garment {
    rest: Vec<Vec3>,
    topology: Topology,
    truth: Skin,
}

fn drawn_off(body: &Body, off: f32, rounds: usize) -> Garment {
    let on = &body.topology;
    let normals = vertex_normals(&body.rest, &on.triangles);
    let mut moved: Vec<Vec3> = body.rest.iter().zip(&normals).map(|(p, n)| *p + *n * off).collect();
    even_out(&on.neighbours, &mut moved, &vec![0.5; rounds]);
    let tall = body.rest.iter().map(|p| p.y).fold(0.0, f32::max);
    let worn = |v: &u32| {
        let p = body.rest[*v as usize] / tall;
        (0.1..0.85).contains(&p.y) && p.x.abs() < 0.33
    };
    let faces: Vec<[u32; 3]> = on.triangles.iter().copied().filter(|t| t.iter().all(worn)).collect();
    let mut old: Vec<u32> = faces.iter().flatten().copied().collect();
    old.sort_unstable();
    old.dedup();
    let new = |v: u32| old.binary_search(&v).unwrap() as u32;
    let triangles: Vec<[u32; 3]> = faces.iter().map(|t| t.map(new)).collect();
    let rows: Vec<Vec<_>> = old.iter().map(|&v| body.welded_skin.row(v as usize).collect()).collect();
    Garment {
        rest: old.iter().map(|&v| moved[v as usize]).collect(),
        topology: Topology::of_welded(old.len(), &triangles),
        truth: Skin::from_rows(&rows, body.skeleton.len()).unwrap(),
    }
}

/// How far a garment bound by a way of matching is from where it should be, on the mean, millimetres.
fn misses(body: &Body, of: &Garment, way: fn(&Source, &BindTarget, MatchSettings) -> Match) -> f32 {
    let joints = body.skeleton.len();
    let source = Source::new(&body.rest, &body.topology.triangles, &body.welded_skin, joints);
    let target = BindTarget::new(&of.rest, &of.topology);
    let found = way(&source, &target, MatchSettings::for_target(&target));
    let skin = fill(&target, found, joints, 4).unwrap().skin;
    let (mut ours, mut true_ones) = (of.rest.clone(), of.rest.clone());
    let mut sum = 0.0;
    let poses = range_trials(body).poses(body);
    for pose in &poses {
        linear_blend(&of.rest, &skin, &pose.matrices, &mut ours);
        linear_blend(&of.rest, &of.truth, &pose.matrices, &mut true_ones);
        sum += ours.iter().zip(&true_ones).map(|(a, b)| a.distance(*b)).sum::<f32>();
    }
    sum / (poses.len() * of.rest.len()) as f32 * 1000.0
}

fn body(name: &str, bytes: &[u8]) -> Body {
    sort_document(name, read(name, bytes, &Companions::new()).unwrap(), None).unwrap().0
}

#[test]
fn both_ways_miss_no_more_than_the_published_one() {
    let path = format!("{}/../../testdata/open-human/body.glb", env!("CARGO_MANIFEST_DIR"));
    let files = tin_cloak_testkit::wardrobe();
    let wick = files.iter().find(|f| f.name == "wick.glb").unwrap();
    let bodies = [body("body.glb", &std::fs::read(path).unwrap()), body("wick.glb", &wick.bytes)];
    for (body, of_near, of_normal) in [(&bodies[0], 1.0, 1.0), (&bodies[1], 0.8, 1.25)] {
        let garment = drawn_off(body, 0.03, 30);
        let [near, normal, both] =
            [match_surface, match_along_normal, match_both_ways].map(|way| misses(body, &garment, way));
        assert!(both < near * of_near && both < normal * of_normal, "{near} {normal} {both}");
        assert!(both > 0.01, "a garment that is off the body misses something: {both}");
    }
}
