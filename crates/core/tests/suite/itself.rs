//! A layer against itself, what is through between vertices, and what a pose adds to rest: known answers.

use crate::common::*;
use tin_cloak_core::clearance::{
    measure_pose, meeting_faces, sum_up, AtRest, Crossing, InPose, Outfit, PairMeasure, Settings,
};
use tin_cloak_core::glam::{Mat4, Vec3};
use tin_cloak_core::shapes::{layer, turned_inside_out, Shape};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// A piece of two halves on joints 1 and 2, over a pea of a body.
fn halves(one: Shape, other: Shape) -> Outfit {
    let body = sphere(0.005, 8);
    let first = one.0.len();
    let piece = joined(one, other);
    let mut layers = vec![layer(&body, 0, None), layer(&piece, 1, Some(&body))];
    let joint = |v: usize| vec![(JointId(if v < first { 1 } else { 2 }), 1.0)];
    let rows: Vec<_> = (0..piece.0.len()).map(joint).collect();
    layers[0].skin = Skin::uniform(layers[0].rest.len(), &[(JointId(0), 1.0)], 3).unwrap().into();
    layers[1].skin = Skin::from_rows(&rows, 3).unwrap().into();
    Outfit::new(layers, Default::default())
}

/// How the piece crosses itself with its second half moved.
fn in_itself(outfit: &Outfit, by: Vec3) -> Crossing {
    let mut buffers = outfit.buffers();
    let rest = AtRest::new(outfit, &buffers, 1, 1);
    buffers.pose(outfit, &[Mat4::IDENTITY, Mat4::IDENTITY, Mat4::from_translation(by)], &[]);
    let pose = InPose::new(outfit, &buffers);
    pose.crossing(1, 1, &pose.meeting(1, 1, &rest), &rest, true)
}

#[test]
fn two_legs_of_one_piece_are_as_deep_in_each_other_as_they_are_pressed() {
    let leg = |x: f32| moved(tube(0.06, 0.0, 0.7, 48, 40, 1.0), Vec3::new(x, -0.35, 0.0));
    let trousers = halves(leg(-0.08), leg(0.08));
    assert_eq!(in_itself(&trousers, Vec3::ZERO), Crossing::default());
    for pressed in [0.005f32, 0.01, 0.02] {
        let told = in_itself(&trousers, Vec3::X * -(0.04 + pressed));
        assert!((told.depth - pressed).abs() < 0.0006, "{} for {pressed}", told.depth);
        assert!(told.faces > 40 && told.new_length > 1.0 && !told.is_of_rest(), "{told:?}");
        assert!(told.spot.unwrap().position.x.abs() < 0.05);
    }
}

#[test]
fn what_crosses_in_one_piece_at_rest_is_of_rest() {
    let ball = |x: f32| moved(sphere(0.05, 24), Vec3::X * x);
    let told = in_itself(&halves(ball(-0.04), ball(0.04)), Vec3::ZERO);
    assert!(told.is_of_rest() && told.depth == 0.0, "{told:?}");
}

#[test]
fn the_two_walls_of_a_plate_are_not_against_each_other() {
    // A shell of two walls 4 mm apart, closed at its rim; squeezed so that the inner wall comes out.
    let body = sphere(0.1, 24);
    let walls = joined(sphere(0.114, 32), turned_inside_out(sphere(0.11, 32)));
    let mut layers = vec![layer(&body, 0, None), layer(&walls, 1, Some(&body))];
    // One part: a bridge of two faces from wall to wall.
    let mut faces = layers[1].topology.triangles.clone();
    let far = walls.0.len() as u32 / 2;
    faces.extend([[0, far, 1], [1, far, far + 1]]);
    layers[1] = layer(&(walls.0.clone(), faces), 1, Some(&body));
    let half = |v: usize| vec![(JointId(if v < walls.0.len() / 2 { 1 } else { 2 }), 1.0)];
    let rows: Vec<_> = (0..walls.0.len()).map(half).collect();
    layers[0].skin = Skin::uniform(layers[0].rest.len(), &[(JointId(0), 1.0)], 3).unwrap().into();
    layers[1].skin = Skin::from_rows(&rows, 3).unwrap().into();
    let outfit = Outfit::new(layers, Default::default());
    let buffers = {
        let mut buffers = outfit.buffers();
        let by = Mat4::from_translation(Vec3::X * 0.02);
        buffers.pose(&outfit, &[Mat4::IDENTITY, Mat4::IDENTITY, by], &[]);
        buffers
    };
    let rest = AtRest::new(&outfit, &outfit.buffers(), 1, 1);
    let pose = InPose::new(&outfit, &buffers);
    let all = pose.meeting(1, 1, &rest);
    assert!(all.is_empty(), "{} pairs of faces", all.len());
}

#[test]
fn a_crease_of_a_sleeve_is_not_against_itself_and_a_forearm_in_an_upper_arm_is() {
    let arm = tin_cloak_core::shapes::Arm::new();
    let body = sphere(0.005, 8);
    let mut layers = vec![layer(&body, 0, None), layer(&arm.surface, 1, Some(&body))];
    layers[0].skin = Skin::uniform(layers[0].rest.len(), &[(JointId(0), 1.0)], 2).unwrap().into();
    layers[1].skin = arm.skin.clone().into();
    let outfit = Outfit::new(layers, Default::default());
    let told = |degrees: f32| {
        let mut buffers = outfit.buffers();
        let rest = AtRest::new(&outfit, &buffers, 1, 1);
        buffers.pose(&outfit, &arm.bent(degrees), &[]);
        let pose = InPose::new(&outfit, &buffers);
        pose.crossing(1, 1, &pose.meeting(1, 1, &rest), &rest, true)
    };
    assert_eq!(told(60.0).faces, 0);
    assert!(told(172.0).faces > 20, "{:?}", told(172.0));
}

