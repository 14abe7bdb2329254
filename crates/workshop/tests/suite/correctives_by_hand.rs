//! Correctives by hand, of one pose, of what is chosen, of the body; volume of the body.

use tin_cloak_testkit::{wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::VolumeOfRoom;
use tin_cloak_workshop::{
    prove, read, Against, Board, BrushStroke, Chosen, Companions, Corrective, MendOptions, MendingStep, Pick,
    Reach, SeatingStep, Step, What,
};

const BREECHES: u32 = 1;
const BODY: u32 = 0;

fn pose_of(bench: &Bench, name: &str) -> usize {
    bench.room().trials.trials.iter().position(|t| t.name == name).unwrap()
}

fn made_on(bench: &Bench, piece: u32) -> Vec<Corrective> {
    bench.room().state.pieces.iter().find(|p| p.id == piece).unwrap().correctives.clone()
}

fn dense(bench: &Bench, name: &str) -> Vec<Vec3> {
    let piece = bench.piece(BREECHES);
    let shape = piece.correctives.iter().find(|m| m.name == name).unwrap();
    shape.to_dense(piece.rest.len())
}

/// Begun empty, its turn read off the pose; worked on with the brush; from other turns; and on the other side.
#[test]
fn a_corrective_is_begun_at_a_pose_worked_on_turned_and_mirrored() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let (rest, board) = (bench.rest(BREECHES), bench.board());
    let squat = pose_of(&bench, "squat");
    let begin = |pose, joint: Option<&str>| {
        Step::Mending(MendingStep::BeginCorrective {
            part: BREECHES,
            pose,
            turns: Vec::new(),
            joint: joint.map(str::to_owned),
        })
    };
    assert!(bench.refused(begin(0, None)).contains("turned by 8° or more"), "rest turns nothing");
    assert!(bench.refused(begin(999, None)).contains("no pose 999"));
    assert!(bench.refused(begin(squat, Some("tail"))).contains("no joint “tail”"));
    assert_eq!(bench.run(begin(squat, None)), "Begin a corrective of breeches, in squat");
    let made = made_on(&bench, BREECHES).remove(0);
    assert!((made.from / made.full - 0.5).abs() < 1e-4 && made.full > 1.5, "{made:?}");
    assert!(made.joint.contains("leg"), "the knees turn furthest: {}", made.joint);
    assert_eq!(bench.board().cells, board.cells, "empty it does nothing");

    // The brush in it: rest stays, the pose that calls it up does not.
    let piece = bench.piece(BREECHES);
    let skin = &piece.bound.as_ref().unwrap().skin;
    let joint = bench.room().dress.body.skeleton.find(&made.joint).unwrap();
    let follows = |v: &usize| skin.row(*v).any(|(j, w)| j == joint && w > 0.4);
    let centre = (0..piece.rest.len()).find(follows).unwrap() as u32;
    let stroke = BrushStroke {
        stroke: Stroke::PullOut,
        strength: 8.0,
        into_shape: Some(made.name.clone()),
        reach: Reach { radius_mm: 50.0, dabs: vec![centre], mirrored: false },
        ..BrushStroke::default()
    };
    bench.run(Step::Seating(SeatingStep::Brush { piece: BREECHES, stroke }));
    assert_eq!(bench.rest(BREECHES), rest);
    let worked = dense(&bench, &made.name);
    let moved = worked.iter().map(|o| o.length()).fold(0.0, f32::max);
    assert!((moved - 0.008).abs() < 5e-4, "{moved}");

    // From other turns on, of all that have it.
    let turn = |from_degrees, full_degrees| {
        Step::Mending(MendingStep::TurnCorrective { name: made.name.clone(), from_degrees, full_degrees })
    };
    let said = bench.run(turn(30.0, 90.0));
    assert_eq!(said, format!("The corrective {} comes in from 30° to 90°", made.name));
    let driver = bench.piece(BREECHES).correctives[0].driver.unwrap();
    assert!((driver.full.to_degrees() - 90.0).abs() < 1e-3);
    for (from, full) in [(90.0, 30.0), (-5.0, 30.0), (10.0, 200.0), (f32::NAN, 30.0)] {
        assert!(bench.refused(turn(from, full)).contains("0° or more"), "{from} {full}");
    }
    let name = "never".to_owned();
    assert!(bench
        .refused(Step::Mending(MendingStep::MirrorCorrective { name }))
        .contains("no corrective “never”"));

    // The other side does at its mirror image what this one does.
    bench.run(Step::Mending(MendingStep::MirrorCorrective { name: made.name.clone() }));
    let room = bench.room();
    let both = made_on(&bench, BREECHES);
    assert_eq!(both.len(), 2);
    let other = both.iter().find(|c| c.name != made.name).unwrap();
    assert_eq!(other.joint, made.joint.replace("left", "@").replace("right", "left").replace('@', "right"));
    let (plane, there) = (room.dress.body.plane(), dense(&bench, &other.name));
    let far = (0..rest.len()).max_by(|a, b| there[*a].length().total_cmp(&there[*b].length())).unwrap();
    let image = Vec3::new(2.0 * plane - rest[far].x, rest[far].y, rest[far].z);
    let near =
        (0..rest.len()).min_by(|a, b| rest[*a].distance(image).total_cmp(&rest[*b].distance(image))).unwrap();
    let wanted = Vec3::new(-worked[near].x, worked[near].y, worked[near].z);
    assert!(there[far].distance(wanted) < 2e-3, "{} {wanted}", there[far]);
    // In the pose both are called up alike.
    let pose = &room.trials.trials[squat].pose;
    let amounts: Vec<f32> =
        room.dress.pieces[0].correctives.iter().map(|m| m.driver.unwrap().amount(pose)).collect();
    assert!((amounts[0] - amounts[1]).abs() < 0.05 && amounts[0] > 0.9, "{amounts:?}");
    let (_, proof) = prove(&room, None, &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
}

fn depth_in(board: &Board, pose: usize) -> f32 {
    let out = board.out(tin_cloak_workshop::Counts::Counted);
    out.filter(|(p, row, _)| *p == pose && !board.pairs[*row].is_itself()).map(|(_, _, c)| c.depth_mm()).sum()
}

/// Asked for one pose, correctives are called up by its turns; of what is chosen only that moves.
#[test]
fn correctives_are_made_for_one_pose_and_of_what_is_chosen() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let (board, plan) = (bench.board(), bench.room().state.plan.clone());
    let worst = board.poses.iter().position(|p| p.name == "arms across").unwrap();
    let against = Against { pair: None, pose: Some(worst) };
    let correct = |chosen: Chosen, combined: usize| {
        Step::Mending(MendingStep::Correct {
            pieces: vec![2],
            options: MendOptions { combined, ..MendOptions::of_correctives() },
            chosen,
            against,
            turns: Vec::new(),
        })
    };
    assert!(bench.refused(correct(Chosen::Everything, 20)).contains("take one of them"));
    let said = bench.run(correct(Chosen::Everything, 0));
    let label = bench.room().trials.trials[worst].label();
    assert_eq!(said, format!("Make correctives for quilted tunic, in {label}"));
    assert!(depth_in(&bench.board(), worst) < depth_in(&board, worst) * 0.7);
    assert_eq!(bench.room().state.plan, plan, "what is tried stays");
    let pose = bench.room().trials.trials[worst].pose.clone();
    let made = bench.piece(2).correctives;
    assert!(!made.is_empty() && made.iter().all(|m| m.driver.unwrap().amount(&pose) > 0.0));
    bench.shop.undo(bench.fitting).unwrap();

    // The upper half alone.
    let piece = bench.piece(2);
    let heights: Vec<f32> = piece.rest.iter().map(|p| p.y).collect();
    let middle = heights.iter().sum::<f32>() / heights.len() as f32;
    let upper: Vec<u32> = (0..).zip(&heights).filter(|(_, y)| **y > middle).map(|(v, _)| v).collect();
    let chosen = Chosen::Picks(vec![Pick::add(What::Vertices(upper.clone()))]);
    bench.run(correct(chosen, 0));
    let moved: Vec<u32> = bench.piece(2).correctives.iter().flat_map(|m| m.vertices.clone()).collect();
    assert!(!moved.is_empty() && moved.iter().all(|v| upper.binary_search(v).is_ok()));
}

