//! The body drawn in under what is worn, cloth pushed against one thing alone, cloth relaxed.

use tin_cloak_testkit::{wearing, wearing_bound, wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::symmetry;
use tin_cloak_workshop::core::query::Bvh;
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::BrushViewOfRoom;
use tin_cloak_workshop::TuckOfRoom;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{
    document_of, prove, read, Against, BrushStroke, Chosen, Companions, CountRule, Counts, EaseOptions,
    HideOptions, IntakeStep, MendOptions, MendingStep, Parts, Reach, RelaxOptions, SeatingStep, Step, Target,
    TrialSays, TrialStep, TrialWish, Turn,
};
use tin_cloak_workshop::{Board, DressedFile, NamedFile};

const BREECHES: u32 = 1;
const TUNIC: u32 = 2;

fn tuck() -> Step {
    Step::Mending(MendingStep::Tuck {
        options: MendOptions::of_tucks(),
        of: None,
        chosen: Chosen::Everything,
        pose: None,
    })
}

fn notes(bench: &Bench) -> String {
    bench.open().effect().notes.join("\n")
}

#[test]
fn the_body_is_drawn_in_where_nobody_sees_it_while_its_cover_is_worn() {
    let bench = wearing(&[("breeches", 1), ("quilted tunic", 2)]);
    assert!(bench.refused(tuck()).contains("nothing is bound"));
    bench.bind_all();
    // Drawn close to the skin it pokes through all about, under cover of its own.
    let options = EaseOptions { least_mm: 0.5, most_mm: Some(1.5) };
    bench.run(Step::Seating(SeatingStep::Ease { piece: TUNIC, chosen: Chosen::Everything, options }));
    let (before, rest) = (bench.board(), [bench.rest(BREECHES), bench.rest(TUNIC)]);
    assert_eq!(bench.run(tuck()), "Draw Wick in under what is worn");
    let (after, room) = (bench.board(), bench.room());
    let poking =
        |board: &Board| -> usize { board.out(Counts::Counted).map(|(_, _, cell)| cell.poking).sum() };
    assert!(after.out_mm() < before.out_mm());
    assert!(poking(&after) < poking(&before), "{} of {}", poking(&after), poking(&before));
    let said = notes(&bench);
    for cover in ["breeches", "breeches and quilted tunic", "quilted tunic"] {
        assert!(said.contains(&format!("under {cover}: ")), "{said}");
    }
    let deepest = |line: &str| line.strip_suffix(" mm")?.rsplit(' ').next()?.parse::<f32>().ok();
    assert!(said.lines().filter_map(deepest).all(|mm| mm <= 12.0), "{said}");
    assert_eq!([bench.rest(BREECHES), bench.rest(TUNIC)], rest, "cloth is equal to the bit");
    let of_body = room.dress.body.made_shapes();
    assert!(!of_body.is_empty() && of_body.iter().all(|t| t.is_always_on()));
    // What is seen of the body in any pose is where it was: the tuck ends within what nobody sees.
    bench.run(Step::Mending(MendingStep::Hide { options: Default::default() }));
    let hidden = bench.room().dress.masked.faces_of(0).to_vec();
    let body = &room.dress.body.topology;
    let seen = |v: u32| body.incident.row(v as usize).iter().any(|f| hidden.binary_search(f).is_err());
    let all: Vec<u32> = of_body.iter().flat_map(|t| t.vertices.clone()).collect();
    let bared = all.iter().filter(|v| seen(**v)).count();
    assert!(bared * 10 < all.len(), "{bared} of {}", all.len());
    bench.shop.undo(bench.fitting).unwrap();

    // It goes out as a shape that is on, and read again it is so.
    let (bytes, proof) = prove(&room, Some(&after), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    let out = read("x.glb", &bytes, &Companions::new()).unwrap();
    let body = &out.meshes[0];
    let at = body.morphs.iter().position(|m| m.name == of_body[0].name).unwrap();
    assert_eq!(body.amounts[at], 1.0, "on in a program that plays nothing, too");
    // Or as a change of the body, by choice: where it is on the screen at rest, with no such shape.
    let parts = Parts { tucks_in: true, ..Parts::default() };
    let changed = document_of(&room.dress, &parts).unwrap().meshes.remove(0);
    assert!(changed.morphs.iter().all(|m| !m.is_always_on()));
    let tucked = room.view(&Default::default()).unwrap().remove(0).positions;
    assert!(changed.mesh.positions.iter().zip(&tucked).all(|(a, b)| a.distance(*b) < 1e-6));
    let file = NamedFile { name: "x.glb".into(), bytes };
    let again = DressedFile::open(&file, None, &TrialWish::Range, &TrialSays::default()).unwrap();
    let (_, out) = again.measured(&|_| true).unwrap();
    let still = |pose: usize| room.trials.trials[pose].is_still;
    assert_eq!(out, after.out(Counts::Counted).filter(|(pose, _, _)| still(*pose)).count());

    // Off with the tunic, off with what lies under it; all of it is taken back by hand, too.
    let under_tunic = |room: &tin_cloak_workshop::Room| room.tucks().iter().any(|t| t.by.contains("tunic"));
    assert!(under_tunic(&room));
    bench.run(Step::Intake(IntakeStep::RemovePiece { piece: TUNIC }));
    assert!(!under_tunic(&bench.room()));
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.run(Step::Mending(MendingStep::Untuck)), "Draw Wick in no longer");
    assert_eq!(bench.board().bad_cells(), before.bad_cells());
    assert!(bench.refused(Step::Mending(MendingStep::Untuck)).contains("nothing is drawn in"));
}

/// A tunic that pokes through the coat over it: drawn in beneath it, and nowhere else.
#[test]
fn a_piece_is_drawn_in_under_what_is_worn_over_it_while_that_is_worn() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("oilskin coat", 3)]);
    bench.run(Step::Intake(IntakeStep::CureAll));
    bench.bind_all();
    let [inner, outer] = [TUNIC, 3];
    // Pulled out where it is furthest from all of it that is seen.
    bench.run(Step::Mending(MendingStep::Hide { options: HideOptions::default() }));
    let (room, piece, places) = (bench.room(), bench.piece(inner), bench.rest(inner));
    let hidden = room.dress.masked.faces_of(inner);
    let is_hidden = |v: usize| piece.topology.incident.row(v).iter().all(|f| hidden.binary_search(f).is_ok());
    let (beneath, seen): (Vec<usize>, Vec<usize>) = (0..places.len()).partition(|v| is_hidden(*v));
    let away = |v: &usize| seen.iter().map(|s| places[*s].distance(places[*v])).fold(f32::MAX, f32::min);
    let middle = beneath.iter().max_by(|a, b| away(a).total_cmp(&away(b))).unwrap();
    bench.shop.undo(bench.fitting).unwrap();
    let reach = Reach { radius_mm: 40.0, dabs: vec![*middle as u32], mirrored: false };
    let stroke = BrushStroke { stroke: Stroke::PullOut, strength: 14.0, reach, ..BrushStroke::default() };
    bench.run(Step::Seating(SeatingStep::Brush { piece: inner, stroke }));
    let (before, rest) = (bench.board(), [bench.rest(inner), bench.rest(outer)]);
    // How deep they are through each other, in all cells.
    let of_pair = |board: &Board| -> f32 {
        let cells = board.out(Counts::Counted).filter(|(_, row, _)| board.pairs[*row].ids == [outer, inner]);
        cells.map(|(_, _, cell)| cell.depth_mm()).sum()
    };
    let options = MendOptions::of_tucks();
    let tuck = |of| Step::Mending(MendingStep::Tuck { options, of, chosen: Chosen::Everything, pose: None });
    assert!(bench.refused(tuck(Some(77))).contains("77"));
    assert_eq!(bench.run(tuck(Some(inner))), "Draw quilted tunic in under what is worn");
    let (after, room) = (bench.board(), bench.room());
    let told = [of_pair(&before), of_pair(&after)];
    assert!(told[1] < told[0] - 1.0, "{told:?}: {}", notes(&bench));
    assert_eq!([bench.rest(inner), bench.rest(outer)], rest, "at rest they are equal to the bit");
    let tucks = room.tucks();
    assert!(!tucks.is_empty() && tucks.iter().all(|t| t.of == "quilted tunic" && t.by == "oilskin coat"));
    let under = |tucked: &str| tucked.contains("tucked under oilskin coat");

    // It goes out as a shape that is on, and read again it is so.
    let (bytes, proof) = prove(&room, Some(&after), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    let out = read("x.glb", &bytes, &Companions::new()).unwrap();
    let tunic = out.meshes.iter().find(|m| m.name == "quilted tunic").unwrap();
    let at = tunic.morphs.iter().position(|m| under(&m.name)).unwrap();
    assert!(tunic.morphs[at].is_always_on());
    assert_eq!(tunic.amounts[at], 1.0, "on in a program that plays nothing, too");
    // Or as a change of the piece, by choice.
    let parts = Parts { tucks_in: true, ..Parts::default() };
    let changed = document_of(&room.dress, &parts).unwrap();
    assert!(changed.meshes.iter().flat_map(|m| &m.morphs).all(|m| !m.is_always_on()));

    // Less of it by hand, one by one; none of it takes it back.
    let (of, by) = tucks[0].ids.clone();
    let share = |share: f32| Step::Mending(MendingStep::ChangeTuck { of, by: by.clone(), share });
    assert_eq!(bench.run(share(0.5)), "Draw quilted tunic in under oilskin coat by 50 %");
    let half = bench.room().tucks();
    assert!((half[0].most_mm * 2.0 - tucks[0].most_mm).abs() < 1e-3 && half[0].amount == 0.5);
    let left = of_pair(&bench.board());
    assert!(told[1] < left && left < told[0], "{left} of {told:?}");
    assert_eq!(bench.run(share(0.0)), "Draw quilted tunic in under oilskin coat no longer");
    assert_eq!(bench.room().tucks().len(), tucks.len() - 1);
    assert!(bench.refused(share(0.3)).contains("not drawn in under that"));
    assert!(bench.refused(share(1.5)).contains("−100 and 200 %"));
    (0..2).for_each(|_| bench.shop.undo(bench.fitting).unwrap());

    // Off with the coat, off with what lies under it; it is taken back by hand, too.
    bench.run(Step::Intake(IntakeStep::RemovePiece { piece: outer }));
    assert!(bench.room().tucks().is_empty());
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.run(Step::Mending(MendingStep::Untuck)), "Draw quilted tunic in no longer");
    assert_eq!(bench.board().bad_cells(), before.bad_cells());
}

