//! Pushing layers off each other: known answers.

use crate::common::*;
use std::sync::Arc;
use tin_cloak_core::clearance::{InPose, Outfit, Place, Settings};
use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::mend::{
    bad_turns, push_out, shares_to_keep, trouble_in, BadTurn, Mended, Mending, PushSettings, TrialPose,
};
use tin_cloak_core::shapes::{outfit, Arm, Shape};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

fn rest() -> TrialPose {
    TrialPose { matrices: vec![Mat4::IDENTITY; 2], amounts: Vec::new() }
}

fn pushed(outfit: &Outfit, movable: &[usize], poses: &[TrialPose]) -> Mended {
    pushed_as(PushSettings::default(), outfit, movable, poses)
}

fn pushed_as(settings: PushSettings, outfit: &Outfit, movable: &[usize], poses: &[TrialPose]) -> Mended {
    let trouble = trouble_in(outfit, poses, settings.measure);
    let (held, at_rest) = (&[][..], &[][..]);
    let mending = Mending { outfit, movable, held, poses, trouble: &trouble, at_rest, shape: None, settings };
    push_out(mending, &|_| true).unwrap().unwrap()
}

fn furthest(before: &[Vec3], after: &[Vec3]) -> f32 {
    before.iter().zip(after).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max)
}

#[test]
fn a_ball_through_a_shell_moves_it_by_the_depth_and_the_margin() {
    for deep in [0.001f32, 0.003, 0.008] {
        let shell = moved(sphere(0.105, 40), Vec3::Z * -(0.005 + deep));
        let o = outfit(&sphere(0.1, 40), std::slice::from_ref(&shell));
        let told = pushed(&o, &[1], &[rest()]);
        let wished = deep + 0.001;
        let most = told.pieces[0].furthest;
        assert!(told.short.1 == 0.0 && most < wished * 1.3, "{deep}: {most} for {wished}, {:?}", told.pieces);
        // Behind, where nothing is near, nothing moves.
        let behind = shell.0.iter().zip(&told.rest[1]).filter(|(p, _)| p.z < -0.08);
        behind.for_each(|(a, b)| assert!(a.distance(*b) < 1e-4, "{} at {a}", a.distance(*b)));
    }
}

/// A knob through a tube: where rows are kept straight the move of a row bends less from vertex to vertex, and what was
/// through is as clear.
#[test]
fn rows_stay_straight_where_that_is_wished() {
    let (rings, around) = (40, 48);
    let sleeve = tube(0.055, 0.0, 0.6, around, rings, 1.0);
    let mut arm = tube(0.05, 0.0, 0.6, around, rings, 1.0);
    let knob = |p: &Vec3| {
        (-(p.y - 0.3).powi(2) / 0.0002 - (p.z - 0.05).powi(2) / 0.001 - p.x.powi(2) / 0.0002).exp()
    };
    arm.0.iter_mut().for_each(|p| *p += Vec3::Z * 0.009 * knob(p));
    let o = outfit(&arm, std::slice::from_ref(&sleeve));
    // The most that the move of one row up the sleeve bends.
    let bends = |keep_rows: bool| {
        let told = pushed_as(PushSettings { keep_rows, ..PushSettings::default() }, &o, &[1], &[rest()]);
        assert_eq!(told.short.1, 0.0, "{:?}", told.pieces);
        let moved: Vec<f32> =
            told.rest[1].iter().zip(&o.layers[1].rest).map(|(a, b)| a.distance(*b)).collect();
        let row = |s: u32| (0..=rings).map(|r| moved[(r * around + s) as usize]).collect::<Vec<f32>>();
        let bend = |three: &[f32]| (three[0] - 2.0 * three[1] + three[2]).abs();
        (0..around).flat_map(|s| row(s).windows(3).map(bend).collect::<Vec<_>>()).fold(0.0, f32::max)
    };
    let (freely, in_rows) = (bends(false), bends(true));
    assert!(freely > 0.0005 && in_rows < freely * 0.7, "{in_rows} of {freely}");
}

#[test]
fn nothing_moves_where_nothing_is_through() {
    let o = outfit(&sphere(0.1, 24), &[sphere(0.102, 24), sphere(0.11, 24)]);
    let told = pushed(&o, &[1, 2], &[rest()]);
    (1..3).for_each(|layer| assert_eq!(told.rest[layer], o.layers[layer].rest));
}

