//! How pieces are bound, on the demo's own files: methods, sources, joints of their own, cages and
//! kept bindings.

use std::fmt::Write;
use tin_cloak_testkit::{wearing, wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::bind::sides::BodySide;
use tin_cloak_workshop::core::clearance::stiffness_error;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{
    bind_piece, dressed_document, export_glb, read, BindOptions, BindingStep, Chosen, Clean, Companions,
    FollowWish, IntakeStep, KeptPose, MapKind, MeshPart, Method, OfHidden, OwnJoint, Piece, PieceKind,
    Recipe, SeatingStep, SideWish, SourcePart, Step, Takes, TrialStep, ViewRequest,
};

fn by(method: Method) -> BindOptions {
    BindOptions { method, ..BindOptions::default() }
}

fn choose(piece: u32, options: BindOptions) -> Step {
    Step::Binding(BindingStep::ChooseMethod { piece, options })
}

fn takes(piece: u32, takes: Takes) -> Step {
    Step::Binding(BindingStep::TakeFrom { piece, takes, part: SourcePart::Whole })
}

fn swing(name: &str, piece: u32, place: Vec3) -> OwnJoint {
    OwnJoint {
        name: name.to_owned(),
        parent: "hips".to_owned(),
        piece,
        place,
        tip: place - Vec3::Y * 0.2,
        axis: Vec3::X,
        range: [-20.0, 35.0],
        reach_mm: 90.0,
    }
}

/// The share of a piece's weight on joints of one side, at vertices on the other.
fn astray(bench: &Bench, piece: u32) -> f32 {
    let (worn, skeleton) = (bench.piece(piece), bench.room().dress.body.skeleton.clone());
    let skin = worn.bound.unwrap().skin.clone();
    let wrong = |v: usize, j: JointId| {
        let side = if worn.rest[v].x > 0.02 { "_right" } else { "_left" };
        worn.rest[v].x.abs() > 0.02 && skeleton.names[j.index()].ends_with(side)
    };
    (0..worn.rest.len()).flat_map(|v| skin.row(v).filter(move |e| wrong(v, e.0))).map(|e| e.1).sum()
}

#[test]
fn every_step_says_what_it_did() {
    let bench = wearing_coarse(&[("breeches", 1), ("lantern", 2), ("oil hose", 3)]);
    let mut said = String::new();
    let mut run = |step: Step| {
        let sentence = bench.run(step);
        writeln!(said, "{sentence}").unwrap();
        bench.open().effect().notes.iter().for_each(|n| writeln!(said, "  {n}").unwrap());
    };
    let clean = |clean| {
        Step::Binding(BindingStep::Clean { piece: 1, clean, chosen: Chosen::Everything, locked: Vec::new() })
    };
    run(Step::Intake(IntakeStep::SetKind { piece: 2, kind: PieceKind::Stiff }));
    run(Step::Binding(BindingStep::Bind { pieces: Vec::new() }));
    run(choose(1, BindOptions { match_mm: Some(4.0), match_deg: 10.0, ..by(Method::Normal) }));
    run(choose(1, by(Method::Heat)));
    run(choose(1, BindOptions { apart_mm: Some(10.0), ..by(Method::Inpaint) }));
    run(choose(3, BindOptions { ends: [Some("spine_2".into()), None], stretch: 0.5, ..by(Method::Ends) }));
    run(Step::Binding(BindingStep::MarkSide {
        piece: 1,
        mark: SideWish { vertex: 0, side: BodySide::Left, reach_mm: 30.0 },
    }));
    run(Step::Binding(BindingStep::ClearSides { piece: 1 }));
    run(Step::Binding(BindingStep::Follow { piece: 2, shell: None, follow: FollowWish::Blend }));
    run(clean(Clean::Limit { most: 2 }));
    run(clean(Clean::Prune { least: 0.1 }));
    run(clean(Clean::Smooth { strength: 0.5, times: 2 }));
    run(clean(Clean::Mirror { from_left: true, blend_mm: 20.0, joints: Vec::new() }));
    run(Step::Binding(BindingStep::AddJoint { joint: swing("flap", 1, Vec3::new(0.09, 0.5, 0.06)) }));
    run(Step::Binding(BindingStep::RemoveJoint { name: "flap".to_owned() }));
    run(Step::Binding(BindingStep::MakeCage { pieces: vec![1], offset_mm: 12.0, cell_mm: 20.0 }));
    run(Step::Binding(BindingStep::Bind { pieces: Vec::new() }));
    insta::assert_snapshot!(said);
}

#[test]
fn sides_are_kept_apart_and_parts_of_a_source_are_all_there_is() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("boots", 2)]);
    assert!(astray(&bench, 1) > 0.5, "at the crotch each side takes from the other");
    bench.run(choose(1, BindOptions { apart_mm: Some(5.0), ..by(Method::Surface) }));
    assert_eq!(astray(&bench, 1), 0.0);
    let request = ViewRequest { map: MapKind::Sides, ..ViewRequest::default() };
    let map = bench.room().view(&request).unwrap()[1].map.clone().unwrap();
    assert!(map.contains(&1.0) && map.contains(&-1.0));

    // Boots from what the right shin and foot move alone: the left boot goes along with them.
    let part = SourcePart::Joints(vec!["lower_leg_right".into(), "foot_right".into(), "toe_right".into()]);
    bench.run(Step::Binding(BindingStep::TakeFrom { piece: 2, takes: Takes::Body, part }));
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![2] }));
    let skeleton = bench.room().dress.body.skeleton.clone();
    let left = skeleton.find("lower_leg_left").unwrap();
    assert!(bench.piece(2).bound.unwrap().skin.column(left).iter().all(|w| *w == 0.0));
    let none = SourcePart::Joints(vec!["knee_pole_left".into()]);
    bench.run(Step::Binding(BindingStep::TakeFrom { piece: 2, takes: Takes::Body, part: none }));
    assert!(bench.refused(Step::Binding(BindingStep::Bind { pieces: vec![2] })).contains("nothing is left"));
    // All that lies beneath: the breeches where they are nearer than the skin.
    bench.run(takes(2, Takes::Beneath));
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![2] }));
    assert!(bench.refused(takes(1, Takes::Pieces(vec![2]))).contains("from itself"));
    assert!(bench
        .refused(choose(1, BindOptions { stretch: 2.0, ..by(Method::Ends) }))
        .contains("stretch is 0 to 1"));
}

