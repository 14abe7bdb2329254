//! Cloth, a plate of two walls, parts on cloth and scales on a cloak: every step on every kind of
//! piece, with what must hold after each.

use std::fmt::Write;
use tin_cloak_testkit::{wearing_coarse, Bench};
use tin_cloak_workshop::core::bind::clean::WeightGoes;
use tin_cloak_workshop::core::bind::sides::BodySide;
use tin_cloak_workshop::core::clearance::stiffness_error;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::Place;
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::{
    Against, BindOptions, BindingStep, BrushStroke, Chosen, Clean, EaseOptions, FollowWish, IntakeStep,
    JointChoice, MendOptions, MendingStep, Method, OwnJoint, Piece, PieceKind, PlaceOptions, Reach,
    SeatingStep, SideWish, SourcePart, Step, Takes,
};

const TUNIC: u32 = 1;
const PLATE: u32 = 2;
const CLOAK: u32 = 3;
const BUTTONS: u32 = 4;

/// One of each kind, bound: cloth, a stiff plate with two walls, a cloak with stiff scales, buttons.
fn one_of_each() -> Bench {
    let bench = wearing_coarse(&[
        ("quilted tunic", 1),
        ("tin breastplate", 2),
        ("scale cloak", 3),
        ("coat buttons", 4),
    ]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: PLATE, kind: PieceKind::Stiff }));
    bench.run(Step::Intake(IntakeStep::SetKind { piece: CLOAK, kind: PieceKind::Mixed }));
    bench.run(Step::Intake(IntakeStep::SetKind { piece: BUTTONS, kind: PieceKind::Stiff }));
    bench.bind_all();
    bench
}

/// Weights are shares of one, and of joints that are there.
fn assert_sound(piece: &Piece, joints: usize) {
    assert!(piece.rest.iter().all(|p| p.is_finite()), "{}", piece.name);
    assert_eq!(piece.rest.len(), piece.topology.vertices(), "{}", piece.name);
    let Some(bound) = &piece.bound else { return };
    assert_eq!(bound.skin.vertices(), piece.rest.len(), "{}", piece.name);
    for v in 0..piece.rest.len() {
        let row: Vec<_> = bound.skin.row(v).collect();
        let sum: f32 = row.iter().map(|e| e.1).sum();
        assert!((sum - 1.0).abs() < 1e-5, "{}, vertex {v}: {sum}", piece.name);
        assert!(row.iter().all(|e| e.0.index() < joints && (0.0..=1.0).contains(&e.1)));
    }
}

/// The largest bend of any stiff part of a piece in any trial pose, millimetres.
fn bend_mm(bench: &Bench, piece: u32) -> f32 {
    let (room, worn) = (bench.room(), bench.piece(piece));
    let stiff = tin_cloak_workshop::stiff_shells(&worn);
    let parts: Vec<u32> = (0..stiff.len() as u32).filter(|&s| stiff[s as usize]).collect();
    let of_part = |posed: &[Vec3], part: u32| {
        let own = |v: &usize| worn.topology.shell_of_vertex[*v] == part;
        let list: Vec<usize> = (0..worn.rest.len()).filter(own).collect();
        let pick = |from: &[Vec3]| list.iter().map(|&v| from[v]).collect::<Vec<_>>();
        stiffness_error(&pick(&worn.rest), &pick(posed)) * 1000.0
    };
    let poses = room.trials.poses(&room.dress.body);
    let posed = poses.iter().map(|pose| worn.posed(&pose.matrices));
    posed.flat_map(|p| parts.iter().map(|s| of_part(&p, *s)).collect::<Vec<_>>()).fold(0.0, f32::max)
}

fn assert_all_sound(bench: &Bench) {
    let room = bench.room();
    let joints = room.dress.body.skeleton.len();
    room.dress.pieces.iter().for_each(|p| assert_sound(p, joints));
}