#[test]
fn three_shells_of_which_the_inner_presses_come_clear_in_order() {
    let inner = moved(sphere(0.103, 32), Vec3::Z * -0.006);
    let o = outfit(&sphere(0.1, 32), &[inner, sphere(0.1075, 32), sphere(0.1105, 32)]);
    let told = pushed(&o, &[1, 2, 3], &[rest()]);
    assert_eq!(told.short.1, 0.0, "{:?}", told.pieces);
    let mut clear = o.clone();
    clear.layers.iter_mut().zip(&told.rest).for_each(|(layer, rest)| layer.rest.clone_from(rest));
    let left = trouble_in(&clear, &[rest()], PushSettings::default().measure);
    assert!(left[0].is_empty(), "{} places are left", left[0].len());
}

#[test]
fn a_stiff_box_on_a_bulge_goes_as_one() {
    let lid: Shape = moved(sphere(0.105, 24), Vec3::Z * -0.008);
    let mut o = outfit(&sphere(0.1, 32), std::slice::from_ref(&lid));
    o.layers[1].stiff = true;
    o.layers[1].rigid = Arc::new(vec![0; lid.0.len()]);
    let told = pushed(&o, &[1], &[rest()]);
    assert_eq!(told.short.1, 0.0, "{:?}", told.pieces);
    for pair in lid.0.windows(2).zip(told.rest[1].windows(2)) {
        let (before, after) = (pair.0[0].distance(pair.0[1]), pair.1[0].distance(pair.1[1]));
        assert!((before - after).abs() < 1e-5, "{before} {after}");
    }
    assert!((0.0025..0.006).contains(&furthest(&lid.0, &told.rest[1])));
}

#[test]
fn two_poses_that_pull_opposite_ways_are_met_half_way() {
    // A plate of a shell that one pose wants further left and another further right, by the same.
    let shell = sphere(0.102, 32);
    let mut o = outfit(&sphere(0.1, 32), std::slice::from_ref(&shell));
    o.layers[1].stiff = true;
    o.layers[1].rigid = Arc::new(vec![0; shell.0.len()]);
    let joint = |j: u16, n: usize| Skin::uniform(n, &[(JointId(j), 1.0)], 2).unwrap();
    o.layers[0].skin = joint(0, o.layers[0].rest.len()).into();
    o.layers[1].skin = joint(1, shell.0.len()).into();
    let by = |x: f32| TrialPose {
        matrices: vec![Mat4::IDENTITY, Mat4::from_translation(Vec3::X * x)],
        amounts: Vec::new(),
    };
    let told = pushed(&o, &[1], &[by(0.006), by(-0.006)]);
    let middle = told.rest[1].iter().sum::<Vec3>() / shell.0.len() as f32;
    let first = shell.0.iter().sum::<Vec3>() / shell.0.len() as f32;
    assert!((middle - first).length() < 5e-4, "{}", middle - first);
}

#[test]
fn what_cannot_be_met_holds_up_nothing_about_it() {
    // A ball comes through a shell in front. At one side a layer above that stays lies in the ball: there the shell can
    // be under the one or over the other, not both.
    let (shell, above) =
        (moved(sphere(0.105, 40), Vec3::Z * -0.008), moved(sphere(0.1085, 40), Vec3::X * -0.0105));
    let mut o = outfit(&sphere(0.1, 40), &[shell, above]);
    // Else it would hide what is wrong beneath it.
    o.off = vec![false, false, true];
    let told = pushed(&o, &[1], &[rest()]);
    let in_front = |p: &&Vec3| p.z > 0.06 && p.x < 0.03;
    let sunk = |list: &[Vec3]| list.iter().filter(in_front).filter(|p| p.length() < 0.0995).count();
    assert!(sunk(&o.layers[1].rest) > 50);
    assert_eq!(sunk(&told.rest[1]), 0, "in front it comes clear");
    assert!(told.short.1 > 0.0, "what is left at the side is told");
}

