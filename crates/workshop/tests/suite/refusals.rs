//! What cannot be done is refused in one sentence that says what would help, and nothing is lost by it.

use tin_cloak_testkit::{testdata, wardrobe, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::mesh::crossed_by_row;
use tin_cloak_workshop::{
    BindingStep, BodyPart, Chosen, Companions, DressedFile, IntakeStep, MendingStep, NamedFile, Pick,
    RowsAlong, SeatingStep, Step, TrialSays, TrialWish, What,
};

const TUNIC: u32 = 1;
const COAT: u32 = 2;

/// A step refused: its words, with the fitting as it was to the byte.
fn refused(bench: &Bench, step: Step) -> String {
    let kept = |bench: &Bench| {
        let open = bench.open();
        (open.fitting.cursor, serde_json::to_string(&open.room.state).unwrap())
    };
    let before = kept(bench);
    let said = bench.refused(step);
    assert_eq!(kept(bench), before, "{said}");
    assert!(said.len() < 240, "{said}");
    said
}

fn rows_at(vertices: Vec<u32>, along: RowsAlong) -> Step {
    let at = Chosen::Picks(vec![Pick::add(What::Vertices(vertices))]);
    Step::Intake(IntakeStep::AddRows { piece: TUNIC, at, rows: 1, along })
}

#[test]
fn intake_refuses_what_cannot_come_in() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let body = bench.room().state.body.clone();
    let part = |mesh: &str| BodyPart { mesh: mesh.to_owned(), shells: None };
    let (file, file_name) = (body.file.clone(), body.file_name.clone());
    // Joined to the body are meshes of its own file; one of them that is worn already is not.
    bench.run(Step::Intake(IntakeStep::AddPiece {
        file,
        file_name,
        mesh: body.mesh.clone(),
        layer: 4,
        kind: tin_cloak_workshop::PieceKind::Soft,
    }));
    let steps = [
        IntakeStep::SetBodyParts { parts: vec![part(&body.mesh)] },
        IntakeStep::SetBodyParts { parts: Vec::new() },
        IntakeStep::SetBodyParts { parts: vec![part("tail")] },
        IntakeStep::LeaveOutEmpty { piece: TUNIC },
        IntakeStep::LeaveOutStrays { piece: TUNIC },
        IntakeStep::LeaveOutEmpty { piece: 77 },
        IntakeStep::WearBodyShape { shape: "tail".into(), amount: 1.0 },
        IntakeStep::CallUpShape { shape: "tail".into(), turn: None },
        IntakeStep::MoveToLayer { piece: TUNIC, layer: 0 },
        IntakeStep::PutOver { piece: TUNIC, over: Some(TUNIC) },
    ];
    let said: Vec<String> = steps.into_iter().map(|s| refused(&bench, Step::Intake(s))).collect();
    insta::assert_snapshot!(said.join("\n"));
}

/// A piece that has rows can be given no new hole: rows go by faces that would be gone.
#[test]
fn rows_go_across_edges_that_are_there() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let piece = bench.piece(TUNIC);
    let edges = &piece.topology.edges;
    let far = (piece.rest.len() - 1) as u32;
    let crosses = |e: &&[u32; 2]| crossed_by_row(&piece.mesh, &piece.topology.weld, **e).len() > 12;
    let edge = *edges.iter().find(crosses).unwrap();
    let place = |at_percent| RowsAlong { at_percent, ..RowsAlong::default() };
    let said = [
        refused(&bench, rows_at(vec![edge[0], far], RowsAlong::default())),
        refused(&bench, rows_at(vec![edge[0]], RowsAlong::default())),
        refused(&bench, rows_at(edge.to_vec(), place(Some(0)))),
        refused(&bench, rows_at(edge.to_vec(), place(Some(100)))),
    ];
    insta::assert_snapshot!(said.join("\n"));
    bench.run(rows_at(edge.to_vec(), RowsAlong::default()));
    let stray = refused(&bench, Step::Intake(IntakeStep::LeaveOutStrays { piece: TUNIC }));
    assert!(stray.contains("quilted tunic"), "{stray}");
}

#[test]
fn seating_and_mending_refuse_with_what_would_help() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1), ("oilskin coat", 3)]);
    let turn = |from_degrees, full_degrees| {
        let name = "elbow".to_owned();
        Step::Mending(MendingStep::TurnCorrective { name, from_degrees, full_degrees })
    };
    let follow = |shapes: Vec<String>| {
        Step::Seating(SeatingStep::FollowShapes { pieces: Vec::new(), follow: true, shapes })
    };
    let said = [
        // A shape that comes on in no time at all, and one that never does.
        refused(&bench, turn(30.0, 30.0)),
        refused(&bench, turn(-5.0, 30.0)),
        refused(&bench, turn(30.0, 181.0)),
        refused(&bench, turn(f32::NAN, 30.0)),
        refused(&bench, turn(10.0, 60.0)),
        refused(&bench, follow(vec!["cough".into()])),
        refused(&bench, Step::Seating(SeatingStep::Mirror { piece: 77 })),
        refused(&bench, Step::Mending(MendingStep::Untuck)),
        refused(&bench, Step::Binding(BindingStep::DropPatch { piece: COAT, name: "hem".into() })),
    ];
    insta::assert_snapshot!(said.join("\n"));
}

/// A body that has no shapes has none that pieces could follow.
#[test]
fn no_shapes_can_be_followed_on_a_body_without() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let read = |name: &str| std::fs::read(testdata(&format!("open-human/{name}"))).unwrap();
    let bring = |name: &str| bench.shop.bring_in(name, &read(name), &Companions::new()).unwrap()[0].id;
    let human = bench.shop.begin("Human", bring("body.glb")).unwrap();
    let suit = bench.shop.piece_step(bring("bodysuit.glb"), 1, tin_cloak_workshop::PieceKind::Soft).unwrap();
    bench.shop.run_now(human, suit).unwrap();
    let follow =
        Step::Seating(SeatingStep::FollowShapes { pieces: Vec::new(), follow: true, shapes: Vec::new() });
    let has_shapes = !bench.shop.room(human, None).unwrap().dress.body.own_shapes().is_empty();
    let outcome = bench.shop.run_now(human, follow);
    match has_shapes {
        true => assert!(outcome.is_ok()),
        false => assert!(outcome.unwrap_err().to_string().contains("morph targets")),
    }
}

/// A mesh is not a motion, whoever asks.
#[test]
fn a_mesh_is_tried_as_no_motion_and_a_body_alone_is_no_outfit() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let mesh = bench.shop.assets().unwrap().into_iter().find(|a| a.role == "piece").unwrap().id;
    let said = bench.shop.motion_step(mesh).unwrap_err().to_string();
    assert!(said.contains("a mesh is not a motion"), "{said}");
    let wick = wardrobe().iter().find(|f| f.name == "wick.glb").unwrap();
    let alone = NamedFile { name: "wick.glb".to_owned(), bytes: wick.bytes.clone() };
    let opened = DressedFile::open(&alone, None, &TrialWish::Range, &TrialSays::default());
    let said = opened.err().unwrap().to_string();
    assert!(said.contains("no pieces"), "{said}");
    assert!(bench.shop.make_plan(99, Vec::new()).is_err());
    assert!(bench.shop.do_plan(1).unwrap_err().to_string().contains("make one first"));
}