/// Everything that can be done to a piece, with a word for each.
fn all_steps(piece: u32) -> Vec<(&'static str, Step)> {
    let reach = |radius_mm: f32| Reach { radius_mm, dabs: vec![0], mirrored: true };
    let clean = |clean| {
        Step::Binding(BindingStep::Clean {
            piece,
            clean,
            chosen: Chosen::Everything,
            locked: vec!["head".into()],
        })
    };
    let method = |method| {
        let options = BindOptions { method, apart_mm: Some(10.0), ..BindOptions::default() };
        Step::Binding(BindingStep::ChooseMethod { piece, options })
    };
    let takes = |takes| Step::Binding(BindingStep::TakeFrom { piece, takes, part: SourcePart::Whole });
    let follow = |follow| Step::Binding(BindingStep::Follow { piece, shell: None, follow });
    let stroke = |stroke, strength| BrushStroke {
        stroke,
        strength,
        firm_percent: 20.0,
        reach: reach(60.0),
        in_pose: None,
        into_shape: None,
    };
    let joint = OwnJoint {
        name: "sway".into(),
        parent: "hips".into(),
        piece,
        place: Vec3::new(0.1, 1.0, 0.1),
        tip: Vec3::new(0.1, 0.8, 0.1),
        axis: Vec3::X,
        range: [-20.0, 30.0],
        reach_mm: 120.0,
    };
    let moved = PlaceOptions { shift_mm: [4.0, 0.0, 0.0], ..PlaceOptions::NONE };
    let only = JointChoice { only: true, joints: vec!["spine_1".into(), "spine_2".into(), "hips".into()] };
    let goes = WeightGoes::ToSurface;
    let eased = EaseOptions { least_mm: 6.0, most_mm: None };
    let around = Chosen::Around(reach(120.0));
    let options = MendOptions::default();
    vec![
        ("layer", Step::Intake(IntakeStep::MoveToLayer { piece, layer: 9 })),
        ("next to the skin", Step::Intake(IntakeStep::PutOver { piece, over: None })),
        ("worn on", Step::Intake(IntakeStep::SetPlace { piece, place: Place::Torso })),
        ("as cloth", Step::Intake(IntakeStep::SetKind { piece, kind: PieceKind::Soft })),
        ("part 0 stiff", Step::Intake(IntakeStep::SetShell { piece, shell: 0, stiff: true })),
        ("unseen", Step::Intake(IntakeStep::LeaveOutUnseen { piece })),
        ("mirror", Step::Seating(SeatingStep::Mirror { piece })),
        ("copy", Step::Seating(SeatingStep::CopyMirrored { piece })),
        ("move", Step::Seating(SeatingStep::Place { piece, options: moved })),
        ("ease", Step::Seating(SeatingStep::Ease { piece, chosen: around.clone(), options: eased })),
        ("pull", Step::Seating(SeatingStep::Brush { piece, stroke: stroke(Stroke::PullOut, 2.0) })),
        ("even", Step::Seating(SeatingStep::Brush { piece, stroke: stroke(Stroke::Smooth, 50.0) })),
        ("along the normal", method(Method::Normal)),
        ("surface", method(Method::Surface)),
        ("heat", method(Method::Heat)),
        ("end to end", method(Method::Ends)),
        ("from beneath", takes(Takes::Beneath)),
        ("blend", follow(FollowWish::Blend)),
        ("one joint", follow(FollowWish::Joint("spine_2".into()))),
        ("on cloth", follow(FollowWish::Patch)),
        (
            "left",
            Step::Binding(BindingStep::MarkSide {
                piece,
                mark: SideWish { vertex: 0, side: BodySide::Left, reach_mm: 40.0 },
            }),
        ),
        ("own joint", Step::Binding(BindingStep::AddJoint { joint })),
        ("these joints", Step::Binding(BindingStep::ChooseJoints { piece, choice: Some(only) })),
        ("limit", clean(Clean::Limit { most: 2 })),
        ("prune", clean(Clean::Prune { least: 0.1 })),
        ("smooth", clean(Clean::Smooth { strength: 0.6, times: 3 })),
        ("torn", clean(Clean::MendTorn)),
        ("strays", clean(Clean::DropStrays)),
        ("less hips", clean(Clean::RemoveJoints { joints: vec!["hips".into()], goes })),
        ("mirrored", clean(Clean::Mirror { from_left: true, blend_mm: 15.0, joints: Vec::new() })),
        (
            "cage",
            Step::Binding(BindingStep::MakeCage { pieces: vec![piece], offset_mm: 15.0, cell_mm: 30.0 }),
        ),
        (
            "push a place",
            Step::Mending(MendingStep::PushOut {
                pieces: vec![piece],
                chosen: around,
                options,
                against: Against::default(),
                turns: Vec::new(),
            }),
        ),
    ]
}

/// What each step says of each kind of piece, or why it will not; undone, all is as it was.
#[test]
fn every_step_on_every_kind_of_piece() {
    let bench = one_of_each();
    let before = serde_json::to_string(&bench.room().state).unwrap();
    let mut said = String::new();
    for piece in [TUNIC, PLATE, CLOAK, BUTTONS] {
        writeln!(said, "{}", bench.piece(piece).name).unwrap();
        for (word, step) in all_steps(piece) {
            match bench.shop.run_now(bench.fitting, step) {
                Ok(sentence) => {
                    writeln!(said, "  {word}: {sentence}").unwrap();
                    bench.open().effect().notes.iter().for_each(|n| writeln!(said, "    {n}").unwrap());
                    assert_all_sound(&bench);
                    bench.shop.undo(bench.fitting).unwrap();
                }
                Err(why) => writeln!(said, "  {word} -- {why}").unwrap(),
            }
            assert_eq!(serde_json::to_string(&bench.room().state).unwrap(), before, "{word} undone");
        }
    }
    insta::assert_snapshot!(said);
}

