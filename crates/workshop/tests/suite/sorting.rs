//! Sorting, cures and hand work on the demo's own files, with known answers.

use std::sync::Arc;
use tin_cloak_testkit::{wardrobe, wearing_coarse, Bench};
use tin_cloak_workshop::core::glam::{Quat, Vec3};
use tin_cloak_workshop::core::intake::{mirror_partner, Place, Up};
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::BrushViewOfRoom;
use tin_cloak_workshop::EasingOfRoom;
use tin_cloak_workshop::SitsOfRoom;
use tin_cloak_workshop::WornOnOfRoom;
use tin_cloak_workshop::{
    dressed_document, read, sort_document, stiff_shells, BindingStep, BrushStroke, Chosen, Companions,
    EaseOptions, IntakeStep, JointChoice, OfHidden, PieceKind, PlaceOptions, Reach, SeatingStep, Step,
    TrialStep, Turn, Workshop,
};

#[test]
fn layers_make_room_for_a_piece_put_between_them() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("boots", 2), ("lantern", 3)]);
    let put = |piece, over| bench.run(Step::Intake(IntakeStep::PutOver { piece, over }));
    assert_eq!(put(3, Some(1)), "Put lantern over quilted tunic, on layer 2");
    assert_eq!(bench.layers(), [(1, 1), (2, 3), (3, 2)]);
    put(3, None);
    assert_eq!(bench.layers(), [(1, 2), (2, 4), (3, 1)], "next to the skin");
    put(1, Some(2));
    assert_eq!(bench.layers(), [(1, 5), (2, 4), (3, 1)], "nothing moves when there is room");
    bench.run(Step::Intake(IntakeStep::MoveToLayer { piece: 1, layer: 99 }));
    bench.run(Step::Intake(IntakeStep::MoveToLayer { piece: 2, layer: 98 }));
    assert!(bench
        .refused(Step::Intake(IntakeStep::PutOver { piece: 3, over: Some(2) }))
        .contains("1 (next to the skin) to 99"));
    assert!(bench
        .refused(Step::Intake(IntakeStep::PutOver { piece: 3, over: Some(1) }))
        .contains("1 (next to the skin) to 99"));
    assert!(bench
        .refused(Step::Intake(IntakeStep::MoveToLayer { piece: 3, layer: 0 }))
        .contains("1 (next to the skin) to 99"));
}

#[test]
fn places_are_guessed_said_and_doubted() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("boots", 1), ("tin breastplate", 2), ("lantern", 3)]);
    // The boots come filed under hands; the others are guessed.
    assert!(bench.found(2, "filed under hands, but seems to be worn on the feet").is_some());
    let place = |i: usize| bench.room().place_of(i);
    assert_eq!(
        (place(0), place(1), place(2), place(3)),
        (Place::Torso, Place::Hands, Place::Torso, Place::Hung)
    );
    assert_eq!(bench.cure(2, "filed under hands"), "File boots under feet");
    assert!(bench.found(2, "filed under").is_none());
    assert_eq!(place(1), Place::Feet);
    // Two things in one place on one layer.
    assert!(bench.found(1, "shares the").is_none());
    bench.run(Step::Intake(IntakeStep::MoveToLayer { piece: 3, layer: 1 }));
    assert!(bench.found(1, "shares the torso on layer 1 with tin breastplate").is_some());
    // What was said goes out with the file.
    let mark =
        dressed_document(&bench.room().dress, OfHidden::LeftOut).unwrap().meshes.remove(2).mark.unwrap();
    assert_eq!(mark.place.as_deref(), Some("feet"));
}

#[test]
fn parts_of_a_mixed_piece_are_filed_one_by_one() {
    let bench = wearing_coarse(&[("lantern", 1)]);
    assert!(bench
        .refused(Step::Intake(IntakeStep::SetShell { piece: 1, shell: 8, stiff: true }))
        .contains("no part 8"));
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 1, kind: PieceKind::Mixed }));
    assert_eq!(stiff_shells(&bench.room().dress.pieces[0]), [true; 8]);
    assert_eq!(
        bench.run(Step::Intake(IntakeStep::SetShell { piece: 1, shell: 1, stiff: false })),
        "File part 2 of lantern as cloth; bound again as its recipe says"
    );
    let stiff = stiff_shells(&bench.room().dress.pieces[0]);
    assert_eq!(stiff.iter().filter(|s| !**s).count(), 1);
    assert!(!stiff[1] && bench.found(1, "filed as mixed").is_none());
}

#[test]
fn a_thing_that_hangs_off_is_brought_near() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("lantern", 2)]);
    assert!(bench.found(1, "comes nearer than").is_none());
    assert_eq!(bench.cure(2, "nothing of it comes nearer than"), "Place lantern; its weights stay");
    assert!(bench.found(2, "comes nearer than").is_none());
    let gap = bench.room().seat_report(1);
    assert!(gap.sunk == 0 && gap.measured > 0, "{gap:?}");
}