#[test]
fn what_was_matched_and_what_was_filled_shows() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let request = ViewRequest { map: MapKind::Matched, ..ViewRequest::default() };
    let filled = |bench: &Bench| -> usize {
        let bound = bench.piece(1).bound.unwrap();
        let share = 1.0 - bound.filled.len() as f32 / bound.skin.vertices() as f32;
        assert!((share - bound.matched_share).abs() < 1e-6);
        let map = bench.room().view(&request).unwrap()[1].map.clone().unwrap();
        assert_eq!(map.contains(&1.0), !bound.filled.is_empty());
        bound.filled.len()
    };
    let usual = filled(&bench);
    bench.run(choose(1, BindOptions { match_mm: Some(8.0), ..by(Method::Inpaint) }));
    assert!(filled(&bench) > usual * 2, "a shorter reach leaves more to fill");
    bench.run(choose(1, by(Method::Surface)));
    assert!(bench.room().view(&request).unwrap()[1].map.is_none());
}

#[test]
fn joints_come_with_a_piece_and_go_out_as_one_skeleton() {
    let bench = wearing_coarse(&[("lantern", 1), ("left pauldron", 2)]);
    assert!(
        bench.open().effect().notes[0].contains("brings the joint pauldron_hinge_left under upper_arm_left")
    );
    for piece in [1, 2] {
        bench.run(Step::Intake(IntakeStep::SetKind { piece, kind: PieceKind::Stiff }));
    }
    bench.run(Step::Trial(TrialStep::KeepPose { name: "mine".into(), pose: 0, turns: Vec::new() }));
    bench.bind_all();
    let room = bench.room();
    let skeleton = &room.dress.body.skeleton;
    let joint = skeleton.find("lantern_swing").unwrap();
    let lantern = bench.piece(1);
    assert!(lantern.bound.as_ref().unwrap().skin.column(joint).iter().all(|w| *w == 1.0));
    let out = room.trials.trials.iter().find(|t| t.name == "own joints out").unwrap();
    let posed = lantern.posed(&skeleton.skin_matrices(&out.pose));
    let moved = posed.iter().zip(lantern.rest.iter()).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!(moved > 0.05, "it swings: {moved}");
    assert!(stiffness_error(&lantern.rest, &posed) < 1e-5);

    let again = read("out.glb", &export_glb(&room.dress).unwrap(), &Companions::new()).unwrap();
    let names = again.skeleton.unwrap().names;
    assert_eq!(names.len(), skeleton.len());
    assert!(names.contains(&"pauldron_hinge_left".to_owned()));
    assert_eq!(dressed_document(&room.dress, OfHidden::LeftOut).unwrap().meshes.len(), 3);

    // The lantern goes: what follows a joint behind its own is numbered anew.
    bench.run(Step::Intake(IntakeStep::RemovePiece { piece: 1 }));
    let room = bench.room();
    let hinge = room.dress.body.skeleton.find("pauldron_hinge_left").unwrap();
    assert!(bench.piece(2).bound.unwrap().skin.column(hinge).contains(&1.0));
    let kept: &KeptPose = &room.state.poses[0];
    assert_eq!(kept.pose.rotations.len(), room.dress.body.skeleton.len());
    // It is copied to the other side with its hinge.
    bench.run(Step::Seating(SeatingStep::CopyMirrored { piece: 2 }));
    let room = bench.room();
    let (left, right) = (&room.state.joints[0], &room.state.joints[1]);
    assert_eq!((right.name.as_str(), right.parent.as_str()), ("pauldron_hinge_right", "upper_arm_right"));
    assert!((left.place * Vec3::new(-1.0, 1.0, 1.0)).distance(right.place) < 1e-6);
    assert!(bench.refused(Step::Binding(BindingStep::AddJoint { joint: right.clone() })).contains("already"));
    bench.shop.undo(bench.fitting).unwrap();
    bench.shop.undo(bench.fitting).unwrap();
    assert!(bench.room().dress.body.skeleton.find("lantern_swing").is_some());
}

