//! Choosing vertices and changing their weights by hand: what steps say, what is refused, what is done again on new
//! weights, and what a choice comes to after faces are left out.

use tin_cloak_testkit::{wearing, wearing_bound, Bench};
use tin_cloak_workshop::core::bind::by_hand::{FoldsOver, Profile};
use tin_cloak_workshop::core::bind::sides::BodySide;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::BrushViewOfRoom;
use tin_cloak_workshop::ChoosingOfRoom;
use tin_cloak_workshop::HandViewOfRoom;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{
    BindOptions, BindingStep, BrushStroke, Chosen, Clean, Cleaned, Companions, HandAmount, HandChange,
    HandRest, MapKind, Method, Moment, Pick, PickHow, PieceKind, Reach, SeatingStep, SourcePart, Step,
    StrokePose, Takes, ViewRequest, What,
};

fn tunic() -> Bench {
    wearing_bound(&[("quilted tunic", 1)])
}

fn by_hand(change: HandChange, picks: Vec<Pick>, locked: &[&str]) -> Step {
    let clean = Clean::ByHand { change, firm_percent: None };
    let locked = locked.iter().map(|l| (*l).to_owned()).collect();
    Step::Binding(BindingStep::Clean { piece: 1, clean, chosen: Chosen::Picks(picks), locked })
}

fn add(joint: &str, by: f32) -> HandChange {
    HandChange::Give { joint: joint.to_owned(), amount: HandAmount::Add(by), rest: HandRest::Others }
}

fn forearm() -> Vec<Pick> {
    vec![Pick::add(What::Joint { joint: "lower_arm_left".to_owned(), over: 0.3 })]
}

fn count(bench: &Bench, picks: &[Pick]) -> usize {
    bench.room().choose(1, picks, Moment::new(&ViewRequest::default())).unwrap().count
}

#[test]
fn steps_by_hand_say_what_they_did_and_bad_ones_why_not() {
    let bench = tunic();
    let fade = |ends| HandChange::Fade {
        from: "lower_arm_left".to_owned(),
        to: "hand_left".to_owned(),
        ends,
        along_surface: true,
        along_rows: false,
        profile: Profile::Smooth,
    };
    let crease = |ends| HandChange::Crease {
        near: "upper_arm_left".to_owned(),
        far: "lower_arm_left".to_owned(),
        ends,
        width_mm: 30.0,
        over: FoldsOver::Near,
    };
    let table = |rows| HandChange::Table {
        joints: vec!["upper_arm_left".to_owned(), "lower_arm_left".to_owned()],
        rows,
    };
    let within = |how, what| [forearm(), vec![Pick { how, what }]].concat();
    let steps = [
        by_hand(add("lower_arm_left", 0.1), forearm(), &[]),
        by_hand(add("lower_arm_left", -0.1), within(PickHow::Within, What::Rows { vertex: 0, rows: 3 }), &[]),
        by_hand(add("lower_arm_twist_left", 0.2), forearm(), &["lower_arm_left"]),
        by_hand(HandChange::Mean, vec![Pick::add(What::Rows { vertex: 0, rows: 0 })], &[]),
        by_hand(HandChange::Beneath { share: 0.5, fade_mm: 0.0 }, forearm(), &[]),
        by_hand(HandChange::Harden { strength: 0.5 }, forearm(), &[]),
        by_hand(
            HandChange::Smooth { joints: vec!["lower_arm_left".into()], strength: 0.5, times: 3 },
            forearm(),
            &[],
        ),
        by_hand(crease([1000, 1400]), forearm(), &[]),
        by_hand(crease([1000, 1000]), forearm(), &[]),
        by_hand(table(vec![(1000, vec![0.75, 0.25]), (1001, vec![0.5, 0.5])]), Vec::new(), &[]),
        by_hand(table(vec![(1000, vec![0.75])]), vec![Pick::add(What::All)], &[]),
        by_hand(table(vec![(1000, vec![0.75, 0.25])]), vec![Pick::add(What::All)], &[]),
        by_hand(add("tail", 0.1), forearm(), &[]),
        by_hand(add("lower_arm_left", 7.0), forearm(), &[]),
        by_hand(add("root", 0.1), Vec::new(), &[]),
        by_hand(add("lower_arm_left", 0.1), forearm(), &["lower_arm_left"]),
        by_hand(add("lower_arm_left", f32::NAN), forearm(), &[]),
        by_hand(fade([0, 999_999]), forearm(), &[]),
        by_hand(HandChange::Copy { vertex: 999_999 }, forearm(), &[]),
        by_hand(add("lower_arm_left", 0.1), vec![Pick::add(What::Patch("cuff".into()))], &[]),
        Step::Binding(BindingStep::KeepPatch { piece: 1, name: " ".into(), picks: forearm() }),
        Step::Binding(BindingStep::DropPatch { piece: 1, name: "cuff".into() }),
        Step::Binding(BindingStep::KeepPatch { piece: 1, name: "left forearm".into(), picks: forearm() }),
    ];
    let mut told = Vec::new();
    for step in steps {
        let before = bench.open().fitting.cursor;
        match bench.shop.run_now(bench.fitting, step) {
            Ok(_) => {
                told.push(bench.open().current().unwrap().sentence.clone());
                told.extend(bench.open().effect().notes.into_iter().map(|n| format!("  {n}")));
            }
            Err(why) => {
                told.push(format!("no: {why}"));
                assert_eq!(bench.open().fitting.cursor, before, "nothing was changed");
            }
        }
    }
    insta::assert_snapshot!(told.join("\n"));
}