#[test]
fn at_the_lip_of_a_fold_it_comes_clear_and_deeper_in_it_stays() {
    // A ball through a shell in front, of which the board says that it lies in itself there.
    let left = |shift: f32| {
        let o = outfit(&sphere(0.1, 40), &[moved(sphere(0.105, 40), Vec3::Z * -shift)]);
        let mut trouble = trouble_in(&o, &[rest()], PushSettings::default().measure);
        let in_front = (0..o.layers[1].rest.len() as u32).filter(|v| o.layers[1].rest[*v as usize].z > -0.05);
        trouble[0].extend(in_front.map(|vertex| Place::Inside { layers: (1, 1), vertex }));
        let (poses, settings) = (&[rest()][..], PushSettings::default());
        let (outfit, movable, trouble) = (&o, &[1][..], &trouble[..]);
        let (held, at_rest, shape) = (&[][..], &[][..], None);
        let mending = Mending { outfit, movable, held, poses, trouble, at_rest, shape, settings };
        let told = push_out(mending, &|_| true).unwrap().unwrap();
        0.1 - told.rest[1].iter().map(|p| p.length()).fold(f32::INFINITY, f32::min)
    };
    assert!(left(0.0058) < 0.0, "0.8 mm through it");
    // What lies deep in it only goes along with its lip.
    assert!(left(0.012) > 0.003, "7 mm through it");
}

/// A shell that its joint shifts onto a ball: a shape of that pose clears it, rest and the pose between are as asked.
#[test]
fn a_shape_of_a_pose_clears_it_and_leaves_rest_alone() {
    let mut o = outfit(&sphere(0.1, 40), &[sphere(0.105, 40)]);
    let all = o.layers[1].rest.len();
    o.layers[1].skin = Skin::uniform(all, &[(JointId(1), 1.0)], 2).unwrap().into();
    let shifted = |share: f32| {
        let matrices = vec![Mat4::IDENTITY, Mat4::from_translation(Vec3::Z * -0.009 * share)];
        TrialPose { matrices, amounts: vec![share] }
    };
    let poses = [shifted(0.0), shifted(0.5), shifted(1.0)];
    let settings = PushSettings::default();
    let trouble = trouble_in(&o, &poses, settings.measure);
    assert!(trouble[0].is_empty() && !trouble[2].is_empty());
    let (outfit, held, at_rest, shape) = (&o, &[][..], &[][..], Some(0));
    let mending =
        Mending { outfit, movable: &[1], held, poses: &poses, trouble: &trouble, at_rest, shape, settings };
    let told = push_out(mending, &|_| true).unwrap().unwrap();
    assert_eq!(told.short.1, 0.0, "{:?}", told.pieces);
    // 4 mm deep, cleared by 1 mm.
    let most = told.pieces[0].furthest;
    assert!(most > 0.0045 && most < 0.0065, "{most}");
    let mut shaped = o.clone();
    let offsets: Vec<Vec3> = told.rest[1].iter().zip(&o.layers[1].rest).map(|(a, b)| *a - *b).collect();
    shaped.layers.iter_mut().for_each(|l| l.morphs = vec![Morph::default()]);
    shaped.layers[1].morphs = vec![Morph::from_dense("shift".into(), &offsets)];
    assert!(trouble_in(&shaped, &poses, settings.measure).iter().all(Vec::is_empty));
    // Without the amount it is what it was, to the bit.
    let mut buffers = (shaped.buffers(), o.buffers());
    buffers.0.pose(&shaped, &poses[0].matrices, &[0.0]);
    buffers.1.pose(&o, &poses[0].matrices, &[]);
    assert_eq!(buffers.0.positions(1), buffers.1.positions(1));
}

/// Two balls that did not lie over each other at rest: a vertex of one is told how deep it is in the other, or, out of
/// it, how far, with the way that leads off: so what has come out does not go back in.
#[test]
fn a_contact_is_asked_in_and_out() {
    let apart = |x: f32| Vec3::new(x, 0.0, 0.0);
    let mut o =
        outfit(&sphere(0.1, 16), &[moved(sphere(0.05, 48), apart(0.5)), moved(sphere(0.05, 48), apart(1.0))]);
    let (at, all) = (Settings::default(), o.layers[2].rest.len());
    o.layers[2].skin = Skin::uniform(all, &[(JointId(1), 1.0)], 2).unwrap().into();
    let to_the_right = (0..all as u32).max_by(|a, b| {
        let x = |v: &u32| o.layers[1].rest[*v as usize].x;
        x(a).total_cmp(&x(b))
    });
    let place = Place::Inside { layers: (1, 2), vertex: to_the_right.unwrap() };
    let gap = |mm: f32, within: f32| {
        let mut buffers = o.buffers();
        let shift = Mat4::from_translation(apart(0.1 + mm * 0.001 - 0.5));
        buffers.pose(&o, &[Mat4::IDENTITY, shift], &[]);
        InPose::new(&o, &buffers).gap(&place, at, within)
    };
    for mm in [-6.0, 3.0] {
        let told = gap(mm, 0.05).unwrap();
        assert!((told.gap * 1000.0 - mm).abs() < 0.2 && told.way.x < -0.99, "{mm}: {told:?}");
    }
    assert!(gap(3.0, 0.002).is_none(), "further off than is looked");
}

