//! Crossings of posed layers whose answers are known by arithmetic.

use tin_cloak_core::clearance::{measure_pose, AtRest, Crossing, InPose, Outfit, Settings};
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::shapes::{layer, moved, outfit, sphere, tube, Shape};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// The body on joint 0 and each piece on a joint of its own, in a pose of these joints.
fn posed(
    body: &Shape,
    pieces: &[Shape],
    matrices: &[Mat4],
    outer: usize,
    inner: usize,
) -> (Crossing, Crossing) {
    let mut layers = vec![layer(body, 0, None)];
    layers.extend(pieces.iter().enumerate().map(|(n, p)| layer(p, n as u16 + 1, Some(body))));
    for (n, l) in layers.iter_mut().enumerate() {
        l.skin = Skin::uniform(l.rest.len(), &[(JointId(n as u16), 1.0)], matrices.len()).unwrap().into();
    }
    let outfit = Outfit::new(layers, Default::default());
    let mut buffers = outfit.buffers();
    let rest = AtRest::new(&outfit, &buffers, outer, inner);
    let told = |buffers: &_| {
        let pose = InPose::new(&outfit, buffers);
        pose.crossing(outer, inner, &pose.meeting(outer, inner, &rest), &rest, true)
    };
    let at_rest = told(&buffers);
    buffers.pose(&outfit, matrices, &[]);
    (at_rest, told(&buffers))
}

fn still(layers: usize) -> Vec<Mat4> {
    vec![Mat4::IDENTITY; layers]
}

#[test]
fn a_lantern_pressed_into_a_sleeve_is_as_deep_as_it_was_pressed() {
    // A sleeve of 5 cm radius along y, a lantern of 3 cm beside it, 1 cm away at rest.
    let body = sphere(0.01, 12);
    let sleeve = tube(0.05, 0.0, 0.6, 64, 48, 1.0);
    let lantern = moved(sphere(0.03, 32), Vec3::new(0.09, 0.3, 0.0));
    for pressed in [0.012f32, 0.02, 0.03] {
        let mut pose = still(3);
        pose[2] = Mat4::from_translation(Vec3::X * -(0.01 + pressed));
        let (rest, told) = posed(&body, &[sleeve.clone(), lantern.clone()], &pose, 2, 1);
        assert_eq!(rest, Crossing::default(), "nothing touches at rest");
        assert!((told.depth - pressed).abs() < 0.0015, "{} for {pressed}", told.depth);
        assert!(told.faces > 10 && told.new_length > 0.04 && !told.is_of_rest(), "{told:?}");
        assert!(told.spot.unwrap().position.x < 0.0501, "the spot lies in the sleeve or on it");
    }
}

#[test]
fn a_sleeve_slid_along_its_arm_past_the_hem_crosses_nothing() {
    let (arm, sleeve) =
        (tube(0.04, 0.0, 0.6, 48, 60, 1.0), moved(tube(0.05, 0.0, 0.3, 48, 30, 1.0), Vec3::Y * 0.1));
    let mut pose = still(2);
    pose[1] = Mat4::from_translation(Vec3::Y * 0.35);
    assert_eq!(posed(&arm, &[sleeve], &pose, 1, 0).1, Crossing::default());
}

#[test]
fn a_hand_through_a_cuff_bent_over_it_crosses_only_where_it_runs_through() {
    // A wide cuff round a hand; the hand turns sideways over the hem without touching it, then touches.
    let hand = moved(tube(0.02, 0.0, 0.3, 24, 40, 1.0), Vec3::Y * -0.1);
    let cuff = moved(tube(0.06, 0.0, 0.1, 64, 16, 1.0), Vec3::Y * -0.05);
    let turned = |degrees: f32| {
        let mut pose = still(2);
        let about = Vec3::Y * 0.05;
        pose[0] = Mat4::from_translation(about)
            * Mat4::from_quat(Quat::from_rotation_z(degrees.to_radians()))
            * Mat4::from_translation(-about);
        posed(&hand, std::slice::from_ref(&cuff), &pose, 1, 0).1
    };
    assert_eq!(turned(15.0), Crossing::default());
    assert!(turned(80.0).new_length > 0.05, "{:?}", turned(80.0));
}

