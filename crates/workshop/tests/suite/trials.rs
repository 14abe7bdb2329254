//! What is tried and how it counts, the snags tied over poses, and putting on and curing at once.

use std::sync::Arc;
use tin_cloak_testkit::{wardrobe, wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::trial::{JointRange, MotionRanges, SwingAxis};
use tin_cloak_workshop::{
    AtRandom, BindingStep, Board, Companions, CountRule, Counts, FollowWish, Frames, IntakeStep, PieceKind,
    PlaceOptions, SeatingStep, Step, Sweep, Target, Trial, TrialPlan, TrialStep, Workshop,
};

fn bench() -> Bench {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("scale cloak", 3)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Mixed }));
    bench.bind_all();
    // What layers run into of themselves counts here, as it does where one says so.
    let room = bench.room();
    let names =
        std::iter::once(room.dress.body.name.clone()).chain(room.dress.pieces.iter().map(|p| p.name.clone()));
    let itself = |name: String| rule(Target::Pair { outer: name.clone(), inner: name }, Counts::Counted);
    let plan = names.map(itself).fold(room.state.plan.clone(), TrialPlan::with_rule);
    bench.run(Step::Trial(TrialStep::Try { plan, said: "Trials: folds count".to_owned() }));
    bench
}

fn plan(bench: &Bench) -> TrialPlan {
    bench.room().state.plan.clone()
}

fn try_it(bench: &Bench, plan: TrialPlan) -> Arc<Board> {
    bench.run(Step::Trial(TrialStep::Try { plan, said: "Trials: otherwise".to_owned() }));
    bench.board()
}

fn rule(target: Target, counts: Counts) -> CountRule {
    CountRule { target, counts, note: "nobody sees it".to_owned() }
}

#[test]
fn what_is_set_apart_is_measured_and_does_not_count() {
    let bench = bench();
    let all = bench.board();
    let (pose, row) = all.worst().unwrap();
    let (group, name) = (all.poses[pose].group.clone(), all.poses[pose].name.clone());
    let of_pose = |b: &Board| b.measured().filter(|c| c.0 == pose && c.2.is_bad()).count();
    let stress = try_it(&bench, plan(&bench).with_rule(rule(Target::Pose { group, name }, Counts::Stress)));
    assert_eq!(stress.bad_cells(), all.bad_cells() - of_pose(&all));
    assert_eq!(stress.stress_cells(), (of_pose(&all), all.deepest_mm()));
    assert_eq!(stress.cells, all.cells, "measured all the same");
    // A pair is left aside: neither counted nor told of as stress.
    let pair = &all.pairs[row];
    let target = Target::Pair { outer: pair.outer.clone(), inner: pair.inner.clone() };
    let aside = try_it(&bench, plan(&bench).with_rule(rule(target, Counts::Aside)));
    let left = |c: &(usize, usize, &tin_cloak_workshop::Cell)| c.1 != row && c.0 != pose && c.2.is_bad();
    assert_eq!(aside.bad_cells(), all.measured().filter(left).count());
    bench.shop.undo(bench.fitting).unwrap();
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.board().bad_cells(), all.bad_cells());
}

#[test]
fn a_pair_has_a_tolerance_of_its_own_and_what_is_hidden_counts_when_wished() {
    let bench = bench();
    let all = bench.board();
    let row = all.worst().unwrap().1;
    let pair = &all.pairs[row];
    let lax = try_it(&bench, plan(&bench).with_tolerance(&pair.outer, &pair.inner, Some(30.0)));
    let at = lax.pairs.iter().position(|p| p.ids == pair.ids).unwrap();
    for (pose, column) in lax.cells.iter().enumerate() {
        let (now, then) = (column[at].as_ref().unwrap(), all.cells[pose][row].as_ref().unwrap());
        assert!(now.depth_mm() == 0.0 || now.depth_mm() >= 30.0, "{now:?}");
        assert!(now.poking <= then.poking);
    }
    let hidden = all.measured().filter(|c| c.2.is_hidden_only()).count();
    assert!(hidden > 0);
    let strict = try_it(&bench, TrialPlan { hidden_counts: true, ..plan(&bench) });
    assert_eq!(strict.bad_cells(), all.bad_cells() + hidden);
    bench.run(Step::Trial(TrialStep::SetTolerance { tolerance_mm: 200.0 }));
    assert_eq!(bench.board().measured().filter(|c| c.2.poking > 0).count(), 0);
}

