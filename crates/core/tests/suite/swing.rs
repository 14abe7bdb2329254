//! Swings against the handbook's ranges and the couplings they name.

use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::skeleton::{LocalTransform, Pose, Skeleton};
use tin_cloak_core::trial::{random_poses, swing_poses, Humanoid, MotionRanges, NamedPose, Swing, SwingAxis};
use tin_cloak_core::JointId;

/// A person of the joints that matter, arms 40° off the body.
fn person() -> Skeleton {
    let mut names = Vec::new();
    let (mut parents, mut rest) = (Vec::new(), Vec::new());
    let mut add = |name: &str, parent: Option<u16>, at: Vec3| {
        names.push(name.to_owned());
        parents.push(parent.map(JointId));
        rest.push(LocalTransform { translation: at, ..LocalTransform::IDENTITY });
        names.len() as u16 - 1
    };
    let hips = add("hips", None, Vec3::Y);
    let spine = add("spine_01", Some(hips), Vec3::Y * 0.15);
    let chest = add("spine_02", Some(spine), Vec3::Y * 0.2);
    let neck = add("neck", Some(chest), Vec3::Y * 0.15);
    add("head", Some(neck), Vec3::Y * 0.1);
    for (side, x) in [("left", 1.0), ("right", -1.0)] {
        let slope = Vec3::new(x * 0.643, -0.766, 0.0);
        let shoulder = add(&format!("shoulder_{side}"), Some(chest), Vec3::new(x * 0.05, 0.1, 0.0));
        let upper = add(&format!("upper_arm_{side}"), Some(shoulder), Vec3::X * x * 0.12);
        let lower = add(&format!("lower_arm_{side}"), Some(upper), slope * 0.28);
        let hand = add(&format!("hand_{side}"), Some(lower), slope * 0.25);
        for (finger, across) in [("index", 0.02), ("middle", 0.0), ("ring", -0.02)] {
            let along = slope * 0.09 + Vec3::Z * across;
            let root = add(&format!("{finger}_1_{side}"), Some(hand), along);
            let next = add(&format!("{finger}_2_{side}"), Some(root), slope * 0.04);
            add(&format!("{finger}_3_{side}"), Some(next), slope * 0.025);
        }
        let thigh = add(&format!("upper_leg_{side}"), Some(hips), Vec3::X * x * 0.1);
        let shin = add(&format!("lower_leg_{side}"), Some(thigh), Vec3::Y * -0.45);
        let foot = add(&format!("foot_{side}"), Some(shin), Vec3::Y * -0.42);
        add(&format!("toe_{side}"), Some(foot), Vec3::new(0.0, -0.05, 0.15));
    }
    Skeleton::at_rest(names, parents, rest).unwrap()
}

fn swung(
    skeleton: &Skeleton,
    joint: &str,
    axis: SwingAxis,
    degrees: [f32; 2],
    coupled: bool,
) -> Vec<NamedPose> {
    let joint = skeleton.find(joint).unwrap();
    swing_poses(skeleton, Swing { joint, partner: None, axis, degrees, steps: 5, coupled })
}

/// The angle between where a bone points in a pose and where it points in another.
fn turned(skeleton: &Skeleton, [from, to]: [&str; 2], a: &Pose, b: &Pose) -> f32 {
    let at = |pose: &Pose| {
        let world = skeleton.world(pose);
        let place = |name: &str| world[skeleton.find(name).unwrap().index()].w_axis.truncate();
        (place(to) - place(from)).normalize()
    };
    at(a).angle_between(at(b)).to_degrees()
}

#[test]
fn a_joint_goes_through_the_angles_it_is_swung_by() {
    let skeleton = person();
    let ranges = MotionRanges::new(&skeleton);
    for (joint, axis) in [
        ("lower_arm_left", SwingAxis::Forward),
        ("upper_leg_right", SwingAxis::Sideways),
        ("hand_left", SwingAxis::Turn),
        ("lower_leg_left", SwingAxis::Forward),
    ] {
        let id = skeleton.find(joint).unwrap();
        let range = axis.angles_in(ranges.default_of(id).unwrap());
        for (step, pose) in swung(&skeleton, joint, axis, range, true).iter().enumerate() {
            let wanted = range[0] + (range[1] - range[0]) * step as f32 / 4.0;
            let at = SwingAxis::ALL.iter().position(|a| *a == axis).unwrap();
            let found = ranges.angles(id, &pose.pose).unwrap()[at];
            assert!((found - wanted).abs() < 0.05, "{joint} {axis:?}: {found} for {wanted}");
        }
    }
    // The American Academy of Orthopaedic Surgeons' 150° of the elbow, 135° of the knee (from memory).
    let elbow = ranges.default_of(skeleton.find("lower_arm_left").unwrap()).unwrap();
    assert_eq!((elbow.forward, elbow.turn), ([0.0, 150.0], [-80.0, 80.0]));
}