#[test]
fn what_was_done_by_hand_is_done_again_where_its_choice_is_now() {
    let bench = tunic();
    bench.run(by_hand(add("lower_arm_left", 0.2), forearm(), &[]));
    let options = BindOptions { method: Method::Surface, ..BindOptions::default() };
    bench.run(Step::Binding(BindingStep::ChooseMethod { piece: 1, options }));
    let notes = bench.open().effect().notes.join("; ");
    assert!(notes.contains("again: Add 0.2 of lower_arm_left on quilted tunic"), "{notes}");
    // The same choice of what it was bound to by that method, a fifth more.
    bench.run(Step::Binding(BindingStep::ForgetCleaning { piece: 1 }));
    let fresh = bench.piece(1).bound.unwrap();
    bench.run(by_hand(add("lower_arm_left", 0.2), forearm(), &[]));
    let again = bench.piece(1).bound.unwrap();
    let joint = bench.room().dress.body.skeleton.find("lower_arm_left").unwrap();
    for (before, after) in fresh.skin.column(joint).iter().zip(again.skin.column(joint)) {
        let wished = if *before > 0.3 { (before + 0.2).min(1.0) } else { *before };
        assert!((after - wished).abs() < 1e-4, "{after} for {wished}");
    }
}

#[test]
fn choices_come_to_what_they_say() {
    let bench = tunic();
    let all = count(&bench, &[Pick::add(What::All)]);
    let of = |what: What| count(&bench, &[Pick::add(what)]);
    let sides = [BodySide::Left, BodySide::Centre, BodySide::Right].map(|s| of(What::Side(s)));
    assert_eq!(sides.iter().sum::<usize>(), all);
    assert!(sides[0].abs_diff(sides[2]) < all / 100 && sides[1] > 20, "{sides:?}");
    assert_eq!(count(&bench, &[Pick::add(What::All), Pick::add(What::Invert)]), 0);
    let hem = of(What::Rows { vertex: 0, rows: 0 });
    // The tunic has 96 columns: its hem, and three rings over it.
    assert_eq!((hem, of(What::Rows { vertex: 0, rows: 3 })), (96, 4 * 96));
    let ring = count(&bench, &[Pick::add(What::Loop([96 * 5, 96 * 5 + 1]))]);
    assert_eq!(ring, 96);
    assert_eq!(of(What::Between([[96 * 2, 96 * 2 + 1], [96 * 6, 96 * 6 + 1]])), 5 * 96);
    let forearm = count(&bench, &forearm());
    let both = count(&bench, &[self::forearm(), vec![Pick::add(What::Mirrored)]].concat());
    assert!(forearm > 200 && both.abs_diff(2 * forearm) < 10, "{forearm} and {both}");
    let disc = What::Around(Reach { radius_mm: 30.0, dabs: vec![400], mirrored: false });
    let wider = count(&bench, &[Pick::add(disc.clone()), Pick::add(What::Wider { mm: 30.0 })]);
    let twice = of(What::Around(Reach { radius_mm: 60.0, dabs: vec![400], mirrored: false }));
    assert!(wider <= twice && wider > of(disc), "{wider} of {twice}");
}