#[test]
fn swings_random_poses_and_frames_have_columns_of_their_own() {
    let bench = bench();
    let swing = |joint: &str, axis, both_sides| Sweep {
        joint: joint.to_owned(),
        axis,
        steps: 5,
        both_sides,
        coupled: true,
    };
    let (joint, frames) = ("upper_arm_left", Frames::Rate(15));
    let wished = TrialPlan {
        frames,
        sweeps: vec![swing(joint, SwingAxis::Forward, false), swing(joint, SwingAxis::Turn, true)],
        random: Some(AtRandom { poses: 3, seed: 4 }),
        ..TrialPlan::default()
    };
    let board = try_it(&bench, wished);
    let of = |group: &str| board.poses.iter().filter(|p| p.group == group).count();
    assert_eq!(
        (of("upper_arm_left forward"), of("upper_arm_left turn, both sides"), of("at random")),
        (5, 5, 3)
    );
    let clip = board.poses.iter().filter(|p| p.group == "night round").map(|p| p.time_s).fold(0.0, f32::max);
    assert_eq!(of("night round"), (clip * 15.0).round() as usize + 1);
    assert!(board.is_whole());
    let shaped = try_it(&bench, TrialPlan { body_shapes: true, ..TrialPlan::default() });
    let stout = |name: &str| shaped.poses.iter().position(|p| p.group == "stout" && p.name == name).unwrap();
    let deepest = |pose: usize| shaped.cells[pose].iter().flatten().map(|c| c.deepest_mm).fold(0.0, f32::max);
    assert!(
        deepest(stout("stout")) > deepest(stout("half stout")) + 5.0,
        "a belly pushes through what does not follow"
    );
    assert!(shaped.poses.iter().any(|p| p.group == "slight" && p.name == "slight, squat"));
    assert!(shaped.poses.iter().any(|p| p.group == "two shapes" && p.name == "stout and slight"));
    let gone = Step::Trial(TrialStep::Try {
        plan: TrialPlan { sweeps: vec![swing("tail", SwingAxis::Turn, false)], ..TrialPlan::default() },
        said: String::new(),
    });
    let odd = Step::Trial(TrialStep::Try {
        plan: TrialPlan { frames: Frames::Some(0), ..TrialPlan::default() },
        said: String::new(),
    });
    let far = Step::Trial(TrialStep::SetTolerance { tolerance_mm: f32::NAN });
    insta::assert_snapshot!([gone, odd, far].map(|s| bench.refused(s)).join("\n"));
}

/// All spots of a board's cells are in the tied snags, as deep.
#[test]
fn snags_are_tied_over_poses_and_tell_what_the_board_tells() {
    let bench = bench();
    let (board, room) = (bench.board(), bench.room());
    let snags = bench.shop.worst_snags(&room, usize::MAX).unwrap();
    let deepest = |through: &str, pose: usize| {
        let of_pair = snags.iter().filter(|s| s.card.through == through);
        of_pair.map(|s| s.depths_mm[pose]).fold(0.0, f32::max)
    };
    let mut compared = 0;
    for (pose, row, cell) in board.measured().filter(|c| c.2.is_bad()) {
        let pair = &board.pairs[row];
        let told = deepest(&tin_cloak_workshop::through_in_words(&pair.outer, &pair.inner), pose);
        let wanted = cell.deepest_mm.max(cell.sunk_deepest_mm).max(cell.contact_mm);
        assert!(
            (told - wanted).abs() < 0.011,
            "{} {}: {told} for {wanted}",
            board.poses[pose].name,
            pair.label()
        );
        compared += 1;
    }
    assert!(compared > 20);
    let worst = &snags[0];
    assert_eq!(worst.depths_mm[worst.pose], worst.card.deepest_mm);
    assert!(!worst.card.place.is_empty() && !worst.card.causes.is_empty(), "{worst:?}");
    let png = bench.shop.snag_picture(&room, 0, |_| [200, 180, 150], 150, 112).unwrap();
    assert!(png.starts_with(b"\x89PNG") && png.len() > 2000);
    assert!(bench.shop.snag_picture(&room, 9999, |_| [0; 3], 150, 112).is_err());
    let csv = board.to_csv();
    assert_eq!(csv.lines().count(), board.size() + 1);
    assert!(csv.lines().all(|l| l.split(',').count() >= 19), "{}", csv.lines().next().unwrap());
}