#[test]
fn the_shoulder_blade_gives_a_degree_for_two_of_the_arm() {
    let skeleton = person();
    let rest = Pose::rest(skeleton.len());
    let arm = ["upper_arm_left", "lower_arm_left"];
    let poses = swung(&skeleton, arm[0], SwingAxis::Sideways, [40.0, 160.0], true);
    let alone = swung(&skeleton, arm[0], SwingAxis::Sideways, [40.0, 160.0], false);
    let blade = |pose: &Pose| {
        let turn: Quat = pose.rotations[skeleton.find("shoulder_left").unwrap().index()];
        turn.angle_between(Quat::IDENTITY).to_degrees()
    };
    for (pose, alone) in poses.iter().zip(&alone) {
        let raised = turned(&skeleton, arm, &rest, &pose.pose);
        assert!((blade(&pose.pose) - raised / 3.0).abs() < 0.3, "{} of {raised}", blade(&pose.pose));
        // The arm points where it would without.
        assert!(turned(&skeleton, arm, &pose.pose, &alone.pose) < 0.1);
        assert_eq!(blade(&alone.pose), 0.0);
    }
}

#[test]
fn the_spine_shares_a_swing_over_its_joints_and_both_sides_mirror() {
    let skeleton = person();
    let bent = swung(&skeleton, "spine_01", SwingAxis::Forward, [0.0, 40.0], true);
    let turn = |pose: &Pose, name: &str| pose.rotations[skeleton.find(name).unwrap().index()];
    let last = &bent[4].pose;
    for name in ["spine_01", "spine_02"] {
        assert!((turn(last, name).angle_between(Quat::IDENTITY).to_degrees() - 40.0).abs() < 0.05);
    }
    let [joint, partner] = ["upper_leg_left", "upper_leg_right"].map(|n| skeleton.find(n).unwrap());
    let (axis, degrees) = (SwingAxis::Sideways, [0.0, 30.0]);
    let swing = Swing { joint, partner: Some(partner), axis, degrees, steps: 2, coupled: true };
    let pose = &swing_poses(&skeleton, swing)[1].pose;
    let ranges = MotionRanges::new(&skeleton);
    let angle = |j: JointId| ranges.angles(j, pose).unwrap()[1];
    assert!((angle(joint) - 30.0).abs() < 0.05 && (angle(partner) - 30.0).abs() < 0.05);
    assert!(turn(pose, "upper_leg_left").z * turn(pose, "upper_leg_right").z < 0.0, "each to its own side");
}

#[test]
fn poses_at_random_stay_within_the_ranges() {
    let skeleton = person();
    let ranges = MotionRanges::new(&skeleton);
    let person = Humanoid::find(&skeleton);
    let limits: Vec<_> =
        person.joints().into_iter().filter_map(|j| Some((j, ranges.default_of(j)?))).collect();
    let poses = random_poses(&skeleton, &limits, 40, 11);
    for (pose, (joint, limit)) in poses.iter().flat_map(|p| limits.iter().map(move |l| (p, l))) {
        let [forward, sideways, turn] = ranges.angles(*joint, &pose.pose).unwrap();
        let within = |x: f32, [least, most]: [f32; 2]| x > least - 0.2 && x < most + 0.2;
        let fits =
            within(forward, limit.forward) && within(sideways, limit.sideways) && within(turn, limit.turn);
        assert!(fits, "{}: {forward} {sideways} {turn}", skeleton.names[joint.index()]);
    }
    assert_ne!(random_poses(&skeleton, &limits, 1, 12)[0].pose, poses[0].pose);
}

#[test]
fn fingers_close_and_spread_as_a_whole() {
    let skeleton = person();
    let rest = Pose::rest(skeleton.len());
    let down = |pose: &Pose, tip: &str, from: &str| {
        let world = skeleton.world(pose);
        let at = |name: &str| world[skeleton.find(name).unwrap().index()].w_axis.truncate();
        (at(tip) - at(from)).normalize()
    };
    for (side, inward) in [("left", -1.0f32), ("right", 1.0)] {
        let joint = |finger: &str| format!("{finger}_{side}");
        let closed = swung(&skeleton, &joint("index_1"), SwingAxis::Forward, [0.0, 90.0], true);
        let half = &closed[2].pose;
        for finger in ["index", "middle", "ring"] {
            // Half of 90° at the root, half of 100° at the next joint.
            let bone = [joint(&format!("{finger}_2")), joint(&format!("{finger}_3"))];
            let turn = turned(&skeleton, [&bone[0], &bone[1]], &rest, half);
            assert!((turn - 95.0).abs() < 0.1, "{finger} {side}: {turn}");
            // The palm of a hanging arm looks at the thigh.
            assert!(down(half, &bone[1], &bone[0]).x * inward > 0.75);
        }
        let spread = swung(&skeleton, &joint("index_1"), SwingAxis::Sideways, [0.0, 20.0], true);
        let apart = |pose: &Pose| {
            let (a, b) = (
                down(pose, &joint("index_2"), &joint("index_1")),
                down(pose, &joint("ring_2"), &joint("ring_1")),
            );
            a.angle_between(b).to_degrees()
        };
        assert!((apart(&spread[4].pose) - 40.0).abs() < 0.1, "{}", apart(&spread[4].pose));
        let alone = swung(&skeleton, &joint("index_1"), SwingAxis::Forward, [0.0, 90.0], false);
        assert_eq!(turned(&skeleton, [&joint("ring_1"), &joint("ring_2")], &rest, &alone[4].pose), 0.0);
    }
}