#[test]
fn what_is_through_here_and_what_the_last_step_changed_can_be_chosen() {
    let bench = tunic();
    let room = bench.room();
    let squat = room.trials.trials.iter().position(|t| t.name == "hands to face").unwrap();
    let view = ViewRequest { pose: squat, ..ViewRequest::default() };
    let through = room.choose(1, &[Pick::add(What::Through)], Moment::new(&view)).unwrap();
    assert!(through.count > 5, "{}", through.count);
    assert!(matches!(through.picks[0].what, What::Vertices(_)), "what depends on the moment is written down");
    bench.run(by_hand(add("lower_arm_left", 0.1), forearm(), &[]));
    let changed = bench.shop.choose(bench.fitting, 1, &[Pick::add(What::Changed)], &view).unwrap();
    let chosen = count(&bench, &through.picks);
    assert!(changed.count > 100 && chosen == through.count, "{} {chosen}", changed.count);
}

#[test]
fn a_brush_on_both_sides_gives_each_side_its_own_joint() {
    let bench = tunic();
    let rest = bench.piece(1).rest.clone();
    let elbow = bench.room().dress.body.skeleton.find("lower_arm_left").unwrap();
    let at = bench.room().dress.body.skeleton.rest_positions()[elbow.index()];
    let away = |v: &usize| rest[*v].distance(at);
    let vertex = (0..rest.len()).min_by(|a, b| away(a).total_cmp(&away(b))).unwrap() as u32;
    let brush = Reach { radius_mm: 40.0, dabs: vec![vertex], mirrored: true };
    let clean = Clean::ByHand { change: add("lower_arm_left", 0.3), firm_percent: Some(20.0) };
    let before = bench.piece(1).bound.unwrap();
    bench.run(Step::Binding(BindingStep::Clean {
        piece: 1,
        clean,
        chosen: Chosen::Around(brush),
        locked: Vec::new(),
    }));
    let after = bench.piece(1).bound.unwrap();
    let skeleton = &bench.room().dress.body.skeleton.clone();
    for (joint, side) in [("lower_arm_left", 1.0), ("lower_arm_right", -1.0f32)] {
        let joint = skeleton.find(joint).unwrap();
        let (old, new) = (before.skin.column(joint), after.skin.column(joint));
        let gained: Vec<usize> = (0..rest.len()).filter(|v| new[*v] > old[*v] + 0.05).collect();
        assert!(
            gained.len() > 10 && gained.iter().all(|v| rest[*v].x * side > 0.0),
            "{side}: {}",
            gained.len()
        );
    }
}

#[test]
fn a_pull_in_a_pose_comes_back_to_rest_and_shows_there_as_it_was_drawn() {
    let bench = tunic();
    let room = bench.room();
    let pose = room.trials.trials.iter().position(|t| t.name.contains("raised")).unwrap_or(5);
    let view = ViewRequest { pose, ..ViewRequest::default() };
    let before = room.view(&view).unwrap()[1].positions.clone();
    let reach = Reach { radius_mm: 40.0, dabs: vec![1200], mirrored: false };
    let in_pose = Some(StrokePose { pose, ..StrokePose::default() });
    let stroke = BrushStroke {
        stroke: Stroke::PullOut,
        strength: 4.0,
        firm_percent: 20.0,
        reach,
        in_pose,
        into_shape: None,
    };
    let drawn = room.brush_view(1, &stroke).unwrap().part.positions;
    bench.run(Step::Seating(SeatingStep::Brush { piece: 1, stroke }));
    let after = bench.room().view(&view).unwrap()[1].positions.clone();
    let off = drawn.iter().zip(&after).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!(off < 1e-4, "the pose shows what was drawn: {off}");
    let moves = before.iter().zip(&after).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!((moves - 0.004).abs() < 2e-4, "by as much as was pulled: {moves}");
}