/// What is posed is kept from round to round, by pose: that a pose is asked on one thread or another changes nothing.
#[test]
fn a_shape_is_the_same_to_the_bit_on_any_number_of_threads() {
    let (ball, shell) = (sphere(0.1, 40), moved(sphere(0.105, 40), Vec3::Z * 0.002));
    let mut o = outfit(&ball, &[shell, moved(sphere(0.111, 40), Vec3::X * 0.003)]);
    o.layers[0].skin = Skin::uniform(ball.0.len(), &[(JointId(1), 1.0)], 2).unwrap().into();
    // The ball goes on where the shells do not, by as much as the shape is called up.
    let shifted = |share: f32| {
        let way = Vec3::new(-0.006, 0.0, 0.011) * share;
        TrialPose { matrices: vec![Mat4::IDENTITY, Mat4::from_translation(way)], amounts: vec![share] }
    };
    let poses: Vec<TrialPose> = (0..7).map(|n| shifted(n as f32 / 6.0)).collect();
    let settings = PushSettings::default();
    let trouble = trouble_in(&o, &poses, settings.measure);
    let run = || {
        let (outfit, held, at_rest, shape) = (&o, &[][..], &[][..], Some(0));
        let (movable, poses, trouble) = (&[1, 2][..], &poses, &trouble);
        push_out(Mending { outfit, movable, held, poses, trouble, at_rest, shape, settings }, &|_| true)
    };
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(run).unwrap().unwrap()
    };
    let (alone, many) = (on(1), on(5));
    assert!(alone.short.1 < alone.short.0 && alone.pieces.iter().all(|p| p.moved > 0), "{:?}", alone.pieces);
    let bits = |m: &Mended| m.rest.iter().flatten().flat_map(|p| p.to_array()).map(f32::to_bits).collect();
    let (alone, many): (Vec<u32>, Vec<u32>) = (bits(&alone), bits(&many));
    assert!(alone == many);
}

/// A sleeve that follows the shoulder where the arm follows the elbow: the elbow is to blame, about the axis it bends.
#[test]
fn the_joint_whose_turn_parts_the_layers_is_to_blame() {
    let arm = Arm::new();
    let mut o = outfit(&arm.surface, &[tube(0.055, 0.02, 0.58, 16, 23, 1.0)]);
    o.layers[0].skin = arm.skin.clone().into();
    let pose = |degrees: f32| {
        let mut pose = Pose::rest(2);
        pose.rotations[1] = Quat::from_rotation_x(degrees.to_radians());
        pose
    };
    let poses: Vec<Pose> = [0.0, 20.0, 40.0].map(pose).into();
    let trial = |p: &Pose| TrialPose { matrices: arm.skeleton.skin_matrices(p), amounts: Vec::new() };
    let trials: Vec<TrialPose> = poses.iter().map(trial).collect();
    let trouble = trouble_in(&o, &trials, PushSettings::default().measure);
    let turns = bad_turns(&o, &arm.skeleton, &poses, &trouble, &[]);
    assert_eq!(turns.len(), 1, "{turns:?}");
    let driver = turns[0].driver;
    assert_eq!(driver.joint, JointId(1));
    assert!((driver.full.to_degrees() - 40.0).abs() < 0.1, "{driver:?}");
    assert_eq!((driver.amount(&poses[0]), driver.amount(&poses[2])), (0.0, 1.0));
    assert_eq!(turns[0].blamed.iter().map(|b| b.0).collect::<Vec<_>>(), [1, 2]);
    // Both follow the shoulder alike: nothing but the elbow is to blame.
    assert!(bad_turns(&o, &arm.skeleton, &poses, &trouble, &[driver]).is_empty());
}

