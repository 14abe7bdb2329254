//! A piece's own shapes: kept, worn, measured, moved with it, cut and handed over.

use tin_cloak_formats::{write_glb, GlbPart, GlbScene, Look, MaterialRun, Materials};
use tin_cloak_testkit::{wardrobe, wearing, wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::deform::Morph;
use tin_cloak_workshop::core::glam::{Mat4, Quat, Vec3};
use tin_cloak_workshop::core::mesh::Mesh;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::SitsOfRoom;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::WornShapeOfRoom;
use tin_cloak_workshop::{
    export_glb, read, AssetRole, BrushStroke, Chosen, Companions, EaseOptions, IntakeStep, MeshPart,
    PieceKind, PlaceOptions, Reach, SeatingStep, Step, TrialPlan, TrialStep, ViewRequest,
};

/// The mesh of a file of the demo's.
fn part_of(name: &str) -> MeshPart {
    let file = wardrobe().iter().find(|f| f.name == name).unwrap();
    read(file.name, &file.bytes, &Companions::new()).unwrap().meshes.remove(0)
}

fn written(part: &MeshPart, morphs: &[Morph], amounts: &[f32]) -> Vec<u8> {
    let part = GlbPart {
        name: "tunic",
        mesh: &part.mesh,
        skin: None,
        morphs,
        amounts,
        mark: None,
        look: &part.look,
        colour: [0.5; 3],
    };
    write_glb(&GlbScene { parts: vec![part], skeleton: None, clips: &[] }).unwrap()
}

/// The tunic with a looser fit that its modeller left in, and a collar that stands up.
fn with_shapes(amounts: &[f32]) -> Vec<u8> {
    let part = part_of("quilted tunic.glb");
    let loose: Vec<Vec3> = part.mesh.normals.iter().map(|n| *n * 0.012).collect();
    let high = |p: &Vec3| if p.y > 1.3 { Vec3::new(0.0, 0.02, 0.004) } else { Vec3::ZERO };
    let collar: Vec<Vec3> = part.mesh.positions.iter().map(high).collect();
    let shapes = [Morph::from_dense("loose".into(), &loose), Morph::from_dense("collar up".into(), &collar)];
    written(&part, &shapes, amounts)
}

fn put_on(bytes: &[u8]) -> Bench {
    let bench = wearing_coarse(&[("breeches", 1)]);
    let asset = bench.shop.bring_in("tunic.glb", bytes, &Companions::new()).unwrap()[0].id;
    bench.run(bench.shop.piece_step(asset, 2, PieceKind::Soft).unwrap());
    bench.bind_all();
    bench
}

fn wear(shape: usize, amount: f32) -> Step {
    Step::Seating(SeatingStep::WearShape { piece: 2, shape, amount })
}

#[test]
fn a_shape_is_worn_measured_taken_off_and_handed_over() {
    let bench = put_on(&with_shapes(&[]));
    let (tight, before) = (bench.rest(2), bench.board());
    let mean = |bench: &Bench| {
        let room = bench.room();
        room.seat_report(room.index_of(2).unwrap()).mean_mm
    };
    let close = mean(&bench);
    let room = bench.room();
    let tried = room.seat_with_shape(room.index_of(2).unwrap(), 0, 1.0).unwrap();
    assert_eq!(bench.run(wear(0, 1.0)), "Wear tunic with 100 % of its shape loose; its weights stay");
    assert!((mean(&bench) - tried.mean_mm).abs() < 1e-3, "as it was shown beforehand");
    assert!((mean(&bench) - close - 12.0).abs() < 1.5, "{} after {close}", mean(&bench));
    let loose = bench.board();
    assert_ne!(loose.cells, before.cells, "it is measured as it is worn");
    // It goes out as a shape with its amount, over the mesh as it came.
    let out = read("x.glb", &export_glb(&bench.room().dress).unwrap(), &Companions::new()).unwrap();
    let tunic = out.meshes.iter().find(|m| m.name == "tunic").unwrap();
    let came = part_of("quilted tunic.glb");
    assert_eq!(tunic.mesh.positions, came.mesh.positions);
    assert_eq!(tunic.mesh.normals, came.mesh.normals, "normals of what nobody touched stay the author's");
    let names: Vec<&str> = tunic.morphs.iter().map(|m| m.name.as_str()).collect();
    assert_eq!((names, tunic.amounts.as_slice()), (vec!["loose", "collar up"], &[1.0, 0.0][..]));
    // And back to the bit.
    bench.run(wear(0, 0.0));
    assert_eq!(bench.rest(2), tight);
    assert!(bench.refused(wear(2, 1.0)).contains("no shape 2"));
    assert!(bench.refused(wear(0, f32::NAN)).contains("−100 and 200 %"));
}

#[test]
fn the_amount_of_the_file_is_worn_from_the_start() {
    let (worn, bare) = (put_on(&with_shapes(&[0.5])), put_on(&with_shapes(&[])));
    assert_eq!(worn.piece(2).amounts, [0.5, 0.0]);
    let far = worn.rest(2).iter().zip(bare.rest(2)).map(|(a, b)| a.distance(b)).fold(0.0, f32::max);
    assert!((far - 0.006).abs() < 1e-4, "{far}");
}

/// Turned, eased, brushed and mirrored, a shape still does to the piece what it did.
#[test]
fn shapes_go_where_the_piece_goes() {
    let bench = put_on(&with_shapes(&[]));
    let offsets = |bench: &Bench| bench.piece(2).shapes[0].to_dense(bench.rest(2).len());
    let first = offsets(&bench);
    bench.run(wear(0, 0.5));
    let turned =
        PlaceOptions { turn_degrees: [0.0, 90.0, 0.0], size_percent: [200.0; 3], ..PlaceOptions::NONE };
    bench.run(Step::Seating(SeatingStep::Place { piece: 2, options: turned }));
    let turn = Quat::from_rotation_y(std::f32::consts::FRAC_PI_2);
    let apart = |a: &[Vec3], b: &[Vec3]| a.iter().zip(b).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    let wanted: Vec<Vec3> = first.iter().map(|o| turn * *o * 2.0).collect();
    assert!(apart(&offsets(&bench), &wanted) < 1e-6);
    let worn = bench.rest(2);
    bench.run(wear(0, 0.0));
    let bare = bench.rest(2);
    let half: Vec<Vec3> = bare.iter().zip(&wanted).map(|(p, o)| *p + *o * 0.5).collect();
    assert!(apart(&worn, &half) < 1e-5, "worn by half of it, turned");
    for _ in 0..2 {
        bench.shop.undo(bench.fitting).unwrap();
    }
    let before = bench.rest(2);
    bench.run(Step::Seating(SeatingStep::Mirror { piece: 2 }));
    let plane = 2.0 * (before[0].x + bench.rest(2)[0].x) * 0.5;
    let image: Vec<Vec3> = before.iter().map(|p| Vec3::new(plane - p.x, p.y, p.z)).collect();
    assert!(apart(&bench.rest(2), &image) < 1e-5, "its shape is mirrored with it");
    bench.shop.undo(bench.fitting).unwrap();
    let options = EaseOptions { least_mm: 20.0, most_mm: None };
    bench.run(Step::Seating(SeatingStep::Ease { piece: 2, chosen: Chosen::Everything, options }));
    assert_eq!(offsets(&bench), first, "easing leaves the shape as it is");
    let reach = Reach { radius_mm: 60.0, dabs: vec![5], mirrored: false };
    let stroke = BrushStroke {
        stroke: Default::default(),
        strength: 5.0,
        firm_percent: 0.0,
        reach,
        in_pose: None,
        into_shape: None,
    };
    let eased = bench.rest(2);
    bench.run(Step::Seating(SeatingStep::Brush { piece: 2, stroke }));
    assert!(apart(&eased, &bench.rest(2)) < 0.0051, "the brush moved what is worn");
}

/// A jacket whose front edges lie on each other at rest and come apart in its shape.
#[test]
fn a_seam_that_a_shape_opens_is_not_welded() {
    let p = |x: f32, y: f32| Vec3::new(x, 1.2 + y, 0.3);
    let positions = vec![
        p(-0.1, 0.0),
        p(0.0, 0.0),
        p(0.0, 0.1),
        p(-0.1, 0.1),
        p(0.0, 0.0),
        p(0.1, 0.0),
        p(0.1, 0.1),
        p(0.0, 0.1),
    ];
    let triangles = vec![[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]];
    let mesh = Mesh::new("jacket", positions, Vec::new(), triangles, Vec::new()).unwrap();
    let mut open = vec![Vec3::ZERO; 8];
    (open[4], open[7]) = (Vec3::X * 0.02, Vec3::X * 0.02);
    let part = MeshPart { mesh, ..MeshPart::default() };
    let shape = |name: &str, dense: &[Vec3]| Morph::from_dense(name.into(), dense);
    let shells = |shapes: &[Morph]| {
        let bench = wearing_coarse(&[]);
        let bytes = written(&part, shapes, &[]);
        let asset = bench.shop.bring_in("jacket.glb", &bytes, &Companions::new()).unwrap()[0].id;
        bench.run(bench.shop.piece_step(asset, 1, PieceKind::Soft).unwrap());
        bench.piece(1).topology.shells
    };
    assert_eq!(shells(&[]), 1, "a seam is one");
    assert_eq!(shells(&[shape("open", &open)]), 2);
    assert_eq!(shells(&[shape("higher", &[Vec3::Y * 0.01; 8])]), 1, "both sides go alike");
}

#[test]
fn shapes_are_posed() {
    let bench = put_on(&with_shapes(&[1.0]));
    let piece = bench.piece(2);
    let joints = bench.room().dress.body.skeleton.len();
    let up = vec![Mat4::from_translation(Vec3::Y); joints];
    let posed = piece.posed(&up);
    assert!(posed.iter().zip(piece.rest.iter()).all(|(a, b)| a.distance(*b + Vec3::Y) < 1e-4));
}

/// Faces without area are told, and left out at a press; no other face goes with them.
#[test]
fn faces_without_area_are_left_out() {
    let part = part_of("quilted tunic.glb");
    let old = part.mesh.positions.len() as u32;
    let [a, b, _] = part.mesh.triangles[0].map(|v| part.mesh.positions[v as usize]);
    // A needle between two corners of a face: its third corner lies on the line between them.
    let positions: Vec<Vec3> = part.mesh.positions.iter().copied().chain([(a + b) * 0.5]).collect();
    let mut triangles = part.mesh.triangles.clone();
    let faces = triangles.len();
    triangles.extend([[triangles[0][0], triangles[0][0], old], [triangles[0][1], old, old]]);
    let mesh = Mesh::new("tunic", positions, Vec::new(), triangles, Vec::new()).unwrap();
    let bench = wearing_coarse(&[]);
    let bytes = written(&MeshPart { mesh, ..MeshPart::default() }, &[], &[]);
    let asset = bench.shop.bring_in("tunic.glb", &bytes, &Companions::new()).unwrap()[0].id;
    bench.run(bench.shop.piece_step(asset, 1, PieceKind::Soft).unwrap());
    assert_eq!(bench.found(1, "without area").unwrap().sentence, "2 faces without area");
    assert_eq!(bench.cure(1, "without area"), "Leave out faces without area of tunic");
    assert_eq!(bench.piece(1).topology.triangles.len(), faces);
    assert!(bench.found(1, "without area").is_none());
    assert!(bench.refused(Step::Intake(IntakeStep::LeaveOutEmpty { piece: 1 })).contains("have an area"));
}

/// One vertex 2 km away: said, left out at a press, and meanwhile nothing else is welded otherwise.
#[test]
fn a_vertex_that_strayed_changes_nothing_of_the_others() {
    let part = part_of("quilted tunic.glb");
    let old = part.mesh.positions.len() as u32;
    let far = [Vec3::new(2000.0, 1.0, 0.0), Vec3::new(2000.0, 1.1, 0.0)];
    let positions: Vec<Vec3> = part.mesh.positions.iter().copied().chain(far).collect();
    let mut triangles = part.mesh.triangles.clone();
    triangles.push([0, old, old + 1]);
    let mesh = Mesh::new("tunic", positions, Vec::new(), triangles, Vec::new()).unwrap();
    let bench = wearing(&[]);
    let bytes = written(&MeshPart { mesh, ..MeshPart::default() }, &[], &[]);
    let asset = bench.shop.bring_in("tunic.glb", &bytes, &Companions::new()).unwrap()[0].id;
    bench.run(bench.shop.piece_step(asset, 1, PieceKind::Soft).unwrap());
    let whole = wearing(&[("quilted tunic", 1)]);
    assert_eq!(bench.rest(1).len(), whole.rest(1).len() + 2, "as many are welded as without it");
    let said = bench.cure(1, "2 vertices lie 2000 m away from the others");
    assert_eq!(said, "Leave out what strayed from tunic");
    assert_eq!(bench.rest(1), whole.rest(1));
    bench.bind_all();
    whole.bind_all();
    assert_eq!(bench.piece(1).bound.unwrap().skin, whole.piece(1).bound.unwrap().skin);
    assert!(bench
        .refused(Step::Intake(IntakeStep::LeaveOutStrays { piece: 1 }))
        .contains("nothing of “tunic” lies far"));
}

/// A pauldron with weights, a joint of its own, a shape and two materials, as its file has it.
fn all_in_one() -> (Vec<u8>, MeshPart) {
    let file = wardrobe().iter().find(|f| f.name == "left pauldron.glb").unwrap();
    let mut document = read(file.name, &file.bytes, &Companions::new()).unwrap();
    let mut part = document.meshes.remove(0);
    let material = |name: &str, red: f32| {
        let colour = serde_json::json!([red, 0.4, 0.3, 1.0]);
        serde_json::json!({ "name": name, "pbrMetallicRoughness": { "baseColorFactor": colour } })
    };
    let materials =
        Materials { materials: vec![material("tin", 0.5), material("rust", 0.9)], ..Materials::default() };
    let run = |first, material| MaterialRun { first, material: Some(material) };
    part.look = Look { runs: vec![run(0, 0), run(300, 1)], materials: materials.into(), ..Look::default() };
    let flared: Vec<Vec3> = part.mesh.normals.iter().map(|n| *n * 0.006).collect();
    part.morphs = vec![Morph::from_dense("flared".into(), &flared)];
    let written = GlbPart {
        name: "pauldron",
        mesh: &part.mesh,
        skin: part.skin.as_ref(),
        morphs: &part.morphs,
        amounts: &[0.25],
        mark: None,
        look: &part.look,
        colour: [0.5; 3],
    };
    let skeleton = document.skeleton.as_ref();
    (write_glb(&GlbScene { parts: vec![written], skeleton, clips: &[] }).unwrap(), part)
}

#[test]
fn a_piece_with_everything_goes_out_as_it_came() {
    let (bytes, came) = all_in_one();
    let bench = wearing_coarse(&[("quilted tunic", 1)]);
    let asset = bench.shop.bring_in("pauldron.glb", &bytes, &Companions::new()).unwrap()[0].id;
    bench.shop.sort(asset, AssetRole::Piece).unwrap();
    bench.run(bench.shop.piece_step(asset, 2, PieceKind::Stiff).unwrap());
    let out = read("x.glb", &export_glb(&bench.room().dress).unwrap(), &Companions::new()).unwrap();
    let part = out.meshes.iter().find(|m| m.name == "pauldron").unwrap();
    assert_eq!((&part.mesh.positions, &part.mesh.triangles), (&came.mesh.positions, &came.mesh.triangles));
    assert_eq!((&part.morphs, part.amounts.as_slice()), (&came.morphs, &[0.25][..]));
    let names = |p: &MeshPart| {
        let name = |r: &MaterialRun| p.look.materials.materials[r.material.unwrap() as usize]["name"].clone();
        p.look.runs.iter().map(|r| (r.first, name(r))).collect::<Vec<_>>()
    };
    assert_eq!(names(part), names(&came));
    // Each joint has the weights it had; the one the body lacks is there under the name it came with.
    let skeleton = out.skeleton.as_ref().unwrap();
    let own = read("pauldron.glb", &bytes, &Companions::new()).unwrap().skeleton.unwrap();
    assert!(bench.room().dress.body.own_joints.iter().any(|j| j.name == "pauldron_hinge_left"));
    for (j, name) in own.names.iter().enumerate() {
        let before = came.skin.as_ref().unwrap().column(JointId(j as u16));
        if before.iter().all(|w| *w == 0.0) {
            continue;
        }
        let after = part.skin.as_ref().unwrap().column(skeleton.find(name).unwrap());
        assert!(before.iter().zip(&after).all(|(a, b)| (a - b).abs() < 1e-5), "{name}");
    }
}

/// Faces left out take their part of a shape with them, of one that was turned too.
#[test]
fn a_shape_goes_through_a_cut() {
    let part = part_of("tin breastplate.glb");
    let flared: Vec<Vec3> = part.mesh.normals.iter().map(|n| *n * 0.004).collect();
    let bytes = written(&part, &[Morph::from_dense("flared".into(), &flared)], &[0.5]);
    for turned in [0.0, 30.0] {
        let bench = wearing_coarse(&[]);
        let asset = bench.shop.bring_in("plate.glb", &bytes, &Companions::new()).unwrap()[0].id;
        bench.run(bench.shop.piece_step(asset, 1, PieceKind::Stiff).unwrap());
        let options = PlaceOptions { turn_degrees: [0.0, turned, 0.0], ..PlaceOptions::NONE };
        bench.run(Step::Seating(SeatingStep::Place { piece: 1, options }));
        let old = bench.piece(1);
        let shape = old.shapes[0].to_dense(old.rest.len());
        bench.run(Step::Intake(IntakeStep::LeaveOutUnseen { piece: 1 }));
        let new = bench.piece(1);
        assert!(new.rest.len() < old.rest.len() && new.amounts == [0.5]);
        for (p, offset) in new.rest.iter().zip(new.shapes[0].to_dense(new.rest.len())) {
            let was = old.rest.iter().position(|q| q == p).unwrap();
            assert!(offset.distance(shape[was]) < 1e-7);
        }
    }
}

/// How many spots show in the columns of a group.
fn spots_in(bench: &Bench, group: &str) -> usize {
    let board = bench.board();
    let cells = board.measured().filter(|(p, _, _)| board.poses[*p].group == group);
    cells.map(|c| c.2.poking + c.2.sunk).sum()
}

#[test]
fn pieces_follow_the_bodys_shapes_in_every_pose_and_file() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    let plan = TrialPlan { body_shapes: true, ..bench.open().room.state.plan.clone() };
    bench.run(Step::Trial(TrialStep::Try { plan, said: "shapes too".to_owned() }));
    let before = spots_in(&bench, "stout");
    assert!(before > 10_000, "a stout body comes through clothes that do not follow it: {before}");
    bench.run(Step::Seating(SeatingStep::FollowShapes {
        pieces: Vec::new(),
        follow: true,
        shapes: Vec::new(),
    }));
    let after = spots_in(&bench, "stout");
    assert!(after < before / 100, "{before} spots became {after}");

    // At rest nothing has moved, and undo takes it back.
    let open = bench.open();
    let tunic = open.room.dress.pieces.iter().find(|p| p.name == "quilted tunic").unwrap();
    assert_eq!(tunic.carried.as_ref().unwrap().0.len(), open.room.dress.body.morphs.len());
    assert_eq!(tunic.rest, tunic.unshaped);

    // It goes out with the names of the body's shapes, and a stranger's reader has the same board.
    let bytes = export_glb(&open.room.dress).unwrap();
    let document = read("dressed.glb", &bytes, &Companions::new()).unwrap();
    let out = document.meshes.iter().find(|m| m.name == "quilted tunic").unwrap();
    assert!(out.morphs.iter().any(|m| m.name == "stout" && !m.vertices.is_empty()));
    let elbow = out.morphs.iter().find(|m| m.driver.is_some()).expect("a shape that a pose calls up");
    assert!(open.room.dress.body.morphs.iter().any(|m| m.name == elbow.name));

    // Called up by hand, half of one and two together: the body and what follows it are that far on their way.
    let number = |name: &str| open.room.dress.body.own_shapes().iter().position(|m| m.name == name).unwrap();
    let seen = |shapes: Vec<(usize, f32)>| {
        let request = ViewRequest { shapes, ..ViewRequest::default() };
        let parts = open.room.view(&request).unwrap();
        parts.into_iter().flat_map(|p| p.positions).collect::<Vec<Vec3>>()
    };
    let (stout, slight) = (number("stout"), number("slight"));
    let (rest, one, other) = (seen(Vec::new()), seen(vec![(stout, 1.0)]), seen(vec![(slight, 1.0)]));
    let (half, both) = (seen(vec![(stout, 0.5)]), seen(vec![(stout, 1.0), (slight, 1.0)]));
    assert!((0..rest.len()).any(|v| one[v].distance(rest[v]) > 0.02));
    for v in 0..rest.len() {
        assert!(half[v].distance((rest[v] + one[v]) * 0.5) < 1e-5);
        assert!(both[v].distance(one[v] + other[v] - rest[v]) < 1e-5);
    }
    let beyond = ViewRequest { shapes: vec![(99, 1.0)], ..ViewRequest::default() };
    assert!(open.room.view(&beyond).is_err());

    // What no longer fits where it was is said, and let go.
    let options = PlaceOptions { shift_mm: [0.0, 5.0, 0.0], ..PlaceOptions::NONE };
    bench.run(Step::Seating(SeatingStep::Place { piece: 2, options }));
    let moved = bench.open();
    assert!(moved.room.dress.pieces.iter().find(|p| p.name == "quilted tunic").unwrap().carried.is_none());
    let told = &moved.current().unwrap().effect;
    assert!(told.contains("quilted tunic follows the body’s shapes no longer"), "{told}");
}