/// The body gives way alone: it goes out with the shape, keyed and driven, and is the same read again.
#[test]
fn the_body_has_correctives_of_its_own() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let (board, rest) = (bench.board(), bench.rest(BREECHES));
    let correct = Step::Mending(MendingStep::Correct {
        pieces: vec![BODY],
        options: MendOptions { limit_mm: 20.0, ..MendOptions::of_correctives() },
        chosen: Chosen::Everything,
        against: Against::default(),
        turns: Vec::new(),
    });
    assert_eq!(bench.run(correct), "Make correctives for Wick");
    let after = bench.board();
    assert!(after.out_mm() < board.out_mm(), "{} of {}", after.out_mm(), board.out_mm());
    let room = bench.room();
    let made = room.state.body_correctives.clone();
    assert!(!made.is_empty() && made_on(&bench, BREECHES).is_empty());
    assert_eq!(bench.rest(BREECHES), rest);
    let (bytes, proof) = prove(&room, Some(&after), &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    let out = read("x.glb", &bytes, &Companions::new()).unwrap();
    let at = out.meshes[0].morphs.iter().position(|m| m.name == made[0].name).unwrap();
    assert!(out.meshes[0].morphs[at].driver.is_some_and(|d| !d.is_always()));
    assert_eq!(out.meshes[0].amounts.get(at).copied().unwrap_or(0.0), 0.0, "at rest it is off");
    // Less of it, none of it.
    let share = |share| {
        Step::Mending(MendingStep::ChangeCorrective { piece: BODY, name: made[0].name.clone(), share })
    };
    assert_eq!(bench.run(share(0.5)), format!("50 % of the corrective {} on Wick", made[0].name));
    let half = bench.board();
    assert!(half.out_mm() >= after.out_mm() && half.cells != after.cells, "its cells are measured anew");
    assert_eq!(bench.run(share(0.0)), format!("Take the corrective {} off Wick", made[0].name));
    assert_eq!(bench.room().state.body_correctives.len(), made.len() - 1);
}

