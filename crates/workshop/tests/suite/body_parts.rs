//! A body in several meshes, or among other things in one: joined by a step, handed over as it came.

use std::collections::HashSet;
use std::sync::Arc;
use tin_cloak_demo::DemoFile;
use tin_cloak_formats::{write_glb, GlbPart, GlbScene};
use tin_cloak_testkit::{coarse_wardrobe, wardrobe, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mesh::Mesh;
use tin_cloak_workshop::core::shapes::{moved, sphere};
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::HideOfRoom;
use tin_cloak_workshop::{
    export_glb, prove, read, BodyPart, Chosen, Companions, Document, DressedFile, EaseOptions, HideOptions,
    IntakeStep, MeansKind, MendOptions, MendingStep, MeshPart, NamedFile, Pick, PieceKind, SeatingStep, Step,
    TrialSays, TrialWish, What, Workshop,
};

type Files = &'static [DemoFile];

fn wick_file(files: Files) -> &'static DemoFile {
    files.iter().find(|f| f.name == "wick.glb").unwrap()
}

fn wick(files: Files) -> Document {
    let file = wick_file(files);
    read(file.name, &file.bytes, &Companions::new()).unwrap()
}

/// The body of the demo cut at the neck and the hips, each with its own name.
fn in_three(files: Files) -> (Vec<u8>, Vec<MeshPart>) {
    let bytes = tin_cloak_demo::in_three(wick_file(files)).unwrap().bytes;
    let parts = read("x.glb", &bytes, &Companions::new()).unwrap().meshes;
    (bytes, parts)
}

fn written(parts: &[MeshPart], files: Files) -> Vec<u8> {
    let Document { skeleton, clips, .. } = wick(files);
    let one = |m: &'_ MeshPart| GlbPart {
        name: Box::leak(m.name.clone().into_boxed_str()),
        mesh: Box::leak(Box::new(m.mesh.clone())),
        skin: m.skin.clone().map(|s| &*Box::leak(Box::new(s))),
        morphs: Box::leak(Box::new(m.morphs.clone())),
        amounts: &[],
        mark: None,
        look: Box::leak(Box::new(m.look.clone())),
        colour: [0.5; 3],
    };
    let parts = parts.iter().map(one).collect();
    write_glb(&GlbScene { parts, skeleton: skeleton.as_ref(), clips: &clips }).unwrap()
}

/// A fitting of the first body of a file, with two pieces on when that is wished.
fn begun(bytes: &[u8], pieces: bool, files: Files) -> Bench {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let assets = shop.bring_in("body.glb", bytes, &Companions::new()).unwrap();
    let body = assets.iter().find(|a| a.role == "body").unwrap();
    assert!(assets.iter().filter(|a| a.id != body.id).all(|a| a.role == "left out"), "{assets:?}");
    let fitting = shop.begin("Wick", body.id).unwrap();
    let bench = Bench { shop, fitting, folder };
    for (name, layer) in [("breeches.glb", 1), ("quilted tunic.glb", 2)].into_iter().filter(|_| pieces) {
        let file = files.iter().find(|f| f.name == name).unwrap();
        let asset = bench.shop.bring_in(name, &file.bytes, &Companions::new()).unwrap()[0].id;
        bench.run(bench.shop.piece_step(asset, layer, PieceKind::Soft).unwrap());
    }
    bench
}