/// Poses call up shapes, and more are called up by hand: a piece is worked on as that shows it.
#[test]
fn in_a_pose_a_piece_is_worked_on_as_the_pose_shows_it() {
    let bench = tunic();
    bench.run(Step::Seating(SeatingStep::FollowShapes { pieces: vec![1], follow: true, shapes: Vec::new() }));
    let room = bench.room();
    let stout = room.dress.body.own_shapes().iter().position(|m| m.name == "stout").unwrap();
    let pose = room.trials.trials.iter().position(|t| t.name == "squat").unwrap();
    let view =
        ViewRequest { pose, shapes: vec![(stout, 0.5)], map: MapKind::Clearance, ..ViewRequest::default() };
    let seen = room.view(&view).unwrap()[1].clone();
    let furthest = |a: &[Vec3], b: &[Vec3]| a.iter().zip(b).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);

    let in_pose = Some(StrokePose { pose, turns: Vec::new(), shapes: view.shapes.clone() });
    let map = seen.map.as_ref().unwrap();
    let worst = (0..map.len()).min_by(|a, b| map[*a].total_cmp(&map[*b])).unwrap();
    let weld = &room.dress.pieces[0].topology.weld;
    let reach = Reach { radius_mm: 60.0, dabs: vec![weld.of_vertex[worst]], mirrored: false };
    let still = BrushStroke { strength: 0.0, reach, in_pose, ..BrushStroke::default() };
    let look = room.brush_view(1, &still).unwrap();
    assert!(furthest(&look.part.positions, &seen.positions) < 1e-6, "a stroke of no strength shows the pose");
    assert_eq!(look.before.deepest_mm, -map[worst], "what is told is of the pose");
    assert_eq!(look.before, look.after);

    // What a change of weights would show is the pose, too, and its clearance.
    let little = Cleaned {
        clean: Clean::ByHand { change: add("lower_arm_left", 0.001), firm_percent: None },
        chosen: Chosen::Picks(forearm()),
        locked: Vec::new(),
    };
    let (part, _) = room.hand_view(1, &little, &view).unwrap();
    assert!(furthest(&part.positions, &seen.positions) < 1e-3);
    let deepest = |map: &Option<Vec<f32>>| map.iter().flatten().copied().fold(0.0, f32::min);
    assert!((deepest(&part.map) - map[worst]).abs() < 1.0, "clearance in the pose");

    // Of a shape that the pose shows half of, what is pulled there is given to the shape.
    let reach = Reach { radius_mm: 40.0, dabs: vec![1200], mirrored: false };
    let pull = BrushStroke { strength: 4.0, reach, into_shape: Some("stout".into()), ..still };
    let drawn = room.brush_view(1, &pull).unwrap().part.positions;
    assert!((furthest(&drawn, &seen.positions) - 0.004).abs() < 2e-4);
    let rest = bench.rest(1);
    bench.run(Step::Seating(SeatingStep::Brush { piece: 1, stroke: pull }));
    assert_eq!(bench.rest(1), rest);
    let now = bench.room().view(&view).unwrap()[1].positions.clone();
    assert!(furthest(&drawn, &now) < 1e-5, "the pose shows what was drawn");
}