/// One joint's weight raised in one spot: that joint is the first cause, by what it moves the spot.
#[test]
fn the_cause_is_the_joint_whose_weight_was_raised() {
    let bench = wearing_coarse(&[("breeches", 1)]);
    bench.run(Step::Binding(BindingStep::ChooseMethod {
        piece: 1,
        options: tin_cloak_workshop::BindOptions {
            method: tin_cloak_workshop::Method::Surface,
            ..Default::default()
        },
    }));
    bench.bind_all();
    let room = bench.room();
    let skeleton = &room.dress.body.skeleton;
    let joint = skeleton.find("upper_leg_left").unwrap();
    let squat = room.trials.trials.iter().position(|t| t.name == "squat").unwrap();
    let pose = room.joints_in(squat, &[]).unwrap();
    // A vertex at the back of the waistband, and as its own weights would have it.
    let piece = &room.dress.pieces[0];
    let v = (0..piece.rest.len()).max_by(|a, b| piece.rest[*a].y.total_cmp(&piece.rest[*b].y)).unwrap();
    let skin = &piece.bound.as_ref().unwrap().skin;
    let beneath: Vec<_> = skin.row(v).collect();
    let mut raised: Vec<_> = beneath.iter().map(|(j, w)| (*j, w * 0.7)).collect();
    match raised.iter_mut().find(|e| e.0 == joint) {
        Some(e) => e.1 += 0.3,
        None => raised.push((joint, 0.3)),
    }
    let own = tin_cloak_workshop::core::skin::Skin::from_rows(&[raised.clone()], skeleton.len()).unwrap();
    let rest = piece.rest[v];
    let at = |row: &[(tin_cloak_workshop::core::JointId, f32)]| {
        row.iter()
            .map(|(j, w)| pose.matrices[j.index()].transform_point3(rest) * *w)
            .sum::<tin_cloak_workshop::core::glam::Vec3>()
    };
    let causes = tin_cloak_workshop::core::clearance::rank_causes(
        rest,
        at(&raised),
        &own,
        0,
        &beneath,
        &pose.matrices,
    );
    assert_eq!(causes[0].joint, joint, "{causes:?}");
    // 0.3 of the way from where the leg alone would take it to where it is held.
    let alone = pose.matrices[joint.index()].transform_point3(rest);
    let wanted = (raised.iter().find(|e| e.0 == joint).unwrap().1
        - beneath.iter().find(|e| e.0 == joint).map_or(0.0, |e| e.1))
        * alone.distance(at(&raised));
    assert!((causes[0].metres - wanted).abs() < 0.1 * wanted, "{} for {wanted}", causes[0].metres);
}

#[test]
fn all_is_put_on_by_its_geometry_and_cured_without_loss_each_in_one_step() {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let mut body = None;
    for file in wardrobe() {
        let assets = shop.bring_in(file.name, &file.bytes, &Companions::new()).unwrap();
        body = body.or(assets.iter().find(|a| a.role == "body").map(|a| a.id));
    }
    let fitting = shop.begin("Wick", body.unwrap()).unwrap();
    let put_on = shop.run_now(fitting, shop.put_on_step(fitting, &[]).unwrap()).unwrap();
    let cured = shop.run_now(fitting, Step::Intake(IntakeStep::CureAll)).unwrap();
    insta::assert_snapshot!(format!("{put_on}\n{cured}"));
    let open = shop.fitting(fitting).unwrap();
    assert_eq!((open.fitting.cursor, open.room.dress.pieces.len()), (3, 11));
    // Nothing more to put on, nothing more to cure so.
    assert!(shop.put_on_step(fitting, &[]).is_err());
    assert!(shop.run_now(fitting, Step::Intake(IntakeStep::CureAll)).is_err());
    shop.undo(fitting).unwrap();
    shop.undo(fitting).unwrap();
    assert!(shop.fitting(fitting).unwrap().room.dress.pieces.is_empty());
    shop.redo(fitting).unwrap();
    assert_eq!(shop.fitting(fitting).unwrap().room.dress.pieces.len(), 11);
}

#[test]
fn shapes_that_poses_drive_are_off_and_pieces_taken_off_on_demand() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("scale cloak", 3)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Mixed }));
    bench.bind_all();
    let plain = bench.board();
    // Bent elbows lose volume without their shapes.
    let bare = try_it(&bench, TrialPlan { driven_off: true, ..TrialPlan::default() });
    let elbows = |b: &Board| b.poses.iter().position(|p| p.name == "elbows bent").unwrap();
    assert_ne!(bare.cells[elbows(&bare)], plain.cells[elbows(&plain)]);
    assert_eq!(bare.cells[0], plain.cells[0], "rest drives none");
    // What it hides is seen then (see the core's own test); its own rows no longer count.
    let without =
        try_it(&bench, TrialPlan { taken_off: vec!["scale cloak".to_owned()], ..TrialPlan::default() });
    let cloak = without.pairs.iter().filter(|p| p.outer == "scale cloak" || p.inner == "scale cloak");
    assert!(cloak.into_iter().all(|p| p.counts == Counts::Aside));
}

