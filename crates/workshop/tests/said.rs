//! What people read: findings, boards, reports and refusals, as text that a reader can judge.
#![allow(missing_docs, clippy::unwrap_used)]

mod common;

use common::{wearing, Bench};
use std::fmt::Write;
use tin_cloak_workshop::{
    BindOptions, Board, BrushStroke, Chosen, Clean, EaseOptions, FollowWish, Grade, MendOptions, PieceKind,
    PlaceOptions, Reach, Report, SourcePart, Step, Takes, Turn,
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
    let bench = wearing(&[("boots", 1), ("oilskin coat", 2), ("lantern", 3), ("scale cloak", 3)]);
    insta::assert_snapshot!(findings(&bench));
}

#[test]
fn a_board_and_its_report() {
    let bench = wearing(&[("quilted tunic", 1), ("tin breastplate", 2)]);
    bench.run(Step::SetKind { piece: 2, kind: PieceKind::Stiff });
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
    let bench = wearing(&[("quilted tunic", 1), ("tin breastplate", 2)]);
    bench.run(Step::SetKind { piece: 2, kind: PieceKind::Stiff });
    let mut said = String::new();
    let mut refuse = |what: &str, step: Step| writeln!(said, "{what}: {}", bench.refused(step)).unwrap();
    let reach = |radius_mm: f32, dab: u32| Reach { radius_mm, dabs: vec![dab], mirrored: false };
    let stroke = |strength: f32, reach: Reach| BrushStroke {
        stroke: tin_cloak_workshop::core::seat::Stroke::PullOut,
        strength,
        firm_percent: 0.0,
        reach,
    };
    refuse("no piece", Step::RemovePiece { piece: 9 });
    refuse("layer 0", Step::MoveToLayer { piece: 1, layer: 0 });
    refuse("no part", Step::SetShell { piece: 1, shell: 99, stiff: true });
    refuse(
        "size 0",
        Step::Place { piece: 1, options: PlaceOptions { size_percent: [0.0; 3], ..PlaceOptions::NONE } },
    );
    refuse(
        "not a number",
        Step::Place {
            piece: 1,
            options: PlaceOptions { shift_mm: [f32::NAN, 0.0, 0.0], ..PlaceOptions::NONE },
        },
    );
    refuse(
        "ease a plate",
        Step::Ease {
            piece: 2,
            chosen: Chosen::Everything,
            options: EaseOptions { least_mm: 1.0, most_mm: None },
        },
    );
    refuse(
        "ease upside down",
        Step::Ease {
            piece: 1,
            chosen: Chosen::Everything,
            options: EaseOptions { least_mm: 5.0, most_mm: Some(1.0) },
        },
    );
    refuse("brush too wide", Step::Brush { piece: 1, stroke: stroke(1.0, reach(900.0, 0)) });
    refuse("brush too strong", Step::Brush { piece: 1, stroke: stroke(4000.0, reach(40.0, 0)) });
    refuse("brush off the cloth", Step::Brush { piece: 1, stroke: stroke(1.0, reach(40.0, 4_000_000)) });
    refuse("no pose", Step::KeepPose { name: "x".into(), pose: 900, turns: Vec::new() });
    refuse(
        "no joint",
        Step::KeepPose {
            name: "x".into(),
            pose: 0,
            turns: vec![Turn { joint: 900, bend: 1.0, ..Turn::default() }],
        },
    );
    refuse("no name", Step::KeepPose { name: "  ".into(), pose: 0, turns: Vec::new() });
    refuse("pose not kept", Step::DropPose { name: "y".into() });
    refuse(
        "clean unbound",
        Step::Clean { piece: 1, clean: Clean::MendTorn, chosen: Chosen::Everything, locked: Vec::new() },
    );
    refuse(
        "push unbound",
        Step::PushOut { pieces: Vec::new(), chosen: Chosen::Everything, options: MendOptions::default() },
    );
    refuse("itself", Step::TakeFrom { piece: 1, takes: Takes::Pieces(vec![1]), part: SourcePart::Whole });
    refuse("no cage", Step::TakeFrom { piece: 1, takes: Takes::Cage(2), part: SourcePart::Whole });
    refuse(
        "nine joints",
        Step::ChooseMethod { piece: 1, options: BindOptions { max_influences: 9, ..BindOptions::default() } },
    );
    refuse("follow nobody", Step::Follow { piece: 2, shell: None, follow: FollowWish::Joint("tail".into()) });
    refuse("thin cage", Step::MakeCage { pieces: Vec::new(), offset_mm: 0.0, cell_mm: 20.0 });
    refuse(
        "another body",
        Step::Begin {
            file: bench.room().state.body.file.clone(),
            file_name: "x.glb".into(),
            mesh: "x".into(),
        },
    );
    refuse("all is seen", Step::LeaveOutUnseen { piece: 1 });
    insta::assert_snapshot!(said);
    assert_eq!(bench.open().steps.len(), 4, "nothing was recorded of all that");
}