#[test]
fn a_body_of_three_meshes_is_joined_measured_as_one_and_goes_out_as_it_came() {
    let files = wardrobe();
    let (bytes, parts) = in_three(files);
    let bench = begun(&bytes, false, files);
    let alone = bench.room().dress.body.mesh.positions.len();
    let said = bench.cure(0, "most likely the rest of it");
    assert!(said.starts_with("Take as the body limbs, trunk, head"), "{said}");
    assert_eq!(
        bench.room().dress.body.mesh.positions.len(),
        parts.iter().map(|p| p.mesh.positions.len()).sum::<usize>()
    );
    assert!(bench.found(0, "measured as one body").is_some());
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.room().dress.body.mesh.positions.len(), alone);
    bench.shop.redo(bench.fitting).unwrap();

    // DressedFile, it is measured as the body in one mesh is.
    let whole =
        begun(&written(&[MeshPart { mark: None, ..wick(files).meshes.remove(0) }], files), true, files);
    for (name, layer) in [("breeches.glb", 1), ("quilted tunic.glb", 2)] {
        let file = files.iter().find(|f| f.name == name).unwrap();
        let asset = bench.shop.bring_in(name, &file.bytes, &Companions::new()).unwrap()[0].id;
        bench.run(bench.shop.piece_step(asset, layer, PieceKind::Soft).unwrap());
    }
    bench.bind_all();
    whole.bind_all();
    let (ours, theirs) = (bench.board(), whole.board());
    assert_eq!(ours.cells.len(), theirs.cells.len());
    for ((p, r, a), (_, _, b)) in ours.measured().zip(theirs.measured()) {
        let apart = (a.depth_mm() - b.depth_mm()).abs();
        assert!(apart < 0.2, "{}, row {r}: {} for {}", ours.poses[p].name, a.depth_mm(), b.depth_mm());
    }

    // Handed over, each mesh is what it was; read again, they are one body.
    let bytes = export_glb(&bench.room().dress).unwrap();
    let out = read("dressed.glb", &bytes, &Companions::new()).unwrap();
    for part in &parts {
        let same = out.meshes.iter().find(|m| m.name == part.name).unwrap();
        assert_eq!(same.mesh.positions, part.mesh.positions, "{}", part.name);
        assert_eq!(same.mesh.normals.len(), part.mesh.normals.len());
        let shapes =
            |m: &MeshPart| m.morphs.iter().map(|s| (s.name.clone(), s.vertices.len())).collect::<Vec<_>>();
        assert_eq!(shapes(same), shapes(part));
        let (a, b) = (same.skin.as_ref().unwrap(), part.skin.as_ref().unwrap());
        for joint in (0..bench.room().dress.body.skeleton.len() as u16).map(JointId) {
            assert!(a.column(joint).iter().zip(b.column(joint)).all(|(x, y)| (x - y).abs() < 1e-5));
        }
    }
    let file = NamedFile { name: "dressed.glb".into(), bytes };
    let (report, _) = DressedFile::open(&file, None, &TrialWish::Range, &TrialSays::default())
        .unwrap()
        .measured(&|_| true)
        .unwrap();
    for (pose, theirs) in report.poses.iter().enumerate() {
        for (row, entry) in theirs.pairs.iter().enumerate() {
            let cell = ours.cells[pose][row].as_ref().unwrap();
            assert!((entry.cell.depth_mm() - cell.depth_mm()).abs() < 0.01, "{}", theirs.name);
        }
    }

    // Drawn in under what is worn, each mesh goes out with its part of that.
    let options = EaseOptions { least_mm: 0.5, most_mm: Some(1.5) };
    bench.run(Step::Seating(SeatingStep::Ease { piece: 2, chosen: Chosen::Everything, options }));
    bench.run(Step::Mending(MendingStep::Tuck {
        options: MendOptions::of_tucks(),
        of: None,
        chosen: Chosen::Everything,
        pose: None,
    }));
    let room = bench.room();
    let drawn_in: usize = room.dress.body.made_shapes().iter().map(|t| t.vertices.len()).sum();
    assert!(drawn_in > 50, "{drawn_in}");
    let (bytes, proof) = prove(&room, None, &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    let out = read("x.glb", &bytes, &Companions::new()).unwrap();
    let tucked =
        |m: &&MeshPart| m.morphs.iter().any(|s| s.name.starts_with("tuck") && !s.vertices.is_empty());
    assert!(out.meshes.iter().filter(tucked).count() > 1);
}