#[test]
fn a_push_does_to_one_side_what_it_does_to_the_other_where_that_is_wished() {
    let bench = wearing_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let (before, rest) = (bench.board(), bench.rest(TUNIC));
    let plane = symmetry(&bench.room().dress.body.rest).plane;
    let tree = Bvh::over_points(&rest);
    // By vertex the one at its mirror image.
    let image = |p: &Vec3| {
        let hit = tree.closest(Vec3::new(2.0 * plane - p.x, p.y, p.z), 0.0005)?;
        Some(hit.triangle as usize)
    };
    let images: Vec<Option<usize>> = rest.iter().map(image).collect();
    let unlike = |alike: bool| {
        let options = MendOptions { alike, ..MendOptions::default() };
        let (pieces, chosen, against) = (vec![TUNIC], Chosen::Everything, Against::default());
        bench.run(Step::Mending(MendingStep::PushOut {
            pieces,
            chosen,
            options,
            against,
            turns: Vec::new(),
        }));
        assert!(bench.board().bad_cells() <= before.bad_cells());
        let now = bench.rest(TUNIC);
        let moved = |v: usize| now[v] - rest[v];
        assert!((0..rest.len()).any(|v| moved(v).length() > 0.001), "something moves");
        let pairs = images.iter().enumerate().filter_map(|(v, image)| Some((v, (*image)?)));
        let apart = |(v, w): (usize, usize)| {
            let there = moved(w);
            moved(v).distance(Vec3::new(-there.x, there.y, there.z))
        };
        let apart: Vec<f32> = pairs.map(apart).collect();
        assert!(apart.len() > 1000, "{} of {}", apart.len(), rest.len());
        bench.shop.undo(bench.fitting).unwrap();
        apart.into_iter().fold(0.0, f32::max)
    };
    assert!(unlike(false) > 0.001, "by itself one side goes further");
    assert!(unlike(true) < 0.0005);
}

