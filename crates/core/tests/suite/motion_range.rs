//! Ranges of motion: what they leave alone, and what they hold.

use glam::{Quat, Vec3};
use proptest::prelude::*;
use tin_cloak_core::skeleton::{LocalTransform, Pose, Skeleton};
use tin_cloak_core::trial::{range_poses, Humanoid, JointRange, MotionRanges, FREE};
use tin_cloak_core::JointId;

/// A person whose arms rest 40° below the horizontal; each joint's frame is turned a little, as
/// files have them.
pub(crate) fn person() -> Skeleton {
    let arm = Vec3::new(0.766, -0.643, 0.0);
    let mut list: Vec<(String, &str, Vec3)> = vec![
        ("hips".into(), "", Vec3::new(0.0, 0.95, 0.0)),
        ("spine_01".into(), "hips", Vec3::Y * 0.12),
        ("spine_02".into(), "spine_01", Vec3::Y * 0.18),
        ("neck".into(), "spine_02", Vec3::Y * 0.25),
        ("head".into(), "neck", Vec3::Y * 0.1),
    ];
    for (side, sign) in [("l", 1.0), ("r", -1.0)] {
        let flip = |v: Vec3| v * Vec3::new(sign, 1.0, 1.0);
        let above = |name: &str| -> &'static str { Box::leak(format!("{name}_{side}").into_boxed_str()) };
        let joints = [
            ("upper_arm", "spine_02", flip(Vec3::new(0.18, 0.2, 0.0))),
            ("lower_arm", above("upper_arm"), flip(arm * 0.28)),
            ("hand", above("lower_arm"), flip(arm * 0.26)),
            ("upper_leg", "hips", flip(Vec3::new(0.09, -0.05, 0.0))),
            ("lower_leg", above("upper_leg"), flip(Vec3::new(0.01, -0.42, 0.0))),
            ("foot", above("lower_leg"), flip(Vec3::new(0.01, -0.42, -0.01))),
            ("toe", above("foot"), Vec3::new(0.0, -0.04, 0.14)),
        ];
        list.extend(joints.into_iter().map(|(n, p, t)| (format!("{n}_{side}"), p, t)));
        let fingers =
            [("thumb", 0.02, 0.03), ("index", 0.09, 0.02), ("middle", 0.09, 0.0), ("ring", 0.09, -0.02)];
        for (finger, along, across) in fingers {
            let root = flip(arm * along) + Vec3::Z * across;
            let joint = |number: usize| above(&format!("{finger}_{number}"));
            list.push((joint(1).to_owned(), above("hand"), root));
            list.push((joint(2).to_owned(), joint(1), flip(arm * 0.035)));
            list.push((joint(3).to_owned(), joint(2), flip(arm * 0.025)));
        }
    }
    let names: Vec<String> = list.iter().map(|j| j.0.clone()).collect();
    let parents: Vec<Option<usize>> = list.iter().map(|j| names.iter().position(|n| n == j.1)).collect();
    let turned: Vec<Quat> = (0..list.len()).map(|i| Quat::from_rotation_y(0.3 * i as f32)).collect();
    let rest = (0..list.len())
        .map(|i| {
            let above = parents[i].map_or(Quat::IDENTITY, |p| turned[p]);
            LocalTransform {
                translation: above.inverse() * list[i].2,
                rotation: above.inverse() * turned[i],
                scale: Vec3::ONE,
            }
        })
        .collect();
    let parents = parents.into_iter().map(|p| p.map(|p| JointId(p as u16))).collect();
    Skeleton::at_rest(names, parents, rest).unwrap()
}

fn limits(skeleton: &Skeleton, ranges: &MotionRanges) -> Vec<(JointId, JointRange)> {
    let all = (0..skeleton.len()).map(|j| JointId(j as u16));
    all.filter_map(|j| Some((j, ranges.default_of(j)?))).collect()
}

#[test]
fn the_built_in_poses_keep_to_the_handbook() {
    let skeleton = person();
    let ranges = MotionRanges::new(&skeleton);
    let limits = limits(&skeleton, &ranges);
    assert!(limits.len() >= 15, "arms, legs, spine and neck");
    let all = range_poses(&skeleton);
    assert!(all.skipped.is_empty() || all.skipped.len() <= 1, "{:?}", all.skipped);
    for named in all.poses {
        let mut pose = named.pose.clone();
        let held = ranges.hold(&mut pose, &limits);
        let names: Vec<_> = held.iter().map(|j| &skeleton.names[j.index()]).collect();
        assert!(held.is_empty(), "{}: {names:?}", named.name);
        assert_eq!(pose, named.pose, "to the bit");
    }
}