#[test]
fn poses_are_tried_on_the_way_to_them_on_demand() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    let plain = bench.board();
    let more = try_it(&bench, TrialPlan { on_the_way: true, ..TrialPlan::default() });
    let named = |b: &Board, name: &str| b.poses.iter().position(|p| p.name == name);
    let built_in = plain.poses.iter().filter(|p| p.group == "range").count();
    assert_eq!(more.poses.iter().filter(|p| p.group == "on the way").count(), 2 * built_in);
    assert_eq!(named(&plain, "half of squat"), None);
    // The whole of the way is as it was; a knee on the way is turned by as much of its turn.
    let (squat, room) = (named(&more, "squat").unwrap(), bench.room());
    assert_eq!(more.cells[squat], plain.cells[named(&plain, "squat").unwrap()]);
    let knee = room.dress.body.skeleton.find("lower_leg_left").unwrap().index();
    let angle = |name: &str| {
        let turn = room.trials.trials[named(&more, name).unwrap()].pose.rotations[knee];
        turn.to_axis_angle().1.to_degrees()
    };
    assert!((angle("half of squat") - 0.5 * angle("squat")).abs() < 0.01 && angle("squat") > 60.0);
    assert!((angle("three quarters of squat") - 0.75 * angle("squat")).abs() < 0.01);
}

#[test]
fn what_hangs_lower_than_the_figure_stands_is_told_on_demand() {
    // As one with the chest.
    let bench = wearing_coarse(&[("scale cloak", 1)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 1, kind: PieceKind::Stiff }));
    // Its hem hangs 2 cm over the ground.
    let low = |bench: &Bench| bench.piece(1).rest.iter().map(|p| p.y).fold(f32::INFINITY, f32::min);
    let sole = bench.room().dress.body.rest.iter().map(|p| p.y).fold(f32::INFINITY, f32::min);
    let shift_mm = [0.0, (sole - low(&bench)) * 1000.0 + 20.0, 0.0];
    bench.run(Step::Seating(SeatingStep::Place {
        piece: 1,
        options: PlaceOptions { shift_mm, ..PlaceOptions::NONE },
    }));
    bench.bind_all();
    let follow = FollowWish::Joint("spine_3".to_owned());
    bench.run(Step::Binding(BindingStep::Follow { piece: 1, shell: None, follow }));
    assert!(!bench.board().pairs.iter().any(|p| p.inner == "the ground"), "only where it is asked");
    let board = try_it(&bench, TrialPlan { ground: true, ..TrialPlan::default() });
    let row = board.pairs.iter().position(|p| p.inner == "the ground").unwrap();
    assert_eq!(board.pairs[row].label(), "scale cloak on the ground");
    let at = |name: &str| board.poses.iter().position(|p| p.name == name).unwrap();
    let depth = |name: &str| board.cells[at(name)][row].as_ref().unwrap().depth_mm();
    assert_eq!((depth("rest"), depth("arms out")), (0.0, 0.0));
    // Squatting, what hangs from the back goes down with it, the feet stay.
    assert!(depth("squat") > 100.0, "{}", depth("squat"));
    let card = board.crossing_card(at("squat"), row).unwrap();
    assert_eq!((card.through.as_str(), card.deepest_mm), ("scale cloak beneath the ground", depth("squat")));
}

/// Poses of an arm, a leg and the trunk at once are the same for a seed, and keep to the ranges that are set.
#[test]
fn combined_poses_keep_to_ranges() {
    let bench = wearing_coarse(&[("breeches", 1)]);
    let joint = "head".to_owned();
    let range = Some(JointRange { forward: [-5.0, 5.0], sideways: [-5.0, 5.0], turn: [-5.0, 5.0] });
    let tried = |bench: &Bench| -> Vec<Trial> {
        let trials = &bench.room().trials;
        trials.trials.iter().filter(|t| t.group == "combined").cloned().collect()
    };
    let furthest = |bench: &Bench| -> f32 {
        let room = bench.room();
        let (ranges, head) =
            (MotionRanges::new(&room.dress.body.skeleton), room.dress.body.skeleton.find("head"));
        let turn = |t: &Trial| {
            ranges.angles(head.unwrap(), &t.pose).unwrap().iter().fold(0.0f32, |m, a| m.max(a.abs()))
        };
        tried(bench).iter().map(turn).fold(0.0, f32::max)
    };
    let combined = Some(AtRandom { poses: 40, seed: 3 });
    bench.run(Step::Trial(TrialStep::Try {
        plan: TrialPlan { combined, ..plan(&bench) },
        said: "Trials: combined".into(),
    }));
    let free = tried(&bench);
    assert_eq!(free.len(), 40);
    assert!(furthest(&bench) > 15.0, "{}", furthest(&bench));
    bench.run(Step::Trial(TrialStep::SetRange { joint, range, piece: None }));
    assert!(furthest(&bench) < 5.5, "{}", furthest(&bench));
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(tried(&bench), free);
}