#[test]
fn faces_nobody_sees_are_left_out_with_shape_and_weights_kept() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("tin breastplate", 2)]);
    assert!(bench.found(1, "are hidden at rest by").is_none());
    let moved = PlaceOptions { shift_mm: [0.0, 0.0, 3.0], ..PlaceOptions::NONE };
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 2, kind: PieceKind::Stiff }));
    bench.run(Step::Seating(SeatingStep::Place { piece: 2, options: moved }));
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![2] }));
    let (before, board) = (bench.room(), bench.board());
    bench.cure(2, "are hidden at rest by");
    let after = bench.room();
    let (old, new) = (&before.dress.pieces[1], &after.dress.pieces[1]);
    assert!(new.topology.triangles.len() < old.topology.triangles.len() * 7 / 10);
    for (v, p) in new.rest.iter().enumerate() {
        let was = old.rest.iter().position(|q| q == p).unwrap_or_else(|| panic!("vertex {v} moved"));
        let row = |piece: &tin_cloak_workshop::Piece, v: usize| {
            piece.bound.as_ref().unwrap().skin.row(v).collect::<Vec<_>>()
        };
        assert_eq!(row(new, v), row(old, was));
    }
    // The board of the thinner plate was measured, and all is back on undo.
    assert_ne!(bench.board(), board);
    assert!(bench.found(2, "are hidden at rest by").is_none() && bench.found(2, "filed as").is_none());
    assert!(bench.refused(Step::Intake(IntakeStep::LeaveOutUnseen { piece: 1 })).contains("can be seen"));
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.rest(2).len(), old.rest.len());
}

#[test]
fn a_copy_for_the_other_side_is_the_mirror_image() {
    let bench = wearing_coarse(&[("lantern", 1)]);
    let joints = vec!["upper_leg_left".to_owned(), "hips".to_owned()];
    bench.run(Step::Binding(BindingStep::ChooseJoints {
        piece: 1,
        choice: Some(JointChoice { only: true, joints }),
    }));
    let said = bench.run(Step::Seating(SeatingStep::CopyMirrored { piece: 1 }));
    assert_eq!(said, "Copy lantern to the other side; bound again as its recipe says");
    let copied = bench.room().state.pieces[1].recipe.joints.clone().unwrap();
    assert_eq!(copied.joints, ["upper_leg_right", "hips"]);
    let room = bench.room();
    let (one, other) = (&room.dress.pieces[0], &room.dress.pieces[1]);
    assert_eq!(other.name, "lantern, other side");
    for (a, b) in one.rest.iter().zip(other.rest.iter()) {
        assert!(b.distance(*a * Vec3::new(-1.0, 1.0, 1.0)) < 1e-5);
    }
    // Still wound outward, and mirrored twice the first again.
    let facts = tin_cloak_workshop::core::intake::look_over(&other.topology, &other.rest);
    assert!(facts.inside_out.is_empty());
    bench.run(Step::Seating(SeatingStep::Mirror { piece: 2 }));
    let back = bench.room().dress.pieces[1].clone();
    assert_eq!(back.topology.triangles, one.topology.triangles);
    assert!(back.rest.iter().zip(one.rest.iter()).all(|(a, b)| a.distance(*b) < 1e-6));
}

#[test]
fn the_middle_of_a_piece_is_brought_to_a_joint() {
    let bench = wearing_coarse(&[("lantern", 1)]);
    let skeleton = &bench.room().dress.body.skeleton;
    let hand = skeleton.find("hand_left").unwrap();
    let options = PlaceOptions { shift_mm: [0.0, -100.0, 0.0], onto: Some(hand.0), ..PlaceOptions::NONE };
    bench.run(Step::Seating(SeatingStep::Place { piece: 1, options }));
    let (low, high) = tin_cloak_workshop::core::mesh::bounds(&bench.rest(1));
    let wanted = skeleton.rest_positions()[hand.index()] - Vec3::Y * 0.1;
    assert!(((low + high) * 0.5).distance(wanted) < 1e-4);
    let nowhere = PlaceOptions { onto: Some(9999), ..PlaceOptions::NONE };
    assert!(bench
        .refused(Step::Seating(SeatingStep::Place { piece: 1, options: nowhere }))
        .contains("joint 9999"));
}