#[test]
fn cloth_is_pushed_against_one_pair_and_relaxed_again() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let push = |pieces: &[u32], against: Against| {
        Step::Mending(MendingStep::PushOut {
            pieces: pieces.to_vec(),
            chosen: Chosen::Everything,
            options: MendOptions::default(),
            against,
            turns: Vec::new(),
        })
    };
    let of = |pair, pose| Against { pair, pose };
    assert!(bench.refused(push(&[], of(Some((TUNIC, 9)), None))).contains("not worn"));
    assert!(bench.refused(push(&[], of(None, Some(9999)))).contains("pose"));
    let before = bench.board();
    let cells = |board: &tin_cloak_workshop::Board, pair: [u32; 2]| {
        board.out(Counts::Counted).filter(|(_, row, _)| board.pairs[*row].ids == pair).count()
    };
    let rest = [bench.rest(BREECHES), bench.rest(TUNIC)];
    bench.run(push(&[TUNIC], of(Some((TUNIC, 0)), None)));
    let after = bench.board();
    assert!(cells(&after, [TUNIC, 0]) < cells(&before, [TUNIC, 0]), "{}", notes(&bench));
    assert_eq!(bench.rest(BREECHES), rest[0], "what may not move stays");
    let told = notes(&bench);
    assert!(told.contains("quilted tunic, off its shape: edges by 0.0 % →"), "{told}");

    // Against one pair nothing is told of what it was not about.
    bench.run(push(&[], of(Some((BREECHES, 0)), Some(1))));
    let told = notes(&bench);
    assert!(told.contains("breeches: ") && !told.contains("quilted tunic: "), "{told}");
    let did = bench.open().steps.last().unwrap().sentence.clone();
    assert!(did.starts_with("Push out where Wick is through breeches, in "), "{did}");
    bench.shop.undo(bench.fitting).unwrap();

    // Relaxed, its edges are nearer to what they came as.
    let relax = |percent: f32, shape: Option<&str>| {
        Step::Seating(SeatingStep::Relax {
            piece: TUNIC,
            chosen: Chosen::Everything,
            options: RelaxOptions { percent, ..RelaxOptions::default() },
            shape: shape.map(str::to_owned),
        })
    };
    assert!(bench.refused(relax(0.0, None)).contains("1 to 100 percent"));
    assert!(bench.refused(relax(50.0, Some("stout"))).contains("has no shape"));
    let triangles = bench.piece(TUNIC).topology.triangles.clone();
    let off = |now: &[tin_cloak_workshop::core::glam::Vec3]| {
        let edges = triangles.iter().flat_map(|t| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]]);
        let long = |places: &[tin_cloak_workshop::core::glam::Vec3], [a, b]: [u32; 2]| {
            places[a as usize].distance(places[b as usize])
        };
        edges.map(|e| (long(now, e) - long(&rest[1], e)).abs()).sum::<f32>()
    };
    let pushed = bench.rest(TUNIC);
    assert_eq!(bench.run(relax(70.0, None)), "Relax quilted tunic by 70 %, 2 times");
    assert!(off(&bench.rest(TUNIC)) < off(&pushed) * 0.9);

    // In a shape that it follows: rest stays to the bit.
    bench.run(Step::Seating(SeatingStep::FollowShapes {
        pieces: vec![TUNIC],
        follow: true,
        shapes: Vec::new(),
    }));
    let (rest, shapes) = (bench.rest(TUNIC), bench.piece(TUNIC).carried.unwrap());
    let number = bench.room().dress.body.own_shapes().iter().position(|m| m.name == "stout").unwrap();
    let reach = Reach { radius_mm: 50.0, dabs: vec![shapes.0[number].vertices[0]], mirrored: false };
    let into_shape = Some("stout".to_owned());
    let stroke =
        BrushStroke { stroke: Stroke::Smooth, strength: 80.0, reach, into_shape, ..BrushStroke::default() };
    // What is seen before it is done is what is done.
    let look = bench.room().brush_view(TUNIC, &stroke).unwrap();
    for step in [relax(70.0, Some("stout")), Step::Seating(SeatingStep::Brush { piece: TUNIC, stroke })] {
        let before = bench.piece(TUNIC).carried.unwrap();
        bench.run(step);
        assert_eq!(bench.rest(TUNIC), rest);
        let now = bench.piece(TUNIC).carried.unwrap();
        for (n, (was, is)) in before.0.iter().zip(&now.0).enumerate() {
            assert_eq!(was != is, n == number, "of all shapes that one alone");
        }
        bench.shop.undo(bench.fitting).unwrap();
    }
    bench.shop.redo(bench.fitting).unwrap();
    let (piece, shape) =
        (bench.piece(TUNIC), bench.piece(TUNIC).carried.unwrap().0[number].to_dense(rest.len()));
    let whole: Vec<_> = rest.iter().zip(shape).map(|(r, o)| *r + o).collect();
    let apart =
        look.part.positions.iter().zip(piece.topology.weld.scatter(&whole)).map(|(a, b)| a.distance(b));
    assert!(apart.fold(0.0, f32::max) < 1e-6);
}