/// Both layers follow no joint that is turned, but a shape that one of them calls up presses the sleeve in: the turn
/// that calls it up is to blame, though another joint is turned further.
#[test]
fn the_joint_that_calls_up_what_presses_in_is_to_blame() {
    let arm = Arm::new();
    let mut o = outfit(&arm.surface, &[tube(0.055, 0.02, 0.58, 16, 23, 1.0)]);
    for layer in &mut o.layers {
        layer.skin = Skin::from_rows(&vec![vec![(JointId(0), 1.0)]; layer.rest.len()], 3).unwrap().into();
    }
    let driver = Driver { joint: JointId(1), axis: Vec3::X, from: 0.1, full: 0.5 };
    let inwards: Vec<Vec3> = o.layers[1].rest.iter().map(|p| Vec3::new(p.x, 0.0, p.z) * -0.2).collect();
    o.layers[1].morphs = vec![Morph { driver: Some(driver), ..Morph::from_dense("pinch".into(), &inwards) }];
    let names = ["upper", "hand", "other hand"].map(str::to_owned).to_vec();
    let at_rest = [arm.skeleton.rest[0]; 3];
    let skeleton = Skeleton::at_rest(names, vec![None; 3], at_rest.to_vec()).unwrap();
    let mut pose = Pose::rest(3);
    pose.rotations[1] = Quat::from_rotation_x(0.6);
    pose.rotations[2] = Quat::from_rotation_x(0.9);
    let trials = [TrialPose { matrices: skeleton.skin_matrices(&pose), amounts: vec![driver.amount(&pose)] }];
    let trouble = trouble_in(&o, &trials, PushSettings::default().measure);
    assert!(!trouble[0].is_empty());
    let turns = bad_turns(&o, &skeleton, &[pose], &trouble, &[]);
    assert_eq!(turns.iter().map(|t| t.driver.joint).collect::<Vec<_>>(), [JointId(1)]);
    assert_eq!(turns[0].blamed[0].1.len(), trouble[0].len(), "for all of it");
}

/// A sleeve that follows nothing, in a pose that turns both joints: of two that part it from the arm the one that does
/// less is to blame when the other is spent.
#[test]
fn what_a_spent_turn_is_to_blame_for_falls_to_the_next() {
    let arm = Arm::new();
    let mut o = outfit(&arm.surface, &[tube(0.055, 0.02, 0.58, 16, 23, 1.0)]);
    o.layers[0].skin = arm.skin.clone().into();
    o.layers[1].skin =
        Skin::from_rows(&vec![vec![(JointId(2), 1.0)]; o.layers[1].rest.len()], 3).unwrap().into();
    let names = ["upper", "lower", "apart"].map(str::to_owned).to_vec();
    let at_rest = [&arm.skeleton.rest[..], &arm.skeleton.rest[..1]].concat();
    let skeleton = Skeleton::at_rest(names, vec![None, Some(JointId(0)), None], at_rest).unwrap();
    let mut pose = Pose::rest(3);
    pose.rotations[0] = Quat::from_rotation_x(0.3);
    pose.rotations[1] = Quat::from_rotation_x(0.9);
    let trials = [TrialPose { matrices: skeleton.skin_matrices(&pose), amounts: Vec::new() }];
    let trouble = trouble_in(&o, &trials, PushSettings::default().measure);
    let all = bad_turns(&o, &skeleton, std::slice::from_ref(&pose), &trouble, &[]);
    let joints: Vec<JointId> = all.iter().map(|t| t.driver.joint).collect();
    assert!(joints.contains(&JointId(1)), "{joints:?}");
    let elbow = all.iter().find(|t| t.driver.joint == JointId(1)).unwrap().driver;
    let left = bad_turns(&o, &skeleton, &[pose], &trouble, &[elbow]);
    assert_eq!(left.iter().map(|t| t.driver.joint).collect::<Vec<_>>(), [JointId(0)]);
    let places = |turns: &[BadTurn]| turns.iter().flat_map(|t| &t.blamed).map(|b| b.1.len()).sum::<usize>();
    assert_eq!(places(&left), places(&all), "all of it");
}