/// A ball that breathes through a shell: as deep as it is larger, at every size.
#[test]
fn a_sphere_breathing_through_a_shell_is_as_deep_as_it_is_larger() {
    let (body, shell) = (sphere(0.095, 96), sphere(0.1, 128));
    let mut layers = vec![layer(&body, 0, None), layer(&shell, 1, Some(&body))];
    layers[0].skin = Skin::uniform(layers[0].rest.len(), &[(JointId(0), 1.0)], 2).unwrap().into();
    layers[1].skin = Skin::uniform(layers[1].rest.len(), &[(JointId(1), 1.0)], 2).unwrap().into();
    let outfit = Outfit::new(layers, Default::default());
    for radius in [0.096f32, 0.099, 0.101, 0.102, 0.105, 0.11] {
        let mut buffers = outfit.buffers();
        buffers.pose(&outfit, &[Mat4::from_scale(Vec3::splat(radius / 0.095)), Mat4::IDENTITY], &[]);
        let told = measure_pose(&outfit, &buffers, Settings::default()).pairs.remove(0);
        let wanted = (radius - 0.1).max(0.0);
        assert!((told.deepest - wanted).abs() < 1e-4, "{radius}: {} for {wanted}", told.deepest);
    }
}

/// Where both are coarse: a roof whose ridge runs through a valley, between the vertices of both.
fn ridge_in_a_valley(lift: f32) -> PairMeasure {
    let valley: Shape = (
        vec![
            Vec3::new(-0.1, -0.1, 0.02),
            Vec3::new(-0.1, 0.1, 0.02),
            Vec3::new(0.0, -0.1, 0.0),
            Vec3::new(0.0, 0.1, 0.0),
            Vec3::new(0.1, -0.1, 0.02),
            Vec3::new(0.1, 0.1, 0.02),
        ],
        vec![[0, 2, 1], [1, 2, 3], [2, 4, 3], [3, 4, 5]],
    );
    let roof: Shape = (
        vec![
            Vec3::new(-0.08, 0.0, -0.004),
            Vec3::new(0.08, 0.0, -0.004),
            Vec3::new(0.0, -0.06, -0.05),
            Vec3::new(0.0, 0.06, -0.05),
        ],
        vec![[0, 2, 1], [0, 1, 3]],
    );
    let mut layers = vec![layer(&roof, 0, None), layer(&valley, 1, None)];
    layers[1].skin = Skin::uniform(6, &[(JointId(1), 1.0)], 2).unwrap().into();
    let outfit = Outfit::new(layers, Default::default());
    assert_eq!(outfit.pairs.len(), 1, "the valley lies over the roof");
    let mut buffers = outfit.buffers();
    buffers.pose(&outfit, &[Mat4::from_translation(Vec3::Z * lift), Mat4::IDENTITY], &[]);
    measure_pose(&outfit, &buffers, Settings::default()).pairs.remove(0)
}

#[test]
fn what_pokes_between_vertices_is_told_with_its_depth() {
    assert_eq!(ridge_in_a_valley(0.0).edge_deepest, 0.0);
    let told = ridge_in_a_valley(0.009);
    assert_eq!((told.poking, told.sunk), (0, 0), "no vertex is out");
    // 5 mm above the valley's line, measured square to its slopes of 1 in 5.
    let wanted = 0.005 / (1.0f32 + 0.04).sqrt();
    assert!((told.edge_deepest - wanted).abs() < 5e-4, "{} for {wanted}", told.edge_deepest);
    let spot = told.worst.unwrap();
    assert!(spot.position.x.abs() < 0.03 && !spot.on_outer, "{spot:?}");
}

#[test]
fn a_pose_tells_only_what_it_adds_to_rest() {
    // A shirt that begins 3 mm in the body in front, and goes on for 2 mm more.
    let (body, shirt) = (sphere(0.1, 48), moved(sphere(0.105, 48), Vec3::Z * -0.008));
    let mut layers = vec![layer(&body, 0, None), layer(&shirt, 1, Some(&body))];
    layers[1].skin = Skin::uniform(layers[1].rest.len(), &[(JointId(1), 1.0)], 2).unwrap().into();
    let outfit = Outfit::new(layers, Default::default());
    let told = |by: f32| {
        let mut buffers = outfit.buffers();
        let rest = AtRest::new(&outfit, &buffers, 1, 0);
        buffers.pose(&outfit, &[Mat4::IDENTITY, Mat4::from_translation(Vec3::Z * -by)], &[]);
        let pose = InPose::new(&outfit, &buffers);
        let meeting = meeting_faces(&buffers, 1, 0);
        let figure = |rest: Option<&AtRest>| {
            let through = pose.through(0, Settings::default(), &meeting, rest);
            sum_up(&through, &pose.see(0, &through), 1.0)
        };
        (figure(None).deepest, figure(Some(&rest)).deepest)
    };
    let (all, added) = told(0.002);
    assert!((all - 0.005).abs() < 3e-4 && (added - 0.002).abs() < 3e-4, "{all} {added}");
    assert_eq!(told(0.0).1, 0.0);
}