#[test]
fn what_nobody_sees_of_a_body_of_three_meshes_is_left_out_of_each() {
    let files = coarse_wardrobe();
    let (bytes, parts) = in_three(files);
    let bench = begun(&bytes, false, files);
    bench.cure(0, "most likely the rest of it");
    for (name, layer) in [("breeches.glb", 1), ("quilted tunic.glb", 2)] {
        let file = files.iter().find(|f| f.name == name).unwrap();
        let asset = bench.shop.bring_in(name, &file.bytes, &Companions::new()).unwrap()[0].id;
        bench.run(bench.shop.piece_step(asset, layer, PieceKind::Soft).unwrap());
    }
    bench.bind_all();
    bench.try_no_clips();
    // A plan has it among what may help.
    let plan = bench.planned(&[MeansKind::Hide]);
    let tried: Vec<MeansKind> = plan.steps.iter().chain(&plan.no_help).map(|t| t.means.kind).collect();
    assert_eq!(tried, [MeansKind::Hide]);
    bench.run(Step::Mending(MendingStep::Hide {
        options: HideOptions { beneath: false, ..HideOptions::default() },
    }));
    let faces = |room: &tin_cloak_workshop::Room, name: &str| {
        let bytes = export_glb(&room.dress).unwrap();
        let out = read("x.glb", &bytes, &Companions::new()).unwrap();
        out.meshes.iter().find(|m| m.name == name).map_or(0, |m| m.mesh.triangles.len())
    };
    let room = bench.room();
    let hidden = room.hidden_of(&room.dress.body.name).0;
    let left_out: Vec<usize> = parts.iter().map(|p| p.mesh.triangles.len() - faces(&room, &p.name)).collect();
    assert_eq!(left_out.iter().sum::<usize>(), hidden);
    assert!(left_out.iter().filter(|n| **n > 100).count() > 1, "{left_out:?}");
    let board = bench.board();
    let (_, proof) = prove(&room, Some(&board), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);

    // A mesh of which nothing is seen is not in the file, and the rest is proved without it.
    bench.shop.undo(bench.fitting).unwrap();
    let trunk = &parts[1];
    let body = Arc::clone(&bench.room().dress.body);
    let bits = |p: &Vec3| p.to_array().map(f32::to_bits);
    let places: HashSet<[u32; 3]> = trunk.mesh.positions.iter().map(bits).collect();
    let of_trunk = |p: &Vec3| places.contains(&bits(p));
    let vertices: Vec<u32> =
        (0..body.rest.len() as u32).filter(|v| of_trunk(&body.rest[*v as usize])).collect();
    let chosen = Chosen::Picks(vec![Pick::add(What::Vertices(vertices))]);
    bench.run(Step::Mending(MendingStep::Mask { part: 0, chosen, hide: true }));
    let room = bench.room();
    assert_eq!((faces(&room, &trunk.name), faces(&room, &parts[2].name)), (0, parts[2].mesh.triangles.len()));
    let (_, proof) = prove(&room, Some(&bench.board()), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
}

/// The body and a ball that floats beside it, in one mesh.
fn with_a_ball() -> MeshPart {
    let mut part = wick(coarse_wardrobe()).meshes.remove(0);
    let (positions, triangles) = moved(sphere(0.1, 16), Vec3::new(0.8, 1.0, 0.0));
    let first = part.mesh.positions.len() as u32;
    let old = part.skin.take().unwrap();
    let mut rows: Vec<Vec<_>> = (0..old.vertices()).map(|v| old.row(v).collect()).collect();
    rows.resize(rows.len() + positions.len(), vec![(JointId(0), 1.0)]);
    let joints = wick(coarse_wardrobe()).skeleton.unwrap().len();
    part.skin = Some(Skin::from_rows(&rows, joints).unwrap());
    let all: Vec<Vec3> = part.mesh.positions.iter().copied().chain(positions).collect();
    let faces = part.mesh.triangles.iter().copied().chain(triangles.iter().map(|t| t.map(|v| v + first)));
    part.mesh = Mesh::new("body", all, Vec::new(), faces.collect(), Vec::new()).unwrap();
    MeshPart { name: "wick".into(), mark: None, look: Default::default(), ..part }
}

#[test]
fn of_a_mesh_that_holds_more_the_bodys_parts_are_chosen() {
    let files = coarse_wardrobe();
    let part = with_a_ball();
    let bench = begun(&written(std::slice::from_ref(&part), files), false, files);
    let body = Arc::clone(&bench.room().dress.body);
    let shells = &body.meshes[0].shells;
    let ball = (0..shells.len()).find(|&s| shells[s].1.x > 0.5).unwrap() as u32;
    let kept: Vec<u32> = (0..shells.len() as u32).filter(|s| *s != ball).collect();
    let only = |shells: &[u32]| {
        Step::Intake(IntakeStep::SetBodyParts {
            parts: vec![BodyPart { mesh: "wick".into(), shells: Some(shells.to_vec()) }],
        })
    };
    bench.run(only(&kept));
    let room = bench.room();
    assert!(room.dress.body.rest.iter().all(|p| p.x < 0.75), "the ball is not measured");
    // It goes out with the mesh, and is left out again when that comes in.
    let bytes = export_glb(&room.dress).unwrap();
    let out = read("x.glb", &bytes, &Companions::new()).unwrap();
    assert_eq!(out.meshes[0].mesh.positions, part.mesh.positions);
    let again = begun(&bytes, false, files);
    assert_eq!(again.room().dress.body.rest, room.dress.body.rest);
    // Faces of it that are hidden go; what is the body is told by its parts as they are then.
    let feet: Vec<u32> = (0..room.dress.body.rest.len() as u32)
        .filter(|v| room.dress.body.rest[*v as usize].y < 0.1)
        .collect();
    let chosen = Chosen::Picks(vec![Pick::add(What::Vertices(feet))]);
    bench.run(Step::Mending(MendingStep::Mask { part: 0, chosen, hide: true }));
    let hidden = bench.room().hidden_of("wick").0;
    assert!(hidden > 100);
    let without = begun(&export_glb(&bench.room().dress).unwrap(), false, files).room();
    let triangles = |room: &tin_cloak_workshop::Room| room.dress.body.mesh.triangles.len();
    assert_eq!(triangles(&without), triangles(&room) - hidden);
    bench.shop.undo(bench.fitting).unwrap();
    // What makes no sense is refused and changes nothing.
    assert!(bench.refused(only(&[])).contains("nothing of “wick” is left"));
    let parts = vec![BodyPart::whole("tail")];
    assert!(bench.refused(Step::Intake(IntakeStep::SetBodyParts { parts })).contains("no mesh named “tail”"));
    assert!(bench
        .refused(Step::Intake(IntakeStep::SetBodyParts { parts: Vec::new() }))
        .contains("nothing of"));
    assert_eq!(bench.room().dress.body.rest, room.dress.body.rest);
}