#[test]
fn a_body_in_centimetres_on_its_back_is_cured_whole() {
    // The demo's body as another program would have written it.
    let document = read("wick.glb", &wardrobe()[0].bytes, &Companions::new()).unwrap();
    let (wick, _) = sort_document("wick.glb", document, None).unwrap();
    let lying = wick.clone().placed(100.0, Up::Z.rotation().inverse());
    let dress = tin_cloak_workshop::Dress {
        body: Arc::new(lying),
        pieces: Vec::new(),
        said: Arc::default(),
        masked: Arc::default(),
    };
    let bytes = tin_cloak_workshop::export_glb(&dress).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    let body = shop.bring_in("lying.glb", &bytes, &Companions::new()).unwrap()[0].id;
    let fitting = shop.begin("Lying", body).unwrap();
    let bench = Bench { shop, fitting, folder };
    assert!(bench.found(0, "lies on its back (Z is up in its file) and is 17").is_some());
    assert_eq!(bench.cure(0, "lies on its back"), "Bring Wick to metres with Y up (0.01 m a unit)");
    assert!(bench.found(0, "lies on its back").is_none());

    // Every trial pose, clips and shapes included, is the original's to a hundredth of a millimetre.
    let cured = bench.room();
    let original = wearing_coarse(&[]).room();
    assert_eq!(cured.trials.trials.len(), original.trials.trials.len());
    for (a, b) in cured.trials.poses(&cured.dress.body).iter().zip(original.trials.poses(&wick)) {
        let (a, b) = (cured.dress.body.posed(&a.matrices, &a.amounts), wick.posed(&b.matrices, &b.amounts));
        let off = a.iter().zip(&b).map(|(p, q)| p.distance(*q)).fold(0.0, f32::max);
        assert!(off < 1e-4, "{off} m off");
    }
    bench.shop.undo(bench.fitting).unwrap();
    assert!(bench.found(0, "lies on its back").is_some());
}

#[test]
fn a_pose_set_by_hand_is_kept_on_both_sides_and_tried() {
    let bench = wearing_coarse(&[("quilted tunic", 1)]);
    let skeleton = bench.room().dress.body.skeleton.clone();
    let arm = skeleton.find("upper_arm_left").unwrap();
    let partner = mirror_partner(&skeleton, arm).unwrap();
    assert_eq!(skeleton.names[partner.index()], "upper_arm_right");
    let turns = vec![Turn {
        joint: arm.0,
        bend: -40.0,
        twist: 10.0,
        lean: 15.0,
        both_sides: true,
        ..Turn::default()
    }];
    let before = bench.room().trials.trials.len();
    let keep = |name: &str| {
        Step::Trial(TrialStep::KeepPose { name: name.to_owned(), pose: 0, turns: turns.clone() })
    };
    assert_eq!(bench.run(keep(" arms out ")), "Keep the pose “arms out”");
    let room = bench.room();
    assert_eq!(room.trials.trials.len(), before + 1);
    let pose = &room.trials.trials[before].pose;
    let world = skeleton.world(pose);
    let hand = |name: &str| world[skeleton.find(name).unwrap().index()].w_axis.truncate();
    let mirrored = hand("hand_left") * Vec3::new(-1.0, 1.0, 1.0);
    assert!(mirrored.distance(hand("hand_right")) < 1e-4);
    assert!(pose.rotations[arm.index()].angle_between(Quat::IDENTITY) > 0.5);
    // The same name again replaces it; dropped, it is gone.
    bench.run(keep("arms out"));
    assert_eq!(bench.room().trials.trials.len(), before + 1);
    assert!(bench.refused(keep("  ")).contains("1 to 60 letters"));
    bench.run(Step::Trial(TrialStep::DropPose { name: "arms out".to_owned() }));
    assert_eq!(bench.room().trials.trials.len(), before);
    assert!(bench
        .refused(Step::Trial(TrialStep::DropPose { name: "arms out".to_owned() }))
        .contains("arms out"));
}

#[test]
fn easing_under_the_brush_moves_only_what_is_there() {
    let bench = wearing_coarse(&[("quilted tunic", 1)]);
    let rest = bench.rest(1);
    let side = (0..rest.len() as u32).find(|&v| rest[v as usize].x > 0.12).unwrap();
    let reach = Reach { radius_mm: 60.0, dabs: vec![side], mirrored: false };
    let options = EaseOptions { least_mm: 25.0, most_mm: None };
    let chosen = Chosen::Around(reach.clone());
    let (_, far) = bench.room().ease_view(1, &chosen, options).unwrap();
    assert_eq!(bench.rest(1), rest, "a look changes nothing");
    assert_eq!(
        bench.run(Step::Seating(SeatingStep::Ease { piece: 1, chosen, options })),
        "Ease part of quilted tunic off to 25 mm"
    );
    let now = bench.rest(1);
    let moved: Vec<usize> = (0..rest.len()).filter(|&v| rest[v].distance(now[v]) > 1e-5).collect();
    assert!(!moved.is_empty());
    assert_eq!(moved.len(), far.vertices);
    assert!(moved.iter().all(|&v| rest[v].distance(rest[side as usize]) <= 0.061));

    // What the brush tells of itself: pushed in until it sinks, and eased out again.
    let push = BrushStroke {
        stroke: Stroke::PushIn,
        strength: 12.0,
        firm_percent: 0.0,
        reach: Reach { dabs: vec![side; 3], ..reach },
        in_pose: None,
        into_shape: None,
    };
    let look = bench.room().brush_view(1, &push).unwrap();
    assert!(look.after.sunk > look.before.sunk && look.after.deepest_mm > 5.0, "{look:?}");
}
