//! Files that are not as most are: shapes that are always on, worn or keyed.

use crate::ball::{depths, grown, Ball, BODY};
use tin_cloak_workshop::core::deform::{Driver, Morph};
use tin_cloak_workshop::core::glam::{Quat, Vec3};
use tin_cloak_workshop::core::mesh::{vertex_normals, Mesh};
use tin_cloak_workshop::core::shapes::sphere;
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::core::trial::{Interpolation, Track, TrackValues};
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{
    bvh_of, prove, read, usda_of, usdz_of, Companions, DressedFile, Frame, IntakeStep, MeansKind, Parts,
    SeatingStep, Step, TrialPlan, TrialWish, Tries,
};

/// A shape that is always on is part of rest: what it draws in there is not taken off what a pose pushes out.
#[test]
fn what_a_shape_that_is_always_on_draws_in_at_rest_is_no_trouble_of_rest() {
    // Without it the ball would be 4 mm through at rest.
    let mut ball = Ball::in_shell(0.096).pushed_by(0.010);
    let drawn_in = Morph { driver: Some(Driver::always()), ..grown(&ball.body, "drawn in", -0.010) };
    (ball.body.morphs, ball.body.amounts) = (vec![drawn_in], vec![1.0]);
    let file = ball.opened(TrialWish::Clips);
    let told = depths(&file.board(&|_| true).unwrap());
    assert!(told[0] < 0.01, "6 mm of air at rest, {told:?}");
    let last = *told.last().unwrap();
    assert!((last - 4.0).abs() < 0.2, "10 mm pushed, 6 mm of air: {told:?}");
}