/// A plate of two walls is one piece of metal or leather: what is done to one wall is done to the other, unless it is
/// chosen.
#[test]
fn both_walls_of_a_plate_change_alike_unless_one_is_chosen() {
    let bench = wearing_bound(&[("tin breastplate", 1)]);
    let room = bench.room();
    let plate = &room.dress.pieces[0];
    let partners = plate.walls().towards_body.measured_partners(&plate.rest);
    let outside = &plate.walls().away_from_body.as_ref().unwrap().used;
    let over = |v: &&u32| partners[**v as usize] != **v;
    let v = *outside.iter().filter(over).nth(40).unwrap();
    let reach = Reach { radius_mm: 30.0, dabs: vec![v], mirrored: false };
    let brush = |chosen| {
        Step::Binding(BindingStep::Clean {
            piece: 1,
            clean: Clean::ByHand { change: add("hips", 0.3), firm_percent: Some(30.0) },
            chosen,
            locked: vec!["head".to_owned()],
        })
    };
    let weight_apart = || {
        let bound = bench.piece(1).bound.unwrap();
        let hips = bound.skin.column(bench.room().dress.body.skeleton.find("hips").unwrap());
        let apart = outside.iter().map(|&v| (hips[v as usize] - hips[partners[v as usize] as usize]).abs());
        (apart.fold(0.0, f32::max), hips[v as usize])
    };
    // Binding leaves them a little apart.
    let (bound_apart, before) = weight_apart();
    let least = bound_apart + 1e-4;
    assert!(bound_apart < 0.01);
    bench.run(brush(Chosen::Around(reach.clone())));
    let (apart, now) = weight_apart();
    assert!(now > before + 0.2 && apart < least, "{before} {now}: {apart} apart");
    bench.shop.undo(bench.fitting).unwrap();
    let picks = vec![
        Pick::add(What::Around(reach)),
        Pick { how: PickHow::Within, what: What::Wall { outside: true } },
    ];
    bench.run(brush(Chosen::Picks(picks)));
    assert!(weight_apart().0 > 0.2, "one wall alone");
    // Cleaning of all of it keeps them alike.
    bench.shop.undo(bench.fitting).unwrap();
    let smooth = Clean::Smooth { strength: 0.5, times: 5 };
    bench.run(Step::Binding(BindingStep::Clean {
        piece: 1,
        clean: smooth,
        chosen: Chosen::Everything,
        locked: Vec::new(),
    }));
    assert!(weight_apart().0 < least, "{:?}", weight_apart());
}

#[test]
fn what_is_chosen_on_both_sides_changes_by_the_joints_of_each() {
    let bench = tunic();
    let weights = |joint: &str, side: f32| -> f32 {
        let (piece, room) = (bench.piece(1), bench.room());
        let column = piece.bound.unwrap().skin.column(room.dress.body.skeleton.find(joint).unwrap());
        column.iter().zip(piece.rest.iter()).filter(|(_, p)| p.x * side > 0.0).map(|e| e.0).sum()
    };
    let side = weights("lower_arm_left", 1.0) - weights("lower_arm_left", -1.0);
    let (left, right) = (side.signum(), -side.signum());
    let before = [weights("hand_left", left), weights("hand_right", right)];
    let mut picks = forearm();
    picks.push(Pick::add(What::Mirrored));
    bench.run(by_hand(add("hand_left", 0.1), picks, &[]));
    let gained = [weights("hand_left", left) - before[0], weights("hand_right", right) - before[1]];
    assert!(gained[0] > 1.0 && (gained[0] / gained[1] - 1.0).abs() < 0.02, "{gained:?}");
    assert!(weights("hand_left", right) < 1e-3, "the left hand has nothing on the right");
}