#[test]
fn what_crosses_at_rest_is_told_apart() {
    // Two balls in each other at rest, and moved along together; then one goes on into a third place.
    let body = sphere(0.01, 8);
    let (one, other) = (sphere(0.1, 32), moved(sphere(0.1, 32), Vec3::X * 0.15));
    let together = vec![Mat4::from_translation(Vec3::Z * 0.4); 3];
    let (rest, told) = posed(&body, &[one.clone(), other.clone()], &together, 2, 1);
    assert!(rest.is_of_rest() && told.is_of_rest() && told.faces == rest.faces, "{rest:?} {told:?}");
    let mut apart = still(3);
    apart[2] = Mat4::from_translation(Vec3::new(-0.15, 0.15, 0.0));
    let (_, told) = posed(&body, &[one, other], &apart, 2, 1);
    assert!(!told.is_of_rest() && told.new_length > 0.1, "{told:?}");
}

#[test]
fn the_layers_of_an_outfit_that_only_lie_over_each_other_do_not_cross() {
    let outfit = outfit(&sphere(0.1, 24), &[sphere(0.105, 24), sphere(0.11, 24)]);
    let buffers = outfit.buffers();
    let pose = InPose::new(&outfit, &buffers);
    for (outer, inner) in [(1, 0), (2, 0), (2, 1)] {
        let rest = AtRest::new(&outfit, &buffers, outer, inner);
        let meeting = pose.meeting(outer, inner, &rest);
        assert_eq!(pose.crossing(outer, inner, &meeting, &rest, true), Crossing::default());
    }
}

/// A hand comes out of a wide cuff and folds back over its hem: vertices that were covered lie outside the
/// cloth, and nothing has come through. Pressed to the side within the cuff, it has.
#[test]
fn a_hand_folded_back_over_its_cuff_is_not_through() {
    let arm = tube(0.03, 0.0, 0.3, 48, 60, 1.0);
    let cuff = tube(0.04, 0.05, 0.2, 64, 40, 1.0);
    let mut layers = vec![layer(&arm, 0, None), layer(&cuff, 1, Some(&arm))];
    let joint = |y: f32| JointId(u16::from(y > 0.131) + u16::from(y > 0.161));
    let rows: Vec<_> = arm.0.iter().map(|p| vec![(joint(p.y), 1.0)]).collect();
    layers[0].skin = Skin::from_rows(&rows, 4).unwrap().into();
    layers[1].skin = Skin::uniform(layers[1].rest.len(), &[(JointId(3), 1.0)], 4).unwrap().into();
    let outfit = Outfit::new(layers, Default::default());
    let told = |[wrist, hand, cloth]: [Vec3; 3]| {
        let mut buffers = outfit.buffers();
        let places = [Vec3::ZERO, wrist, hand, cloth].map(Mat4::from_translation);
        buffers.pose(&outfit, &places, &[]);
        measure_pose(&outfit, &buffers, Settings::default()).pairs.remove(0)
    };
    // The cuff slides back, the wrist goes up and over its hem, the hand down outside.
    let (over, down) = (Vec3::new(0.085, 0.03, 0.0), Vec3::new(0.085, -0.15, 0.0));
    let folded = told([over, down, Vec3::Y * -0.1]);
    assert!(folded.covered > 1000);
    assert_eq!((folded.poking, folded.sunk, folded.buried), (0, 0, 0), "{folded:?}");
    let aside = Vec3::X * 0.02;
    let pressed = told([aside, aside, Vec3::ZERO]);
    assert!(pressed.poking > 20 && (pressed.deepest - 0.01).abs() < 0.0015, "{pressed:?}");
}