/// Whatever is done to the weights of a plate, a scale or a button, it does not bend.
#[test]
fn stiff_parts_stay_stiff() {
    let bench = one_of_each();
    // What goes with the cloth is bent by it, and that is said; what follows one joint is not.
    let said = bench.open().effect().notes;
    let bent = format!("{:.1} mm", bend_mm(&bench, CLOAK));
    assert!(said.iter().any(|note| note.contains("scale cloak") && note.contains(&bent)), "{bent}: {said:?}");
    for piece in [PLATE, CLOAK, BUTTONS] {
        bench.run(Step::Binding(BindingStep::Follow { piece, shell: None, follow: FollowWish::Main }));
        assert!(bend_mm(&bench, piece) < 0.01, "{}: {}", bench.piece(piece).name, bend_mm(&bench, piece));
    }
    let smooth = Clean::Smooth { strength: 1.0, times: 5 };
    let clean = Step::Binding(BindingStep::Clean {
        piece: CLOAK,
        clean: smooth,
        chosen: Chosen::Everything,
        locked: Vec::new(),
    });
    bench.run(clean);
    assert!(bend_mm(&bench, CLOAK) < 0.01, "smoothed: {}", bend_mm(&bench, CLOAK));
    bench.run(Step::Mending(MendingStep::PushOut {
        pieces: vec![PLATE],
        chosen: Chosen::Everything,
        options: MendOptions::default(),
        against: Against::default(),
        turns: Vec::new(),
    }));
    assert!(bend_mm(&bench, PLATE) < 0.01, "pushed: {}", bend_mm(&bench, PLATE));
    // Only a blend bends, and says by how much.
    bench.run(Step::Binding(BindingStep::Follow { piece: PLATE, shell: None, follow: FollowWish::Blend }));
    assert!(bend_mm(&bench, PLATE) > 0.1);
}

/// The two walls of a plate go together: nowhere does one come through the other.
#[test]
fn two_walls_stay_two_walls() {
    let bench = one_of_each();
    assert!(bench.piece(PLATE).is_double_walled() && bench.piece(TUNIC).walls().double_walled < 1.0);
    let room = bench.room();
    let plate = bench.piece(PLATE);
    let volume = |at: &[Vec3]| -> f32 {
        let corner = |t: &[u32; 3]| t.map(|v| at[v as usize]);
        let six = |[a, b, c]: [Vec3; 3]| a.dot(b.cross(c));
        plate.topology.triangles.iter().map(|t| six(corner(t))).sum::<f32>() / 6.0
    };
    let at_rest = volume(&plate.rest);
    assert!(at_rest.abs() > 1e-5, "it has a thickness");
    for pose in room.trials.poses(&room.dress.body) {
        let posed = volume(&plate.posed(&pose.matrices));
        assert!((posed / at_rest - 1.0).abs() < 0.01, "{posed} for {at_rest}");
    }
}

/// Eased, brushed and pushed, the scales of a cloak keep the shape they came in, each by itself.
#[test]
fn scales_on_cloth_keep_the_shape_they_came_in() {
    let bench = one_of_each();
    let came = |piece: &Piece| piece.topology.weld.gather(&piece.mesh.positions);
    let worst = |bench: &Bench| {
        let worn = bench.piece(CLOAK);
        let (stiff, came) = (tin_cloak_workshop::stiff_shells(&worn), came(&worn));
        let of = |part: u32| {
            let own = |v: &usize| worn.topology.shell_of_vertex[*v] == part;
            let list: Vec<usize> = (0..worn.rest.len()).filter(own).collect();
            let pick = |from: &[Vec3]| list.iter().map(|&v| from[v]).collect::<Vec<_>>();
            stiffness_error(&pick(&came), &pick(&worn.rest)) * 1000.0
        };
        (0..stiff.len() as u32).filter(|s| stiff[*s as usize]).map(of).fold(0.0, f32::max)
    };
    let eased = EaseOptions { least_mm: 70.0, most_mm: None };
    let reach = |at: u32| Reach { radius_mm: 120.0, dabs: vec![at], mirrored: true };
    let stroke = BrushStroke {
        stroke: Stroke::PullOut,
        strength: 20.0,
        firm_percent: 0.0,
        reach: reach(900),
        in_pose: None,
        into_shape: None,
    };
    let steps = [
        Step::Seating(SeatingStep::Ease { piece: CLOAK, chosen: Chosen::Everything, options: eased }),
        Step::Seating(SeatingStep::Brush { piece: CLOAK, stroke }),
        Step::Mending(MendingStep::PushOut {
            pieces: vec![CLOAK],
            chosen: Chosen::Everything,
            options: MendOptions::default(),
            against: Against::default(),
            turns: Vec::new(),
        }),
    ];
    for step in steps {
        let before = bench.rest(CLOAK);
        let said = bench.run(step);
        let moved = before.iter().zip(bench.rest(CLOAK)).filter(|(a, b)| a.distance(*b) > 1e-4).count();
        assert!(moved > 10, "{said}: {moved} moved");
        assert!(worst(&bench) < 0.02, "{said}: {} mm out of shape", worst(&bench));
        bench.shop.undo(bench.fitting).unwrap();
    }
}
