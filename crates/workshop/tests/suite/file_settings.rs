//! What people read: findings, boards, reports and refusals, as text that a reader can judge.

use std::fmt::Write;
use tin_cloak_testkit::{wearing_coarse, Bench};
use tin_cloak_workshop::core::bind::sides::BodySide;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::{JointRole, Up};
use tin_cloak_workshop::core::trial::{JointRange, FREE};
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::{
    Against, BindOptions, BindingStep, Board, BodyPart, BrushStroke, Chosen, Clean, EaseOptions, FollowWish,
    Grade, IntakeStep, JointChoice, MendOptions, MendingStep, OwnJoint, PieceKind, PlaceOptions, Reach,
    Report, SeatingStep, SideWish, SourcePart, Step, Takes, TrialStep, Turn,
};

fn findings(bench: &Bench) -> String {
    let room = bench.room();
    let mut text = String::new();
    for (subject, list) in room.findings() {
        let name = room.index_of(subject).map_or("body", |i| room.dress.pieces[i].name.as_str());
        writeln!(text, "{name}").unwrap();
        for f in list.iter() {
            let grade = match f.grade {
                Grade::Trouble => "!!",
                Grade::Doubt => " !",
                Grade::Note => "  ",
            };
            let cure = f.cure.as_ref().map_or(String::new(), |c| format!(" [{}]", c.label));
            writeln!(text, "{grade} {}{cure}", f.sentence).unwrap();
        }
    }
    text
}

/// Worst first, a line a pair: the pose and depth of its three deepest cells.
fn as_text(board: &Board) -> String {
    let mut text = String::new();
    for (row, pair) in board.pairs.iter().enumerate() {
        let mut bad: Vec<(usize, f32)> = board
            .measured()
            .filter(|c| c.1 == row && c.2.is_bad())
            .map(|(pose, _, cell)| (pose, cell.depth_mm()))
            .collect();
        bad.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
        let worst: Vec<String> = bad
            .iter()
            .take(3)
            .map(|(pose, mm)| format!("{} {} {mm:.1}", board.poses[*pose].group, board.poses[*pose].name))
            .collect();
        writeln!(text, "{} over {}: {} bad; {}", pair.outer, pair.inner, bad.len(), worst.join(", "))
            .unwrap();
    }
    text
}

#[test]
fn findings_of_what_comes_in() {
    let bench = wearing_coarse(&[("boots", 1), ("oilskin coat", 2), ("lantern", 3), ("scale cloak", 3)]);
    insta::assert_snapshot!(findings(&bench));
}

#[test]
fn a_board_and_its_report() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("tin breastplate", 2)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 2, kind: PieceKind::Stiff }));
    bench.bind_all();
    let board = bench.board();
    let room = bench.room();
    let mut report = Report::of_pieces(&room.dress, room.state.tolerance_mm);
    report.add_board(&board);
    assert_eq!(report.poses.len(), board.poses.len());
    assert_eq!(report.poses[4].pairs.len(), board.pairs.len());
    let worst = report.worst.as_ref().unwrap();
    assert_eq!(worst.deepest_mm, board.deepest_mm());
    let pieces = report.pieces.iter().map(|p| {
        format!(
            "{}: layer {}, {} joints at most, {}, {:.3} matched",
            p.name, p.layer, p.max_influences, p.method, p.matched_share
        )
    });
    let pieces: Vec<String> = pieces.collect();
    insta::assert_snapshot!(format!("{}\n{}", as_text(&board), pieces.join("\n")));
}