#[test]
fn a_joint_given_to_cloth_takes_what_is_near_and_leaves_it_to_its_parent() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let before = bench.piece(1).bound.unwrap().skin.clone();
    bench.run(Step::Binding(BindingStep::AddJoint { joint: swing("flap", 1, Vec3::new(0.0, 0.85, 0.13)) }));
    let skeleton = bench.room().dress.body.skeleton.clone();
    let (flap, hips) = (skeleton.find("flap").unwrap(), skeleton.find("hips").unwrap());
    let with = bench.piece(1).bound.unwrap().skin.clone();
    let taken = with.column(flap);
    assert!(taken.iter().any(|w| *w > 0.99));
    // Easing the cloth takes the joint along.
    let place = bench.room().state.joints[0].place;
    bench.run(Step::Seating(SeatingStep::Ease {
        piece: 1,
        chosen: Chosen::Everything,
        options: tin_cloak_workshop::EaseOptions { least_mm: 90.0, most_mm: None },
    }));
    assert!(bench.room().state.joints[0].place.distance(place) > 0.004);
    bench.shop.undo(bench.fitting).unwrap();
    let wider = OwnJoint { reach_mm: 180.0, ..bench.room().state.joints[0].clone() };
    bench.run(Step::Binding(BindingStep::ChangeJoint { joint: wider.clone() }));
    let wide = bench.piece(1).bound.unwrap().skin.column(flap);
    assert!(wide.iter().sum::<f32>() > taken.iter().sum::<f32>() * 1.5);
    assert!(bench
        .refused(Step::Binding(BindingStep::ChangeJoint {
            joint: OwnJoint { parent: "flap".into(), ..wider }
        }))
        .contains("flap"));
    bench.run(Step::Binding(BindingStep::RemoveJoint { name: "flap".into() }));
    let after = bench.piece(1).bound.unwrap().skin.clone();
    let gained: f32 = after.column(hips).iter().zip(before.column(hips)).map(|(a, b)| a - b).sum();
    assert!(gained > 0.0 && bench.room().dress.body.skeleton.find("flap").is_none());
}