/// Between two sides of a fold nothing is asked, unless that is wished.
#[test]
fn what_lies_in_a_fold_is_asked_when_it_is_wished() {
    let arm = Arm::new();
    let mut o = outfit(&arm.surface, &[tube(0.051, 0.02, 0.58, 24, 40, 1.0)]);
    o.layers[0].skin = arm.skin.clone().into();
    let poses = [TrialPose { matrices: arm.bent(30.0), amounts: Vec::new() }];
    let mut trouble = trouble_in(&o, &poses, PushSettings::default().measure);
    let fold = |[(layer, vertex), _]: [(usize, u32); 2]| Place::Inside { layers: (layer, layer), vertex };
    let folds: Vec<Place> = trouble[0].iter().filter_map(|p| o.lying_at(p)).map(fold).collect();
    trouble[0].extend(folds);
    let short = |in_folds: bool| {
        let (outfit, movable, poses, trouble) = (&o, &[1][..], &poses[..], &trouble[..]);
        let (held, at_rest, shape) = (&[][..], &[][..], None);
        let settings = PushSettings { in_folds, ..PushSettings::default() };
        let mending = Mending { outfit, movable, held, poses, trouble, at_rest, shape, settings };
        push_out(mending, &|_| true).unwrap().unwrap()
    };
    let told = [short(false), short(true)];
    let [left_alone, asked] = [0, 1].map(|k| told[k].short);
    assert!(asked.0 > left_alone.0 * 1.5 && asked.1 < asked.0 * 0.5, "{asked:?} {left_alone:?}");
    assert!(told.iter().all(|t| t.meets_folds));
    // Where nothing lies in a fold the wish changes nothing, and that is told.
    let shell = moved(sphere(0.105, 24), Vec3::Z * -0.008);
    let o = outfit(&sphere(0.1, 24), &[shell]);
    let wish =
        |in_folds| pushed_as(PushSettings { in_folds, ..PushSettings::default() }, &o, &[1], &[rest()]);
    let (one, other) = (wish(false), wish(true));
    assert!(!one.meets_folds && !other.meets_folds && one.rest == other.rest);
}

/// Where a bend folds cloth together, its normal at rest leads along what is through, and not off it. The sleeve's
/// elbow sits 20 mm lower than the arm's.
#[test]
fn in_a_crease_cloth_goes_any_way() {
    let arm = Arm::new();
    let sleeve = tube(0.051, 0.02, 0.58, 24, 40, 1.0);
    let row = |p: &Vec3| {
        let elbow = ((p.y - 0.26) / 0.04).clamp(0.0, 1.0);
        vec![(JointId(0), 1.0 - elbow), (JointId(1), elbow)]
    };
    let rows: Vec<_> = sleeve.0.iter().map(row).collect();
    let mut o = outfit(&arm.surface, &[sleeve]);
    (o.layers[0].skin, o.layers[1].skin) =
        (arm.skin.clone().into(), Skin::from_rows(&rows, 2).unwrap().into());
    for degrees in [100.0, 130.0] {
        let poses = [TrialPose { matrices: arm.bent(degrees), amounts: Vec::new() }];
        let trouble = trouble_in(&o, &poses, PushSettings::default().measure);
        let short = |any_way: bool| {
            let (outfit, movable, poses, trouble) = (&o, &[1][..], &poses[..], &trouble[..]);
            let (held, at_rest, shape) = (&[][..], &[][..], None);
            let settings = PushSettings { any_way, rounds: 16, ..PushSettings::default() };
            let mending = Mending { outfit, movable, held, poses, trouble, at_rest, shape, settings };
            push_out(mending, &|_| true).unwrap().unwrap().short
        };
        let (along, any) = (short(false), short(true));
        assert!(any.0 > 0.04 && any.1 < any.0 * 0.5, "{degrees}: {any:?}");
        assert!(degrees > 100.0 || any.1 < along.1 * 0.8, "{degrees}: {any:?} instead of {along:?}");
    }
}

#[test]
fn what_is_taken_back_keeps_two_walls_as_far_apart() {
    // A plate 4 mm thick about a tube, shifted by 10 mm; at one vertex of its outer wall that spoils something.
    let body = tube(0.10, 0.0, 0.4, 96, 30, 1.0);
    let wall = |r: f32| tube(r, 0.1, 0.3, 60, 20, 0.45);
    let outfit = outfit(&body, &[joined(turned_inside_out(wall(0.106)), wall(0.110))]);
    let layer = &outfit.layers[1];
    let partners = layer.walls.towards_body.measured_partners(&layer.rest);
    let spoilt = (0..layer.rest.len()).find(|v| partners[*v] as usize != *v).unwrap();
    let kept = shares_to_keep(layer, vec![spoilt as u32]);
    let mut now: Vec<Vec3> = layer.rest.iter().map(|p| *p + Vec3::X * 0.01).collect();
    kept.iter().for_each(|(v, share)| now[*v] = layer.rest[*v].lerp(now[*v], *share));
    assert_eq!(now[spoilt], layer.rest[spoilt]);
    assert!(kept.iter().any(|(_, share)| (0.2..0.8).contains(share)), "it fades in");
    assert!(kept.len() < now.len() / 2, "{} of {}", kept.len(), now.len());
    for (v, partner) in partners.iter().map(|p| *p as usize).enumerate() {
        let apart = |at: &[Vec3]| at[v].distance(at[partner]);
        assert!((apart(&now) - apart(&layer.rest)).abs() < 1e-6, "vertex {v}");
    }
}