/// What turns draw in of the body is told in what it encloses, and given back.
#[test]
fn the_volume_that_turns_take_from_the_body_is_given_back() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let lost = bench.room().lost_volume();
    let of_body = |l: &tin_cloak_workshop::LostRow| l.parts.iter().find(|p| p.name == "Wick").cloned();
    let told: Vec<_> = lost.iter().filter_map(of_body).collect();
    assert!(told.iter().any(|p| p.cm3 > 5.0), "{told:?}");
    let knees = lost.iter().filter(|l| l.turn.contains("lower_leg"));
    assert!(knees.clone().count() > 0, "{lost:?}");
    assert_eq!(
        bench.run(Step::Mending(MendingStep::KeepVolume { pieces: vec![BODY, BREECHES], least_mm: 1.0 })),
        "Give back what turns draw in: breeches, Wick"
    );
    let room = bench.room();
    assert!(room.lost_volume().iter().all(|l| l.given_back));
    assert!(!room.state.body_correctives.is_empty());
    // A shape that both have has one number: in one pose both are called up.
    let names: Vec<&String> = room.dress.body.morphs.iter().map(|m| &m.name).collect();
    let mut once = names.clone();
    once.sort_unstable();
    once.dedup();
    assert_eq!(once.len(), names.len(), "{names:?}");
    let (_, proof) = prove(&room, None, &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    assert!(room.dress.body.made_shapes().iter().all(|m| m.driver.unwrap().joint != JointId(u16::MAX)));
}