/// Joints turned by hand are part of the pose that a push is asked for in; a pose that is there for stress only is
/// mended when it is asked for, and counts no more than before.
#[test]
fn a_push_in_one_pose_is_of_that_pose_as_it_is_shown() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let room = bench.room();
    let pose = room.trials.trials.iter().position(|t| t.name == "squat").unwrap();
    let push = |turns: Vec<Turn>| {
        Step::Mending(MendingStep::PushOut {
            pieces: vec![BREECHES],
            chosen: Chosen::Everything,
            options: MendOptions::default(),
            against: Against { pose: Some(pose), pair: None },
            turns,
        })
    };
    let knee = room.dress.body.skeleton.find("lower_leg_left").unwrap().0;
    let turned = push(vec![Turn { joint: knee, bend: 25.0, both_sides: true, ..Turn::default() }]);
    let before = bench.rest(BREECHES);
    let said = bench.run(turned);
    assert_eq!(said, "Push out breeches, in squat as it is turned by hand");
    assert_ne!(bench.rest(BREECHES), before, "{}", notes(&bench));
    assert!(bench.room().state.poses.is_empty(), "no pose is kept by that");
    bench.shop.undo(bench.fitting).unwrap();

    let group = "range".to_owned();
    let target = Target::Pose { group, name: "squat".to_owned() };
    let rule = CountRule { target, counts: Counts::Stress, note: String::new() };
    let plan = bench.room().state.plan.clone().with_rule(rule);
    bench.run(Step::Trial(TrialStep::Try {
        plan: plan.clone(),
        said: "Trials: a squat is for stress only".to_owned(),
    }));
    bench.run(push(Vec::new()));
    assert_ne!(bench.rest(BREECHES), before, "{}", notes(&bench));
    assert_eq!(bench.room().state.plan, plan);
}