#[test]
fn refusals_say_what_is_wrong_and_the_cure() {
    let bench = wearing_coarse(&[("quilted tunic", 1), ("tin breastplate", 2)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 2, kind: PieceKind::Stiff }));
    let mut said = String::new();
    let mut refuse = |what: &str, step: Step| writeln!(said, "{what}: {}", bench.refused(step)).unwrap();
    let reach = |radius_mm: f32, dab: u32| Reach { radius_mm, dabs: vec![dab], mirrored: false };
    let stroke = |strength: f32, reach: Reach| BrushStroke {
        stroke: tin_cloak_workshop::core::seat::Stroke::PullOut,
        strength,
        firm_percent: 0.0,
        reach,
        in_pose: None,
        into_shape: None,
    };
    refuse("no piece", Step::Intake(IntakeStep::RemovePiece { piece: 9 }));
    refuse("layer 0", Step::Intake(IntakeStep::MoveToLayer { piece: 1, layer: 0 }));
    refuse("no part", Step::Intake(IntakeStep::SetShell { piece: 1, shell: 99, stiff: true }));
    refuse(
        "size 0",
        Step::Seating(SeatingStep::Place {
            piece: 1,
            options: PlaceOptions { size_percent: [0.0; 3], ..PlaceOptions::NONE },
        }),
    );
    refuse(
        "not a number",
        Step::Seating(SeatingStep::Place {
            piece: 1,
            options: PlaceOptions { shift_mm: [f32::NAN, 0.0, 0.0], ..PlaceOptions::NONE },
        }),
    );
    refuse(
        "ease a plate",
        Step::Seating(SeatingStep::Ease {
            piece: 2,
            chosen: Chosen::Everything,
            options: EaseOptions { least_mm: 1.0, most_mm: None },
        }),
    );
    refuse(
        "ease upside down",
        Step::Seating(SeatingStep::Ease {
            piece: 1,
            chosen: Chosen::Everything,
            options: EaseOptions { least_mm: 5.0, most_mm: Some(1.0) },
        }),
    );
    refuse(
        "brush too wide",
        Step::Seating(SeatingStep::Brush { piece: 1, stroke: stroke(1.0, reach(900.0, 0)) }),
    );
    refuse(
        "brush too strong",
        Step::Seating(SeatingStep::Brush { piece: 1, stroke: stroke(4000.0, reach(40.0, 0)) }),
    );
    refuse(
        "brush off the cloth",
        Step::Seating(SeatingStep::Brush { piece: 1, stroke: stroke(1.0, reach(40.0, 4_000_000)) }),
    );
    refuse("no pose", Step::Trial(TrialStep::KeepPose { name: "x".into(), pose: 900, turns: Vec::new() }));
    refuse(
        "no joint",
        Step::Trial(TrialStep::KeepPose {
            name: "x".into(),
            pose: 0,
            turns: vec![Turn { joint: 900, bend: 1.0, ..Turn::default() }],
        }),
    );
    refuse("no name", Step::Trial(TrialStep::KeepPose { name: "  ".into(), pose: 0, turns: Vec::new() }));
    refuse("pose not kept", Step::Trial(TrialStep::DropPose { name: "y".into() }));
    refuse(
        "clean unbound",
        Step::Binding(BindingStep::Clean {
            piece: 1,
            clean: Clean::MendTorn,
            chosen: Chosen::Everything,
            locked: Vec::new(),
        }),
    );
    refuse(
        "push unbound",
        Step::Mending(MendingStep::PushOut {
            pieces: Vec::new(),
            chosen: Chosen::Everything,
            options: MendOptions::default(),
            against: Against::default(),
            turns: Vec::new(),
        }),
    );
    refuse(
        "itself",
        Step::Binding(BindingStep::TakeFrom {
            piece: 1,
            takes: Takes::Pieces(vec![1]),
            part: SourcePart::Whole,
        }),
    );
    refuse(
        "no cage",
        Step::Binding(BindingStep::TakeFrom { piece: 1, takes: Takes::Cage(2), part: SourcePart::Whole }),
    );
    refuse(
        "nine joints",
        Step::Binding(BindingStep::ChooseMethod {
            piece: 1,
            options: BindOptions { max_influences: 9, ..BindOptions::default() },
        }),
    );
    refuse(
        "follow nobody",
        Step::Binding(BindingStep::Follow {
            piece: 2,
            shell: None,
            follow: FollowWish::Joint("tail".into()),
        }),
    );
    refuse(
        "thin cage",
        Step::Binding(BindingStep::MakeCage { pieces: Vec::new(), offset_mm: 0.0, cell_mm: 20.0 }),
    );
    refuse(
        "another body",
        Step::Intake(IntakeStep::Begin {
            file: bench.room().state.body.file.clone(),
            file_name: "x.glb".into(),
            mesh: "x".into(),
        }),
    );
    refuse("all is seen", Step::Intake(IntakeStep::LeaveOutUnseen { piece: 1 }));
    refuse("nothing strayed", Step::Intake(IntakeStep::LeaveOutStrays { piece: 1 }));
    refuse("no shape", Step::Seating(SeatingStep::WearShape { piece: 1, shape: 7, amount: 1.0 }));
    refuse("too much of a shape", Step::Seating(SeatingStep::WearShape { piece: 1, shape: 0, amount: 9.0 }));
    refuse("no body", Step::Intake(IntakeStep::SetBodyParts { parts: Vec::new() }));
    refuse("no such mesh", Step::Intake(IntakeStep::SetBodyParts { parts: vec![BodyPart::whole("tail")] }));
    let none = BodyPart { mesh: "Wick".into(), shells: Some(vec![40]) };
    refuse("none of its parts", Step::Intake(IntakeStep::SetBodyParts { parts: vec![none] }));
    refuse("a giant", Step::Intake(IntakeStep::SizeBody { scale: 1e9, up: Up::Y }));
    refuse("nothing was cleaned", Step::Binding(BindingStep::ForgetCleaning { piece: 1 }));
    refuse("came without", Step::Binding(BindingStep::MatchCame { piece: 1, pairs: Vec::new() }));
    let choice = |only, joints: &[&str]| {
        let joints = joints.iter().map(|j| (*j).to_owned()).collect();
        Step::Binding(BindingStep::ChooseJoints { piece: 1, choice: Some(JointChoice { only, joints }) })
    };
    refuse("joints of nobody", choice(true, &["tail"]));
    refuse("no joint at all", choice(true, &[]));
    refuse(
        "upside down range",
        Step::Trial(TrialStep::SetRange {
            joint: "upper_arm_left".into(),
            range: Some(JointRange { forward: [50.0, -50.0], ..FREE }),
            piece: None,
        }),
    );
    refuse(
        "range of nobody",
        Step::Trial(TrialStep::SetRange { joint: "tail".into(), range: None, piece: None }),
    );
    refuse(
        "role of nobody",
        Step::Intake(IntakeStep::SetRole { joint: "tail".into(), role: JointRole::Twist }),
    );
    let own = |name: &str, parent: &str, reach_mm: f32| {
        Step::Binding(BindingStep::AddJoint {
            joint: OwnJoint {
                name: name.into(),
                parent: parent.into(),
                piece: 1,
                place: Vec3::Y,
                tip: Vec3::ONE,
                axis: Vec3::X,
                range: [-10.0, 10.0],
                reach_mm,
            },
        })
    };
    refuse("a joint without a name", own(" ", "hips", 10.0));
    refuse("a joint there already", own("hips", "spine_1", 10.0));
    refuse("a joint of nobody", own("flap", "tail", 10.0));
    refuse("a joint that reaches far", own("flap", "hips", 1e9));
    refuse("take out what is not there", Step::Binding(BindingStep::RemoveJoint { name: "flap".into() }));
    refuse("the body's own joint", Step::Binding(BindingStep::RemoveJoint { name: "hips".into() }));
    let mark = |vertex, reach_mm| SideWish { vertex, side: BodySide::Left, reach_mm };
    refuse("a side nowhere", Step::Binding(BindingStep::MarkSide { piece: 1, mark: mark(4_000_000, 10.0) }));
    refuse("a side of no reach", Step::Binding(BindingStep::MarkSide { piece: 1, mark: mark(0, -1.0) }));
    refuse("no motion", Step::Trial(TrialStep::RemoveMotion { motion: 3 }));
    let takes = |takes| Step::Binding(BindingStep::TakeFrom { piece: 2, takes, part: SourcePart::Whole });
    refuse("take from nobody", takes(Takes::Pieces(vec![77])));
    refuse(
        "follow part 99",
        Step::Binding(BindingStep::Follow { piece: 2, shell: Some(99), follow: FollowWish::Main }),
    );
    insta::assert_snapshot!(said);
    assert_eq!(bench.open().steps.len(), 4, "nothing was recorded of all that");
}
