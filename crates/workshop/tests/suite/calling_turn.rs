//! Which turn calls up a shape that came without saying: as clips tell, or by hand.

use crate::ball::{depths, grown, Ball};
use std::sync::Arc;
use tin_cloak_workshop::core::glam::Quat;
use tin_cloak_workshop::core::trial::{Interpolation, Track, TrackValues};
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{
    fit_files, prove, read, BindOptions, CallingTurn, Companions, DressedFile, FollowedShapes, FoundOfRoom,
    IntakeStep, NamedFile, PieceFile, SeatingStep, Step, TrialWish,
};

/// A ball that turns by 90° in a second and swells by 10 mm between 30° and 60° of that, in a shell 4 mm off it.
fn swelling() -> Ball {
    let times: Vec<f32> = (0..=3).map(|i| i as f32 / 3.0).collect();
    let mut ball = Ball::in_shell(0.104).pushed_by(0.0);
    let turns = times.iter().map(|t| Quat::from_rotation_x(t * 90f32.to_radians())).collect();
    let values = TrackValues::Rotation(turns);
    let (joint, interpolation) = (JointId(1), Interpolation::Linear);
    ball.clips[0].tracks = vec![Track { joint, times: times.clone(), values, interpolation }];
    ball.body.morphs = vec![grown(&ball.body, "breath", 0.010), grown(&ball.body, "stout", 0.020)];
    ball.keyed(&times, &[0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 1.0, 0.0], Interpolation::Linear)
}

#[test]
fn a_turn_that_goes_with_what_clips_key_is_found_and_kept_in_the_file() {
    let file = swelling().opened(TrialWish::Clips);
    let keyed = depths(&file.board(&|_| true).unwrap());
    let (shop, fitting) = file.fitting();
    let room = || shop.fitting(fitting).unwrap().room;
    let found = Arc::clone(&room().findings()[0].1);
    let cure = found.iter().find(|f| f.sentence.contains("breath is keyed")).expect("it is told");
    assert!(cure.sentence.contains("as swell about X, 30° to 60° turns, 0.0 % off"), "{}", cure.sentence);
    assert!(!found.iter().any(|f| f.sentence.contains("stout is keyed")), "no clip changes it");
    let said = shop.run_now(fitting, cure.cure.clone().unwrap().step).unwrap();
    assert_eq!(said, "ball, breath is called up by swell about X, 30° to 60°");

    assert!(!room().findings()[0].1.iter().any(|f| f.sentence.contains("breath is keyed")), "cured");

    // It plays as it was keyed, and comes back with its driver.
    let board = shop.measure_now(fitting).unwrap();
    let driven = depths(&board);
    let off = keyed.iter().zip(&driven).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(off < 0.05, "{keyed:?} {driven:?}");
    let (bytes, proof) = prove(&room(), Some(&board), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    let out = read("ball.glb", &bytes, &Companions::new()).unwrap();
    let driver = out.part("ball").unwrap().morphs[0].driver.expect("a driver goes with the file");
    assert!((driver.from.to_degrees() - 30.0).abs() < 0.01 && driver.joint == JointId(1));

    // Worn, it would be there twice; a turn that makes no sense is refused; taken back, it is free again.
    let turn = |joint: &str, full: f32| CallingTurn {
        joint: joint.into(),
        axis: [1.0, 0.0, 0.0],
        from_degrees: 0.0,
        full_degrees: full,
    };
    let call_up = |shape: &str, turn: Option<CallingTurn>| {
        shop.run_now(fitting, Step::Intake(IntakeStep::CallUpShape { shape: shape.into(), turn }))
    };
    shop.run_now(fitting, Step::Intake(IntakeStep::WearBodyShape { shape: "stout".into(), amount: 0.1 }))
        .unwrap();
    let refused = |said: Result<String, tin_cloak_workshop::WorkshopError>| said.unwrap_err().to_string();
    assert!(refused(call_up("stout", Some(turn("swell", 90.0)))).contains("is worn by ball"));
    assert!(refused(call_up("breath", Some(turn("swell", 0.2)))).contains("over half a degree"));
    assert!(refused(call_up("breath", Some(turn("tail", 90.0)))).contains("no joint “tail”"));
    assert!(refused(call_up("cough", None)).contains("has no shape “cough”"));
    call_up("breath", None).unwrap();
    assert!(room().dress.body.own_shapes()[0].driver.is_none());
}

#[test]
fn pieces_follow_the_shapes_that_are_named_alone() {
    let ball = NamedFile { name: "ball.glb".into(), bytes: swelling().bytes() };
    let fitted = |follow: FollowedShapes| {
        let (file, mesh) = (ball.clone(), Some("shell".to_owned()));
        let shell = PieceFile { file, layer: Some(1), kind: None, joint: None, keeps: Some(true), mesh };
        fit_files(&ball, Some("ball"), &[shell], &BindOptions::default(), &follow)
    };
    let names = |follow: FollowedShapes| -> Vec<String> {
        let out = read("out.glb", &fitted(follow).unwrap().0, &Companions::new()).unwrap();
        out.part("shell").unwrap().morphs.iter().map(|m| m.name.clone()).collect()
    };
    assert_eq!(names(FollowedShapes::None), Vec::<String>::new());
    assert_eq!(names(FollowedShapes::All), ["breath", "stout"]);
    assert_eq!(names(FollowedShapes::These(vec!["stout".into()])), ["stout"]);
    let unknown = fitted(FollowedShapes::These(vec!["thin".into()])).unwrap_err();
    assert!(unknown.to_string().contains("has no shape “thin” to be followed"), "{unknown}");

    // What it does not follow leaves it where it is, and that is told.
    let file = DressedFile::open(&ball, None, &TrialWish::Clips, &Default::default()).unwrap();
    let (shop, fitting) = file.fitting();
    let shapes = vec!["breath".to_owned()];
    shop.run_now(fitting, Step::Seating(SeatingStep::FollowShapes { pieces: vec![1], follow: true, shapes }))
        .unwrap();
    shop.run_now(fitting, Step::Intake(IntakeStep::WearBodyShape { shape: "stout".into(), amount: 0.1 }))
        .unwrap();
    let effect = shop.fitting(fitting).unwrap().effect();
    assert!(effect.notes.iter().any(|n| n.contains("do not follow it: shell")), "{:?}", effect.notes);
}