#[test]
fn a_breastplate_keeps_the_arms_below_the_shoulder() {
    let skeleton = person();
    let ranges = MotionRanges::new(&skeleton);
    let person = Humanoid::find(&skeleton);
    let arm = person.left.upper_arm.unwrap();
    let under = JointRange { forward: [-60.0, 90.0], sideways: [-50.0, 90.0], turn: [-70.0, 90.0] };
    for named in range_poses(&skeleton).poses {
        let mut pose = named.pose.clone();
        let before = ranges.angles(arm, &pose).unwrap();
        let held = ranges.hold(&mut pose, &[(arm, under)]);
        let after = ranges.angles(arm, &pose).unwrap();
        let lifted = |a: [f32; 3]| a[0].hypot(a[1]);
        assert!(lifted(after) < 90.5, "{}: {after:?}", named.name);
        assert!(lifted(before) < 90.5 || !held.is_empty(), "{}", named.name);
        // Known answers: straight out is 90° sideways, straight ahead about 90° forward.
        if named.name == "arms out" {
            assert!((before[1] - 90.0).abs() < 0.5 && before[0].abs() < 0.5, "{before:?}");
        }
        if named.name == "arms forward" {
            assert!((before[0] - 90.0).abs() < 1.0, "{before:?}");
        }
    }
}

#[test]
fn knees_and_elbows_bend_one_way_only() {
    let skeleton = person();
    let ranges = MotionRanges::new(&skeleton);
    let person = Humanoid::find(&skeleton);
    let all = range_poses(&skeleton).poses;
    let find = |name: &str| &all.iter().find(|p| p.name == name).unwrap().pose;
    let knee = ranges.angles(person.right.lower_leg.unwrap(), find("right knee bent")).unwrap();
    assert!((knee[0] - 120.0).abs() < 3.0, "{knee:?}");
    let elbow = ranges.angles(person.left.lower_arm.unwrap(), find("elbows bent")).unwrap();
    assert!((elbow[0] - 130.0).abs() < 3.0, "{elbow:?}");
    let left = ranges.angles(person.spine[0], find("twist left")).unwrap();
    assert!((left[2] - 40.0 / person.spine.len() as f32).abs() < 0.5, "{left:?}");
}

proptest! {
    #[test]
    fn what_is_held_is_within_and_stays_held(x in -3.0f32..3.0, y in -3.0f32..3.0, z in -3.0f32..3.0) {
        let skeleton = person();
        let ranges = MotionRanges::new(&skeleton);
        let limits = limits(&skeleton, &ranges);
        let mut pose = Pose::rest(skeleton.len());
        for (joint, _) in &limits {
            pose.rotations[joint.index()] = Quat::from_scaled_axis(Vec3::new(x, y, z));
        }
        ranges.hold(&mut pose, &limits);
        for &(joint, limit) in &limits {
            let [f, s, t] = ranges.angles(joint, &pose).unwrap();
            let inside = |a: f32, r: [f32; 2]| a >= r[0] - 0.2 && a <= r[1] + 0.2;
            prop_assert!(inside(f, limit.forward) && inside(s, limit.sideways) && inside(t, limit.turn),
                "{}: {f} {s} {t} in {limit:?}", skeleton.names[joint.index()]);
        }
        let mut again = pose.clone();
        ranges.hold(&mut again, &limits);
        for (a, b) in pose.rotations.iter().zip(&again.rotations) {
            prop_assert!(a.dot(*b).abs() > 0.9999);
        }
    }
}

#[test]
fn ranges_narrow_and_make_sense() {
    let a = JointRange { forward: [-10.0, 50.0], ..FREE };
    let b = JointRange { forward: [0.0, 80.0], ..FREE };
    assert_eq!(a.within(b).forward, [0.0, 50.0]);
    assert!(!JointRange { turn: [5.0, -5.0], ..FREE }.makes_sense());
    assert!(!JointRange { turn: [f32::NAN, 5.0], ..FREE }.makes_sense());
}
