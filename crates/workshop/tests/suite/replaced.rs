//! A file that comes back corrected takes the place of the one a piece has: what was done stays.

use tin_cloak_testkit::{coarse_wardrobe, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::{Chosen, Companions, IntakeStep, MoveOptions, SeatingStep, Step};

const BREECHES: u32 = 1;

fn replaced(bench: &Bench, name: &str, bytes: &[u8]) -> String {
    let asset = bench.shop.bring_in(name, bytes, &Companions::new()).unwrap().remove(0);
    let (file, file_name, mesh) = (asset.file, asset.file_name, asset.mesh);
    bench.run(Step::Intake(IntakeStep::ReplaceFile { piece: BREECHES, file, file_name, mesh }))
}

/// The breeches, 10 mm further out,.
fn moved_out() -> Bench {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let options = MoveOptions { off_mm: 10.0, ..MoveOptions::default() };
    let chosen = Chosen::Everything;
    let (in_pose, into_shape) = (None, None);
    bench.run(Step::Seating(SeatingStep::MoveChosen {
        piece: BREECHES,
        chosen,
        options,
        in_pose,
        into_shape,
    }));
    bench
}

/// Its mesh as its file has it, each coordinate taken through `change`; every face cut at its middle where `finer`.
fn obj(bench: &Bench, finer: bool, change: impl Fn(Vec3) -> Vec3) -> Vec<u8> {
    let mesh = bench.piece(BREECHES).mesh;
    let mut places: Vec<Vec3> = mesh.positions.clone();
    let mut faces = mesh.triangles.clone();
    if finer {
        faces = Vec::new();
        for [a, b, c] in &mesh.triangles {
            let middle = places.len() as u32;
            places.push([a, b, c].map(|v| mesh.positions[*v as usize]).iter().sum::<Vec3>() / 3.0);
            faces.extend([[*a, *b, middle], [*b, *c, middle], [*c, *a, middle]]);
        }
    }
    let mut out = String::from("o breeches\n");
    for p in places.into_iter().map(change) {
        out.push_str(&format!("v {} {} {}\n", p.x, p.y, p.z));
    }
    for [a, b, c] in faces {
        out.push_str(&format!("f {} {} {}\n", a + 1, b + 1, c + 1));
    }
    out.into_bytes()
}

#[test]
fn the_same_file_again_changes_nothing() {
    let bench = moved_out();
    let (rest, bound) = (bench.rest(BREECHES), bench.piece(BREECHES).bound);
    let file = coarse_wardrobe().iter().find(|f| f.name == "breeches.glb").unwrap();
    let said = replaced(&bench, "breeches again.glb", &file.bytes);
    assert_eq!(said, "Replace the file of breeches: breeches.glb by breeches again.glb");
    assert_eq!(bench.rest(BREECHES), rest);
    assert_eq!(bench.piece(BREECHES).bound.unwrap().skin, bound.unwrap().skin);
}

#[test]
fn a_finer_mesh_in_centimetres_lies_where_the_old_one_was_moved_to() {
    let bench = moved_out();
    let (was, name) = (bench.piece(BREECHES), bench.piece(BREECHES).name);
    let file = obj(&bench, true, |p| p * 100.0);
    replaced(&bench, "finer.obj", &file);
    let is = bench.piece(BREECHES);
    assert_eq!(is.name, name);
    assert!(is.rest.len() > was.rest.len(), "{} of {}", is.rest.len(), was.rest.len());
    // Every old vertex is there still, where it was moved to, with the weights that it had.
    let tree = tin_cloak_workshop::core::query::Bvh::over_points(&is.rest);
    let (old, new) = (was.bound.unwrap(), is.bound.unwrap());
    for (v, p) in was.rest.iter().enumerate() {
        let hit = tree.closest(*p, f32::INFINITY).unwrap();
        assert!(hit.distance_squared.sqrt() < 5e-4, "vertex {v} is {} m off", hit.distance_squared.sqrt());
        let (heaviest, weight) = old.skin.row(v).next().unwrap();
        let now = new.skin.column(heaviest)[hit.triangle as usize];
        assert!((now - weight).abs() < 0.05, "vertex {v}: {weight} was, {now} is");
    }
    let notes = bench.open().effect().notes;
    assert!(notes.iter().any(|n| n.contains("another size")), "{notes:?}");
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.rest(BREECHES), was.rest.to_vec());
}

#[test]
fn what_lies_elsewhere_is_told() {
    let bench = moved_out();
    // One leg's hem is 30 mm longer now.
    let low = bench.rest(BREECHES).iter().map(|p| p.y).fold(f32::INFINITY, f32::min);
    let longer = |p: Vec3| if p.x > 0.0 && p.y < low + 0.04 { p - Vec3::Y * 0.03 } else { p };
    let file = obj(&bench, true, longer);
    replaced(&bench, "longer.obj", &file);
    let notes = bench.open().effect().notes;
    assert!(notes.iter().any(|n| n.contains("off the old surface: look there")), "{notes:?}");
}
