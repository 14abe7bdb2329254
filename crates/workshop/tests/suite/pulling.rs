//! Limbs pulled by hand: what follows are turns by hand within the ranges.

use tin_cloak_testkit::wearing_coarse;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::mirror_partner;
use tin_cloak_workshop::core::trial::{Humanoid, MotionRanges};
use tin_cloak_workshop::core::units::{from_mm, to_mm};
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{Pull, PullingOfRoom, Room, Turn};

fn pull(joint: JointId, by_mm: [f32; 3]) -> Pull {
    Pull { joint: joint.0, by_mm, both_sides: false }
}

/// Where a joint is in a trial pose with turns by hand, metres.
fn place(room: &Room, pose: usize, turns: &[Turn], joint: JointId) -> Vec3 {
    let skeleton = &room.dress.body.skeleton;
    skeleton.world(&room.pose_of(pose, turns).unwrap())[joint.index()].w_axis.truncate()
}

#[test]
fn a_hand_follows_and_the_elbow_keeps_to_its_range() {
    let room = wearing_coarse(&[]).room();
    let skeleton = &room.dress.body.skeleton;
    let (person, ranges) = (Humanoid::find(skeleton), MotionRanges::new(skeleton));
    let (hand, elbow) = (person.left.hand.unwrap(), person.left.lower_arm.unwrap());
    let start = place(&room, 0, &[], hand);
    for by in [[-150.0, 250.0, 200.0], [0.0, 100.0, 350.0], [-60.0, -20.0, 30.0]] {
        let turns = room.pulled(0, &[], pull(hand, by)).unwrap();
        let off = place(&room, 0, &turns, hand).distance(start + from_mm(Vec3::from(by)));
        assert!(to_mm(off) < 1.0, "{by:?}: {} mm off", to_mm(off));
        let pose = room.pose_of(0, &turns).unwrap();
        let [bent, aside, _] = ranges.angles(elbow, &pose).unwrap();
        assert!((-1.0..=151.0).contains(&bent) && aside.abs() < 11.0, "{by:?}: {bent}° {aside}°");
    }
    // What is out of reach is as near as it gets: the arm points there.
    let far = room.pulled(0, &[], pull(hand, [0.0, 3000.0, 0.0])).unwrap();
    let risen = place(&room, 0, &far, hand).y - start.y;
    assert!(risen > 0.5, "{risen}");
}

#[test]
fn feet_stay_where_they_are_when_the_hips_go_down() {
    let room = wearing_coarse(&[]).room();
    let person = Humanoid::find(&room.dress.body.skeleton);
    let hips = person.hips.unwrap();
    let turns = room.pulled(0, &[], pull(hips, [40.0, -180.0, 0.0])).unwrap();
    let went = to_mm(place(&room, 0, &turns, hips) - place(&room, 0, &[], hips));
    assert!(went.distance(Vec3::new(40.0, -180.0, 0.0)) < 0.5, "{went}");
    for foot in [person.left.foot, person.right.foot].map(Option::unwrap) {
        let off = to_mm(place(&room, 0, &turns, foot).distance(place(&room, 0, &[], foot)));
        assert!(off < 2.0, "{off} mm");
    }
    // On top of turns that are there, and what is asked is kept as a pose like any other.
    let again = room.pulled(0, &turns, pull(hips, [0.0, 60.0, 0.0])).unwrap();
    let up = to_mm(place(&room, 0, &again, hips) - place(&room, 0, &turns, hips));
    assert!(up.distance(Vec3::Y * 60.0) < 0.5, "{up}");
}

#[test]
fn both_sides_are_pulled_as_in_a_mirror_and_what_is_no_limb_is_refused() {
    let room = wearing_coarse(&[]).room();
    let skeleton = &room.dress.body.skeleton;
    let person = Humanoid::find(skeleton);
    let hand = person.left.hand.unwrap();
    let other = mirror_partner(skeleton, hand).unwrap();
    let both = Pull { both_sides: true, ..pull(hand, [-80.0, 120.0, 220.0]) };
    let turns = room.pulled(0, &[], both).unwrap();
    let [left, right] = [hand, other].map(|j| place(&room, 0, &turns, j));
    let off = left.distance(Vec3::new(-right.x, right.y, right.z));
    assert!(to_mm(off) < 3.0, "{} mm", to_mm(off));
    // By a finger it is the hand that goes, by the upper arm the elbow.
    let finger = skeleton.find("index_1_left").unwrap();
    let turns = room.pulled(0, &[], pull(finger, [-50.0, 60.0, 90.0])).unwrap();
    assert_eq!(turns, room.pulled(0, &[], pull(hand, [-50.0, 60.0, 90.0])).unwrap());
    let (arm, elbow) = (person.left.upper_arm.unwrap(), person.left.lower_arm.unwrap());
    let turns = room.pulled(0, &[], pull(arm, [-20.0, 30.0, 40.0])).unwrap();
    let went = to_mm(place(&room, 0, &turns, elbow) - place(&room, 0, &[], elbow));
    assert!(went.distance(Vec3::new(-20.0, 30.0, 40.0)) < 12.0, "{went}");
    // Nothing is turned where nothing is pulled.
    assert!(room.pulled(0, &[], pull(hand, [0.0; 3])).unwrap().is_empty());
    assert!(room.pulled(0, &[], pull(hand, [f32::NAN; 3])).unwrap().is_empty());
    let refused = |joint: u16| room.pulled(0, &[], pull(JointId(joint), [10.0; 3])).unwrap_err().to_string();
    assert!(refused(9999).contains("joint"));
    let root = (0..skeleton.len() as u16).find(|j| skeleton.parents[usize::from(*j)].is_none()).unwrap();
    assert_ne!(Some(JointId(root)), person.hips, "what the whole figure hangs from is no limb");
    insta::assert_snapshot!(refused(root));
}