#[test]
fn the_bodys_own_weights_are_changed_and_what_was_bound_before_is_older() {
    let bench = tunic();
    let before = bench.room().dress.body.welded_skin.clone();
    let step = |change| {
        let Step::Binding(BindingStep::Clean { clean, chosen, locked, .. }) = by_hand(change, forearm(), &[])
        else {
            unreachable!()
        };
        Step::Binding(BindingStep::Clean { piece: 0, clean, chosen, locked })
    };
    let lower_arm = bench.room().dress.body.skeleton.find("lower_arm_left").unwrap();
    let chosen = before.column(lower_arm).iter().filter(|w| **w > 0.3).count();
    let found = bench.room().choose(0, &forearm(), Moment::new(&ViewRequest::default())).unwrap();
    assert_eq!((found.count, found.joints[0].0.as_str()), (chosen, "lower_arm_left"));
    let said = bench.run(step(add("lower_arm_left", -0.2)));
    assert!(said.starts_with("Take 0.2 of lower_arm_left on "), "{said}");
    let notes = bench.open().effect().notes;
    assert!(
        notes
            .iter()
            .any(|n| n.starts_with("took weights from Wick before") && n.ends_with(": quilted tunic")),
        "{notes:?}"
    );
    assert_eq!(bench.room().older_pieces(), [1]);
    let after = bench.room().dress.body.welded_skin.clone();
    let lost = before.column(lower_arm).into_iter().zip(after.column(lower_arm)).map(|(a, b)| a - b);
    let (lost, most) = lost.fold((0.0, 0.0f32), |sum, w| (sum.0 + w, sum.1.max(w)));
    assert!(lost > 1.0 && (most - 0.2).abs() < 1e-4, "{lost} {most}");
    // The piece bound again has what the body has now, and is older no more.
    let old = bench.piece(1).bound.unwrap().skin.clone();
    bench.bind_all();
    assert!(bench.room().older_pieces().is_empty());
    assert_ne!(bench.piece(1).bound.unwrap().skin, old);
    // A patch of the body, forgotten when it is made of other meshes; nothing lies beneath the body.
    bench.run(Step::Binding(BindingStep::KeepPatch { piece: 0, name: "forearm".into(), picks: forearm() }));
    assert_eq!(bench.room().state.body_patches.len(), 1);
    bench.run(Step::Binding(BindingStep::DropPatch { piece: 0, name: "forearm".into() }));
    assert!(bench.refused(step(HandChange::Beneath { share: 0.5, fade_mm: 0.0 })).contains("nothing on"));
    // Taken back step by step it is the file's to the bit.
    for _ in 0..4 {
        bench.shop.undo(bench.fitting).unwrap();
    }
    assert_eq!(bench.room().dress.body.welded_skin, before);
}

#[test]
fn a_snag_is_chosen_on_both_its_parts_and_a_patch_where_it_is_on_another_piece() {
    let bench = wearing_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.board();
    let view = ViewRequest::default();
    let choose = |piece, picks: &[Pick]| bench.shop.choose(bench.fitting, piece, picks, &view).unwrap();
    let offered = choose(2, &[]).more;
    let (words, snags) = offered.iter().find(|m| matches!(m.1, What::Snags([2, 1]))).unwrap().clone();
    assert!(words.starts_with("all ") && words.ends_with("breeches through quilted tunic"), "{words}");
    let on_tunic = choose(2, &[Pick::add(snags.clone())]);
    assert!(on_tunic.count > 3 && choose(1, &[Pick::add(snags)]).count > 3);
    // What was chosen is kept as vertices: the list of snags is another after the next step.
    assert!(matches!(on_tunic.picks[0].what, What::Vertices(_)));
    let one = offered.iter().find(|m| matches!(m.1, What::Snag(_))).unwrap().1.clone();
    assert!(choose(2, &[Pick::add(one)]).count > 0);
    // A patch of the breeches means the same place on the tunic, and the same vertices on itself.
    let hips = vec![Pick::add(What::Joint { joint: "hips".to_owned(), over: 0.5 })];
    bench.run(Step::Binding(BindingStep::KeepPatch { piece: 1, name: "hips".into(), picks: hips.clone() }));
    let there = What::PatchOf { piece: 1, name: "hips".into() };
    let (own, on_other) = (choose(1, &hips).count, choose(2, &[Pick::add(there.clone())]).count);
    assert_eq!(choose(1, &[Pick::add(there)]).count, own);
    let of_hips = choose(2, &hips).count;
    assert!(on_other > of_hips / 4 && on_other < of_hips * 3, "{on_other} {of_hips}");
}

/// A tube round the trunk as an OBJ, so many vertices round it and along it.
fn girdle(around: usize, along: usize) -> String {
    let (mut text, step) = (String::new(), std::f32::consts::TAU / around as f32);
    for row in 0..=along {
        for i in 0..around {
            let (sin, cos) = (i as f32 * step).sin_cos();
            let y = 0.9 + 0.4 * row as f32 / along as f32;
            text += &format!("v {} {y} {}\n", 0.25 * cos, 0.25 * sin);
        }
    }
    for row in 0..along {
        for i in 0..around {
            let at = |row: usize, i: usize| row * around + i % around + 1;
            text +=
                &format!("f {} {} {} {}\n", at(row, i), at(row, i + 1), at(row + 1, i + 1), at(row + 1, i));
        }
    }
    text
}