/// How many cells are out of tolerance, and how deep they are in all, millimetres.
fn out_of(bench: &Bench) -> (usize, f32) {
    let board = bench.board();
    (board.bad_cells() + board.stress_cells().0, board.out_mm())
}

/// How far a piece that hangs in a cage is off it at most, millimetres, as the last step says.
fn off_the_cage(bench: &Bench, piece: &str) -> f32 {
    let notes = bench.open().effect().notes;
    let told = notes.iter().find(|n| n.starts_with(piece) && n.contains("off the cage by")).unwrap();
    told.split("off the cage by ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap()
}

/// Edges of a piece over which more than a third of the weight goes to other joints.
fn jumps(piece: &Piece) -> usize {
    let skin = &piece.bound.as_ref().unwrap().skin;
    let elsewhere = |[a, b]: &[u32; 2]| -> f32 {
        let of = |j: JointId| skin.row(*b as usize).find(|e| e.0 == j).map_or(0.0, |e| e.1);
        skin.row(*a as usize).map(|(j, w)| (w - of(j)).max(0.0)).sum()
    };
    piece.topology.edges.iter().filter(|e| elsewhere(e) > 0.34).count()
}

#[test]
fn coat_and_tunic_hang_smooth_in_a_cage() {
    let bench = wearing(&[("quilted tunic", 1), ("oilskin coat", 2)]);
    bench.run(Step::Intake(IntakeStep::CureAll));
    bench.bind_all();
    let direct = out_of(&bench);
    let torn = jumps(&bench.piece(2));
    bench.run(Step::Binding(BindingStep::MakeCage { pieces: vec![1, 2], offset_mm: 15.0, cell_mm: 15.0 }));
    bench.bind_all();
    let off = ["quilted tunic", "oilskin coat"].map(|name| off_the_cage(&bench, name));
    assert!(off.iter().all(|mm| *mm < 12.0), "{off:?}");
    let caged = out_of(&bench);
    assert!(caged.0 * 10 < direct.0 * 11 && caged.1 < direct.1, "{caged:?} for {direct:?}");
    // Neighbours on the cloth follow the same joints.
    let jumps = jumps(&bench.piece(2));
    assert!(jumps * 2 < torn, "{jumps} for {torn}");
}

#[test]
fn a_cage_carries_its_pieces_and_is_not_worn() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("breeches", 2)]);
    bench.run(Step::Binding(BindingStep::MakeCage { pieces: vec![1], offset_mm: 15.0, cell_mm: 20.0 }));
    assert!(bench
        .refused(Step::Binding(BindingStep::Bind { pieces: vec![1] }))
        .contains("which is not bound"));
    bench.bind_all();
    let notes = bench.open().effect().notes;
    assert!(notes.iter().any(|n| n == "All of quilted tunic lies inside cage"), "{notes:?}");
    assert!(off_the_cage(&bench, "quilted tunic") < 8.0);
    assert!(bench.piece(1).bound.unwrap().skin.max_influences() <= 4);
    let board = bench.board();
    assert!(board.pairs.iter().all(|p| p.outer != "cage" && p.inner != "cage"));
    assert_eq!(dressed_document(&bench.room().dress, OfHidden::LeftOut).unwrap().meshes.len(), 3);
    // Cleaning the cage takes the tunic along.
    let before = bench.piece(1).bound.unwrap().skin.clone();
    let smooth = Clean::Smooth { strength: 0.5, times: 5 };
    bench.run(Step::Binding(BindingStep::Clean {
        piece: 3,
        clean: smooth,
        chosen: Chosen::Everything,
        locked: Vec::new(),
    }));
    assert_ne!(bench.piece(1).bound.unwrap().skin.clone(), before);
    assert!(bench.refused(takes(2, Takes::Cage(1))).contains("use it as a cage first"));
    // Hung in it by hand, the breeches are told to stick out.
    bench.run(takes(2, Takes::Cage(3)));
    let notes = bench.open().effect().notes;
    assert!(notes.iter().any(|n| n.contains("lie outside cage")), "{notes:?}");
    // The cage goes, the weights stay.
    let kept = bench.piece(1).bound.unwrap().skin.clone();
    bench.run(Step::Intake(IntakeStep::RemovePiece { piece: 3 }));
    assert_eq!(bench.piece(1).bound.unwrap().skin.clone(), kept);
    assert!(bench
        .refused(Step::Binding(BindingStep::MakeCage { pieces: Vec::new(), offset_mm: 15.0, cell_mm: 0.0 }))
        .contains("cage lies"));
}