/// What a body wears is what the character is: at rest, where it is bound, on the board, and where it goes out.
#[test]
fn a_shape_that_the_body_of_a_file_wears_is_part_of_rest() {
    let mut ball = Ball::in_shell(0.112).pushed_by(0.010);
    ball.body.morphs = vec![grown(&ball.body, "stout", 0.020)];
    // 60 % of it: 12 mm further out, where the shell is.
    ball.body.amounts = vec![0.6];
    ball.shell = Ball::in_shell(0.116).shell;
    let mut file = ball.opened(TrialWish::Clips);
    let rest = file.dress().body.rest.iter().map(|p| p.length()).fold(0.0, f32::max);
    assert!((rest - 0.112).abs() < 1e-4, "{rest}");
    let told = depths(&file.board(&|_| true).unwrap());
    assert!(told[0] < 0.01 && (told[11] - 6.0).abs() < 0.2, "4 mm of air, 10 mm pushed: {told:?}");

    // It goes out so, and comes in again so.
    let bytes = file.glb().unwrap();
    let out = read("ball.glb", &bytes, &Companions::new()).unwrap();
    let body = out.meshes.iter().find(|m| m.name == "ball").unwrap();
    assert!((body.amounts[0] - 0.6).abs() < 1e-6);
    let furthest = body.mesh.positions.iter().map(|p| p.length()).fold(0.0, f32::max);
    assert!((furthest - BODY).abs() < 1e-5, "the mesh is as it came: {furthest}");
    let (_, proof) =
        prove(&file.fitting().0.fitting(file.fitting().1).unwrap().room, None, &|_| true).unwrap();
    assert!(proof.is_equal(), "{}", proof.line());

    // Changed by a step: pieces that follow go along, others are told.
    let fitting = file.fitting().1;
    let run = |step: Step| file.fitting().0.run_now(fitting, step);
    let stout = |amount: f32| Step::Intake(IntakeStep::WearBodyShape { shape: "stout".into(), amount });
    assert_eq!(run(stout(0.5)).unwrap(), "ball, stout 50 %");
    let effect = file.fitting().0.fitting(fitting).unwrap().effect();
    assert!(effect.notes.iter().any(|n| n.contains("do not follow it: shell")), "{:?}", effect.notes);
    run(Step::Seating(SeatingStep::FollowShapes { pieces: Vec::new(), follow: true, shapes: Vec::new() }))
        .unwrap();
    let radius = |file: &DressedFile| {
        let room = file.fitting().0.fitting(fitting).unwrap().room;
        let far = |list: &[Vec3]| list.iter().map(|p| p.length()).fold(0.0, f32::max);
        (far(&room.dress.body.rest), far(&room.dress.pieces[0].rest))
    };
    let (body, shell) = radius(&file);
    assert!((body - 0.110).abs() < 1e-4 && (shell - 0.116).abs() < 1e-4, "following moves nothing: {shell}");
    run(stout(1.0)).unwrap();
    let (body, shell) = radius(&file);
    assert!((body - 0.120).abs() < 1e-4 && (shell - 0.126).abs() < 5e-4, "{body} {shell}");
    let room = file.fitting().0.fitting(fitting).unwrap().room;
    let board = file.fitting().0.measure_now(fitting).unwrap();
    let (_, proof) = prove(&room, Some(&board), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    run(Step::Seating(SeatingStep::FollowShapes { pieces: Vec::new(), follow: false, shapes: Vec::new() }))
        .unwrap();
    assert!((radius(&file).1 - shell).abs() < 1e-6, "letting go moves nothing");
    assert!(run(stout(9.0)).unwrap_err().to_string().contains("200 %"));
    let unknown = Step::Intake(IntakeStep::WearBodyShape { shape: "thin".into(), amount: 0.5 });
    assert!(run(unknown).unwrap_err().to_string().contains("has no shape “thin”"));
    file = ball.opened(TrialWish::Range);
    assert!((file.dress().body.rest[0].length() - 0.112).abs() < 1e-4);
}

/// Asked for, each free shape of the body is tried in every frame of its clips, whole.
#[test]
fn shapes_of_the_body_are_tried_in_its_clips_when_asked() {
    let mut ball = Ball::in_shell(0.104).pushed_by(0.003);
    ball.body.morphs = vec![grown(&ball.body, "stout", 0.008), grown(&ball.body, "keyed", 0.002)];
    ball = ball.keyed(&[0.0, 1.0], &[0.0, 0.0, 0.0, 1.0], Interpolation::Linear);
    let plan = |shapes_in_clips: bool| TrialPlan {
        left_out: vec![Tries::BuiltIn],
        shapes_in_clips,
        ..TrialPlan::default()
    };
    let file = ball.opened(TrialWish::Set(plan(false)));
    let told = depths(&file.board(&|_| true).unwrap());
    assert!(told.iter().all(|mm| *mm < 1.1), "3 mm along and 2 mm out, 4 mm of air: {told:?}");
    let file = ball.opened(TrialWish::Set(plan(true)));
    let board = file.board(&|_| true).unwrap();
    let of_group = |name: &str| board.poses.iter().filter(|p| p.group == name).count();
    let frames = of_group("push");
    assert_eq!(of_group("push, stout"), frames, "as many frames again");
    assert_eq!(of_group("push, keyed"), 0, "the clip itself keys it");
    let told = depths(&board);
    let deepest = told.iter().copied().fold(0.0, f32::max);
    assert!((deepest - 9.0).abs() < 0.3, "8 mm out, 2 mm keyed, 3 mm along, 4 mm of air: {told:?}");
    let (shop, fitting) = file.fitting();
    let room = shop.fitting(fitting).unwrap().room;
    let (_, proof) = prove(&room, Some(&board), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
}

/// What a clip keys of shapes and sizes is posed, measured and played, each at its key, and goes out so.
#[test]
fn shapes_and_sizes_that_a_clip_keys_are_posed_measured_and_proved() {
    let breath = |interpolation: Interpolation, amounts: &[f32]| {
        let mut ball = Ball::in_shell(0.104).pushed_by(0.0).keyed(&[0.0, 0.5, 1.0], amounts, interpolation);
        ball.body.morphs = vec![grown(&ball.body, "breath", 0.010)];
        ball.opened(TrialWish::Clips)
    };
    let deep = |file: &DressedFile| depths(&file.board(&|_| true).unwrap());
    // 10 mm out, 4 mm of air; frame n of twelve lies at n elevenths of a second.
    let linear = breath(Interpolation::Linear, &[0.0, 1.0, 0.0]);
    let wanted = |amount: f32| (10.0 * amount - 4.0).max(0.0);
    let told = deep(&linear);
    for (n, told) in told.iter().enumerate() {
        let t = n as f32 / 11.0;
        assert!((told - wanted(1.0 - (2.0 * t - 1.0).abs())).abs() < 0.15, "frame {n}: {told}");
    }
    let stepped = deep(&breath(Interpolation::Step, &[0.0, 1.0, 0.0]));
    assert!(stepped[5] == 0.0 && (stepped[6] - 6.0).abs() < 0.15 && stepped[11] == 0.0, "{stepped:?}");
    // Tangents of 0: at a quarter of a second (glTF 2.0, appendix C) a half of it.
    let keys = [0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0];
    let cubic = deep(&breath(Interpolation::Cubic, &keys));
    let hermite = |t: f32| -2.0 * t.powi(3) + 3.0 * t.powi(2);
    assert!((cubic[4] - wanted(hermite(8.0 / 11.0))).abs() < 0.15, "{cubic:?}");

    let (shop, fitting) = linear.fitting();
    let played = shop.played(fitting, "push").unwrap();
    let most = played.iter().flat_map(|(_, pose)| &pose.amounts).copied().fold(0.0, f32::max);
    assert!(played.len() > 12 && most > 0.9, "{most}");
    // What follows goes along in the clip of the file, too.
    shop.run_now(
        fitting,
        Step::Seating(SeatingStep::FollowShapes { pieces: Vec::new(), follow: true, shapes: Vec::new() }),
    )
    .unwrap();
    let board = shop.measure_now(fitting).unwrap();
    assert!(depths(&board).iter().all(|mm| *mm < 0.3), "it follows: {:?}", depths(&board));
    let room = shop.fitting(fitting).unwrap().room;
    let (bytes, proof) = prove(&room, Some(&board), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    let out = read("ball.glb", &bytes, &Companions::new()).unwrap();
    assert_eq!(out.clips[0].shapes.len(), 2, "ball and shell");

    let sized = Ball::in_shell(0.104).sized_to(1.1).opened(TrialWish::Clips);
    let told = deep(&sized);
    assert!(told[0] == 0.0 && (told[11] - 6.0).abs() < 0.2, "{told:?}");
    let room = sized.fitting().0.fitting(sized.fitting().1).unwrap().room;
    let board = sized.board(&|_| true).unwrap();
    let (_, proof) = prove(&room, Some(&board), &|_| true).unwrap();
    assert!(proof.is_equal(), "{}", proof.line());
}

/// A motion of a day is refused where it would be written frame by frame, before any is made.
#[test]
fn a_motion_of_a_day_is_refused_and_turns_of_no_unit_length_are_turns() {
    let mut ball = Ball::in_shell(0.104).pushed_by(0.0);
    ball.clips[0].tracks[0].times = vec![0.0, 86_400.0];
    let file = ball.opened(TrialWish::Range);
    for told in [
        usda_of(file.dress(), &Parts::default()).unwrap_err(),
        usdz_of(file.dress(), &Parts::default()).unwrap_err(),
        bvh_of(file.dress(), file.trials(), "push", Frame::default()).unwrap_err(),
    ] {
        let told = told.to_string();
        assert!(told.contains("the motion “push” is") && told.contains("shorten it"), "{told}");
    }

    let turn = Quat::from_rotation_y(0.8);
    let keys = TrackValues::Rotation(vec![Quat::IDENTITY * 3.0, turn * 0.25]);
    ball.clips[0].tracks[0] =
        Track { times: vec![0.0, 1.0], values: keys, ..ball.clips[0].tracks[0].clone() };
    let read = read("ball.glb", &ball.bytes(), &Companions::new()).unwrap();
    let pose = read.clips[0].sample(read.skeleton.as_ref().unwrap(), 0.5);
    assert!(pose.rotations[1].angle_between(Quat::from_rotation_y(0.4)) < 1e-3, "{pose:?}");
}

/// A spike of the body, grown in a pose through a coat of big faces: no vertex of either was asked at rest.
#[test]
fn what_only_crosses_has_a_depth_is_looked_at_and_counts() {
    let mut ball = Ball::in_shell(0.12).pushed_by(0.0).keyed(&[0.0, 1.0], &[0.0, 1.0], Interpolation::Linear);
    // One vertex goes out by 184 mm: 164 mm out of the shell.
    let tip = (0..ball.body.mesh.positions.len())
        .max_by(|a, b| ball.body.mesh.positions[*a].z.total_cmp(&ball.body.mesh.positions[*b].z))
        .unwrap();
    let out = |v: usize, p: &Vec3| if v == tip { p.normalize() * 0.184 } else { Vec3::ZERO };
    let spike: Vec<Vec3> = ball.body.mesh.positions.iter().enumerate().map(|(v, p)| out(v, p)).collect();
    ball.body.morphs = vec![Morph::from_dense("spike".into(), &spike)];
    // A shell of eight big faces about it.
    let (positions, triangles) = sphere(0.2, 4);
    let skin = Skin::uniform(positions.len(), &[(JointId(0), 1.0)], 2).unwrap();
    let normals = vertex_normals(&positions, &triangles);
    ball.shell.mesh = Mesh { positions, normals, triangles, polygons: Vec::new() };
    ball.shell.skin = Some(skin);
    let file = ball.opened(TrialWish::Clips);
    let told = depths(&file.board(&|_| true).unwrap());
    assert!(told[0] == 0.0 && told[11] > 60.0, "{told:?}");
    let (report, bad) = file.measured(&|_| true).unwrap();
    assert!(bad > 0 && !report.verdict.clear);
}

/// Shapes whose names have no letter of an identifier stay apart in a USD, and so do two of one name that two meshes
/// wear to other amounts.
#[test]
fn shapes_stay_apart_in_a_usd() {
    let mut ball = Ball::in_shell(0.12).pushed_by(0.0);
    ball.body.morphs = vec![grown(&ball.body, "ä", 0.004), grown(&ball.body, "ö", 0.008)];
    ball.body.amounts = vec![0.25, 0.75];
    ball.shell.morphs = vec![grown(&ball.shell, "ö", 0.001)];
    ball.shell.amounts = vec![0.5];
    let file = ball.opened(TrialWish::Range);
    let text = usda_of(file.dress(), &Parts::default()).unwrap();
    let line = |what: &str| text.lines().find(|l| l.contains(what)).unwrap().trim().to_owned();
    let tokens = line("uniform token[] blendShapes");
    assert_eq!(tokens, "uniform token[] blendShapes = [\"_\", \"__2\", \"shell__\"]");
    let weights = text.split("blendShapeWeights.timeSamples").nth(1).unwrap();
    assert!(weights.lines().nth(1).unwrap().contains("0: [0.25, 0.75, 0.5],"), "{weights:.80}");
    let of_meshes: Vec<&str> =
        text.lines().filter(|l| l.contains("skel:blendShapes")).map(str::trim).collect();
    let named = |list: &str| format!("uniform token[] skel:blendShapes = [{list}]");
    assert_eq!(of_meshes, [named("\"_\", \"__2\""), named("\"shell__\"")]);
}

/// A body of which each face runs through thousands of others: what is over it cannot be measured, and that is said
/// soon.
#[test]
fn a_body_of_noise_ends_in_a_verdict() {
    let mut ball = Ball::in_shell(0.12);
    let (mut positions, triangles) = sphere(0.1, 96);
    // Numbers of a linear congruence (Knuth, “The Art of Computer Programming” 2, 3.2.1): the same in each run.
    let mut state = 1u64;
    let mut number = || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 40) as f32 / (1u64 << 24) as f32 * 0.4 - 0.2
    };
    positions.iter_mut().for_each(|p| *p = Vec3::new(number(), number(), number()));
    let skin = Skin::uniform(positions.len(), &[(JointId(1), 1.0)], 2).unwrap();
    let normals = vertex_normals(&positions, &triangles);
    ball.body.mesh = Mesh { positions, normals, triangles, polygons: Vec::new() };
    ball.body.skin = Some(skin);
    let file = ball.opened(TrialWish::Range);
    let (report, bad) = file.measured(&|_| true).unwrap();
    assert!(!report.verdict.clear && report.verdict.cannot_be_measured > 0, "{bad} {:?}", report.verdict);
}

/// A looser fit that came with a piece is a means of a plan, by the amount that measures best.
#[test]
fn a_plan_loosens_a_piece_by_the_shape_that_it_came_with() {
    let mut ball = Ball::in_shell(0.106).pushed_by(0.010);
    (ball.shell.morphs, ball.shell.amounts) = (vec![grown(&ball.shell, "wide", 0.008)], vec![0.0]);
    let file = ball.opened(TrialWish::Clips);
    let deepest = *depths(&file.board(&|_| true).unwrap()).last().unwrap();
    assert!((deepest - 4.0).abs() < 0.2, "6 mm of air, 10 mm pushed: {deepest}");
    let (shop, fitting) = file.fitting();
    let job = shop.make_plan(fitting, vec![MeansKind::Loosen]).unwrap();
    shop.jobs().get(job).unwrap().wait();
    let plan = shop.plan_of(&shop.fitting(fitting).unwrap().room).unwrap().unwrap();
    assert_eq!(plan.steps.len(), 1, "{plan:?}");
    let Step::Seating(SeatingStep::WearShape { shape: 0, amount, .. }) = plan.steps[0].means.step else {
        panic!("{:?}", plan.steps)
    };
    assert!((0.5..=1.0).contains(&amount), "half of it is just enough: {amount}");
    assert_eq!(plan.cells.1, 0, "{:?}", plan.cells);
}