#[test]
fn a_patch_asked_of_a_denser_cut_means_the_same_region_within_a_ring() {
    let bench = wearing(&[]);
    for (name, around, along) in [("coarse.obj", 60, 16), ("dense.obj", 180, 48)] {
        let file = girdle(around, along);
        let asset = bench.shop.bring_in(name, file.as_bytes(), &Companions::new()).unwrap()[0].id;
        bench.run(bench.shop.piece_step(asset, 1, PieceKind::Soft).unwrap());
    }
    bench.bind_all();
    // A disc round one vertex of the coarse one; edges there are 26 mm long.
    let middle = 8 * 60;
    let disc = Reach { radius_mm: 100.0, dabs: vec![middle], mirrored: false };
    bench.run(Step::Binding(BindingStep::KeepPatch {
        piece: 1,
        name: "disc".into(),
        picks: vec![Pick::add(What::Around(disc))],
    }));
    let asked = [Pick::add(What::PatchOf { piece: 1, name: "disc".into() })];
    let found = bench.room().choose(2, &asked, Moment::new(&ViewRequest::default())).unwrap();
    let (coarse, dense) = (bench.rest(1), bench.rest(2));
    let chosen: std::collections::HashSet<u32> = found.drawn.iter().copied().collect();
    let of_vertex = bench.piece(2).topology.weld.of_vertex.clone();
    let centre = coarse[middle as usize];
    let mut inside = 0;
    for (drawn, v) in of_vertex.iter().enumerate() {
        let p = dense[*v as usize];
        let round = 0.25 * (p.x.atan2(p.z) - centre.x.atan2(centre.z));
        let far = round.hypot(p.y - centre.y);
        let is_chosen = chosen.contains(&(drawn as u32));
        assert!(is_chosen || far > 0.1 - 0.027, "{far}");
        assert!(!is_chosen || far < 0.1 + 0.027, "{far}");
        inside += usize::from(is_chosen);
    }
    assert!(inside > 250, "{inside}");
}

#[test]
fn a_kept_patch_is_the_part_that_another_piece_takes_its_weights_from() {
    let bench = wearing_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    let hips = vec![Pick::add(What::Joint { joint: "hips".to_owned(), over: 0.5 })];
    bench.run(Step::Binding(BindingStep::KeepPatch { piece: 1, name: "hips".into(), picks: hips }));
    let take = |name: &str| {
        Step::Binding(BindingStep::TakeFrom {
            piece: 2,
            takes: Takes::Pieces(vec![1]),
            part: SourcePart::Kept(name.to_owned()),
        })
    };
    assert!(bench.refused(take("knees")).contains("“knees”"));
    let kept = bench.shop.keep_template(bench.fitting, 1, "breeches, kept").unwrap();
    let Step::Binding(BindingStep::TakeFrom { takes, .. }) = bench.shop.template_step(kept.id, 2).unwrap()
    else {
        unreachable!()
    };
    let part = SourcePart::Kept("hips".to_owned());
    assert!(bench.refused(Step::Binding(BindingStep::TakeFrom { piece: 2, takes, part })).contains("“hips”"));
    let said = bench.run(take("hips"));
    assert!(said.starts_with("Let quilted tunic take its weights from breeches, its patch “hips”"), "{said}");
    // What is filled in from the hips alone follows no arm.
    let arm = bench.room().dress.body.skeleton.find("lower_arm_left").unwrap();
    let skin = bench.piece(2).bound.unwrap().skin.clone();
    assert_eq!(skin.column(arm).iter().sum::<f32>(), 0.0);
}