#[test]
fn a_binding_is_kept_for_the_next_piece_of_its_sort() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("boots", 1)]);
    let shop = &bench.shop;
    assert!(shop.keep_template(bench.fitting, 1, "tunics").is_err(), "it is not bound");
    bench.bind_all();
    let tunics = shop.keep_template(bench.fitting, 1, "tunics").unwrap();
    shop.keep_template(bench.fitting, 2, "boots").unwrap();
    assert!(shop.keep_template(bench.fitting, 2, " ").is_err());
    let room = bench.room();
    let best = |id: u32| shop.templates_for(&room, room.index_of(id).unwrap()).unwrap();
    assert_eq!(best(1)[0].name, "tunics");
    assert!(best(1)[0].likeness > 0.95 && best(1)[1].likeness < 0.5, "{:?}", best(1));
    assert_eq!(best(2)[0].name, "boots");
    // The tunic takes its own weights back, to a hair.
    let before = bench.piece(1).bound.unwrap().skin.clone();
    bench.run(shop.template_step(tunics.id, 1).unwrap());
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![1] }));
    let after = bench.piece(1).bound.unwrap().skin.clone();
    let furthest = (0..bench.room().dress.body.skeleton.len())
        .flat_map(|j| {
            let (a, b) = (before.column(JointId(j as u16)), after.column(JointId(j as u16)));
            a.into_iter().zip(b).map(|(a, b)| (a - b).abs()).collect::<Vec<_>>()
        })
        .fold(0.0, f32::max);
    assert!(furthest < 1e-3, "{furthest}");
    assert!(shop.template_step(1, 1).is_err(), "the body is no kept binding");
}

#[test]
fn the_bodys_own_surface_a_little_further_out_gets_its_weights_back() {
    let bench = wearing(&[]);
    let room = bench.room();
    let body = &room.dress.body;
    let mut mesh = body.mesh.clone();
    mesh.positions.iter_mut().zip(&body.mesh.normals).for_each(|(p, n)| *p += *n * 0.003);
    let part = MeshPart { name: "suit".into(), mesh, ..MeshPart::default() };
    let suit = Piece::new(part, 1, PieceKind::Soft, body, false);
    let (bound, _) = bind_piece(body, &suit, &Recipe::default()).unwrap();
    // Mitten and thumb, thigh and thigh: a few folds lie nearer to something else.
    let rows = |v: usize| body.welded_skin.row(body.topology.weld.of_vertex[v] as usize);
    let apart = |v: usize| -> f32 {
        let own: Vec<_> = bound.skin.row(suit.topology.weld.of_vertex[v] as usize).collect();
        let of = |j: JointId| own.iter().find(|e| e.0 == j).map_or(0.0, |e| e.1);
        rows(v).map(|(j, w)| (w - of(j)).max(0.0)).sum::<f32>() * 2.0
    };
    let count = body.mesh.positions.len();
    let mean = (0..count).map(apart).sum::<f32>() / count as f32;
    assert!(mean < 0.02, "{mean}");
}

#[test]
fn what_was_said_of_a_place_stays_with_it_when_faces_are_left_out() {
    let bench = wearing_coarse(&[("tin breastplate", 1)]);
    let vertex = 4785;
    let place = bench.rest(1)[vertex as usize];
    bench.run(Step::Binding(BindingStep::MarkSide {
        piece: 1,
        mark: SideWish { vertex, side: BodySide::Right, reach_mm: 30.0 },
    }));
    bench.run(Step::Intake(IntakeStep::LeaveOutUnseen { piece: 1 }));
    let kept = bench.room().state.pieces[0].recipe.sides[0].vertex;
    assert_ne!(kept, vertex, "vertices are numbered anew");
    assert_eq!(bench.rest(1)[kept as usize], place);
}
