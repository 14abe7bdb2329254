//! A file that comes back corrected takes the place of the one a piece has: what was done stays.

use tin_cloak_formats::{write_glb, GlbPart, GlbScene};
use tin_cloak_testkit::{coarse_wardrobe, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::{
    read, Chosen, Companions, IntakeStep, Mark, MeshPart, MoveOptions, SeatingStep, Step,
};

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

/// Wick's file, with his mesh taken through a change.
fn wick_again(change: impl Fn(&mut MeshPart)) -> Vec<u8> {
    let file = coarse_wardrobe().iter().find(|f| f.name == "wick.glb").unwrap();
    let mut whole = read(file.name, &file.bytes, &Companions::new()).unwrap();
    change(&mut whole.meshes[0]);
    let MeshPart { mesh, skin, morphs, amounts, look, .. } = &whole.meshes[0];
    let mark = Some(Mark { role: "body".to_owned(), ..Mark::default() });
    let (skin, colour) = (skin.as_ref(), [0.8, 0.6, 0.4]);
    let part = GlbPart { name: "Wick", mesh, skin, morphs, amounts, mark, look, colour };
    let scene = GlbScene { parts: vec![part], skeleton: whole.skeleton.as_ref(), clips: &whole.clips };
    write_glb(&scene).unwrap()
}

fn body_replaced(bench: &Bench, bytes: &[u8]) -> String {
    let none = Companions::new();
    let step = bench.shop.replacement_step(bench.fitting, 0, "wick, corrected.glb", bytes, &none).unwrap();
    bench.run(step)
}

/// The body's places and weights are the new file's, what is worn stays, and undo brings the old one back.
#[test]
fn a_body_that_comes_back_keeps_what_is_worn() {
    let bench = moved_out();
    let (rest, bound) = (bench.rest(BREECHES), bench.piece(BREECHES).bound.unwrap());
    let taller = |part: &mut MeshPart| {
        part.mesh.positions.iter_mut().filter(|p| p.y > 1.6).for_each(|p| p.y += 0.01);
    };
    let was = bench.room().dress.body.rest.clone();
    let said = body_replaced(&bench, &wick_again(taller));
    assert_eq!(said, "Replace the file of Wick: wick.glb by wick, corrected.glb");
    let is = bench.room().dress.body.rest.clone();
    let moved = was.iter().zip(&is).filter(|(a, b)| a.distance(**b) > 0.009).count();
    assert!(moved > 100, "{moved}");
    assert_eq!(bench.rest(BREECHES), rest);
    assert_eq!(bench.piece(BREECHES).bound.unwrap().skin, bound.skin);
    let notes = bench.open().effect().notes;
    assert!(notes.iter().any(|n| n.contains(&format!("{moved} of them elsewhere"))), "{notes:?}");
    assert!(notes.iter().all(|n| !n.contains("other weights")), "{notes:?}");
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.room().dress.body.rest, was);
}

#[test]
fn what_is_another_body_is_refused_with_the_way_to_it() {
    let bench = moved_out();
    let tib = tin_cloak_demo::tib().unwrap();
    let none = Companions::new();
    let step = bench.shop.replacement_step(bench.fitting, 0, tib.name, &tib.bytes, &none).unwrap();
    let told = bench.refused(step);
    assert!(told.contains("is another body: it has") && told.contains("Wear it on"), "{told}");
    // A face turned about is another numbering.
    let turned = wick_again(|part| part.mesh.triangles[7].rotate_left(1));
    let step = bench.shop.replacement_step(bench.fitting, 0, "turned.glb", &turned, &none).unwrap();
    assert!(bench.refused(step).contains("numbered or joined otherwise"));
    assert!(bench.shop.replacement_step(bench.fitting, 99, tib.name, &tib.bytes, &none).is_err());
    // Of a file with several meshes none of which is called so nothing is taken by a guess.
    let three = tin_cloak_demo::wick_in_three().unwrap();
    let told = bench.shop.replacement_step(bench.fitting, BREECHES, "three.glb", &three.bytes, &none);
    assert!(told.unwrap_err().to_string().contains("no mesh named “breeches”"));
}