/// Weights of what lies beneath go on beyond what is chosen, less and less, and end where they are said to.
#[test]
fn weights_beneath_fade_beyond_what_is_chosen() {
    let bench = wearing_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    let tunic = bench.piece(2);
    let skin = |piece: &tin_cloak_workshop::Piece| piece.bound.clone().unwrap().skin.clone();
    let chosen: Vec<u32> = (0..20).collect();
    let change = |share: f32, fade_mm: f32| {
        Step::Binding(BindingStep::Clean {
            piece: 2,
            clean: Clean::ByHand { change: HandChange::Beneath { share, fade_mm }, firm_percent: None },
            chosen: Chosen::Picks(vec![Pick::add(What::Vertices(chosen.clone()))]),
            locked: Vec::new(),
        })
    };
    let changed = |step: Step| {
        let before = skin(&bench.piece(2));
        bench.run(step);
        let after = skin(&bench.piece(2));
        bench.shop.undo(bench.fitting).unwrap();
        let differs = |v: &usize| before.row(*v).ne(after.row(*v));
        (0..tunic.rest.len()).filter(differs).collect::<Vec<usize>>()
    };
    let (sharp, soft) = (changed(change(1.0, 0.0)), changed(change(1.0, 60.0)));
    assert!(sharp.iter().all(|v| *v < 20) && soft.len() > 2 * sharp.len(), "{} {}", sharp.len(), soft.len());
    let off =
        |v: &usize| (0..20).map(|c| tunic.rest[c].distance(tunic.rest[*v])).fold(f32::INFINITY, f32::min);
    assert!(soft.iter().all(|v| off(v) < 0.060) && soft.iter().any(|v| off(v) > 0.030));
    assert!(bench.open().current().unwrap().sentence.starts_with("Bind"));
    let why = bench.refused(change(1.0, 5000.0));
    assert!(why.contains("at most 500 mm wide"), "{why}");
}

/// A loop round the sleeve: what lies before it follows the upper arm, what lies beyond it the lower one.
#[test]
fn a_crease_goes_along_a_loop_that_is_chosen() {
    let bench = tunic();
    let piece = bench.piece(1);
    let room = bench.room();
    let joint = |name: &str| room.dress.body.skeleton.find(name).unwrap();
    let (upper, lower) = (joint("upper_arm_left"), joint("lower_arm_left"));
    let elbow = room.dress.body.skeleton.rest_positions()[lower.index()];
    let by_distance = |v: &&u32| (piece.rest[**v as usize].distance(elbow) * 1e6) as u64;
    let all: Vec<u32> = (0..piece.rest.len() as u32).collect();
    let near = *all.iter().min_by_key(by_distance).unwrap();
    let loop_of = |n: &u32| vec![Pick::add(What::Loop([near, *n]))];
    let neighbours = piece.topology.neighbours.row(near as usize);
    let ring = neighbours
        .iter()
        .map(loop_of)
        .filter(|l| (20..60).contains(&count(&bench, l)))
        .min_by_key(|l| count(&bench, l));
    let ring = ring.expect("a loop goes round the sleeve");
    let crease = HandChange::CreaseAlong {
        near: "upper_arm_left".to_owned(),
        far: "lower_arm_left".to_owned(),
        width_mm: 10.0,
        over: FoldsOver::Neither,
    };
    let said = bench.run(by_hand(crease.clone(), ring, &[]));
    assert!(
        said.contains("A crease between upper_arm_left and lower_arm_left along what is chosen"),
        "{said}"
    );
    let bound = bench.piece(1).bound.clone().unwrap();
    let axis = (room.dress.body.skeleton.rest_positions()[joint("hand_left").index()] - elbow).normalize();
    let mut sides = [0, 0];
    for v in 0..piece.rest.len() {
        let far = (piece.rest[v] - piece.rest[near as usize]).dot(axis);
        if piece.rest[v].distance(elbow) > 0.09 || !(0.012..0.02).contains(&far.abs()) {
            continue;
        }
        let weight = |j| bound.skin.row(v).filter(|e| e.0 == j).map(|e| e.1).sum::<f32>();
        let (of_upper, of_lower) = (weight(upper), weight(lower));
        if of_upper + of_lower < 0.1 {
            continue;
        }
        let share = of_lower / (of_upper + of_lower);
        assert!(if far > 0.0 { share > 0.9 } else { share < 0.1 }, "{v}: {share} at {far}");
        sides[usize::from(far > 0.0)] += 1;
    }
    assert!(sides[0] > 10 && sides[1] > 10, "{sides:?}");
    // What is no line is refused.
    let told = bench.refused(by_hand(crease, vec![Pick::add(What::Vertices(vec![near]))], &[]));
    assert!(told.contains("no line that parts the cloth"), "{told}");
}
