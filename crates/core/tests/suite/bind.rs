//! Binding, mending and trial poses on shapes with known answers.

use crate::common::*;
use tin_cloak_core::bind::{
    bind_stiff, fill, keep_stiff, match_surface, nearest_surface, nearest_vertex, BindTarget, Follow,
    MatchSettings, Source,
};
use tin_cloak_core::clearance::stiffness_error;
use tin_cloak_core::clearance::Outfit;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::mend::{push_out, trouble_in, Mended, Mending, PushSettings, TrialPose};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// A tube bound to two joints, blended linearly between y = 0.15 and 0.25.
fn two_joint_body() -> (Shape, Skin) {
    let body = tube(0.05, 0.0, 0.4, 48, 40, 1.0);
    let rows: Vec<_> = body.0.iter().map(|p| row_at(p.y)).collect();
    let skin = Skin::from_rows(&rows, 2).unwrap();
    (body, skin)
}

fn row_at(y: f32) -> Vec<(JointId, f32)> {
    let upper = ((y - 0.15) / 0.1).clamp(0.0, 1.0);
    vec![(JointId(0), 1.0 - upper), (JointId(1), upper)]
}

/// The upper half turned by `degrees` about the joint at y = 0.2.
fn bent(degrees: f32) -> Vec<Mat4> {
    let at = Vec3::Y * 0.2;
    let turn = Mat4::from_translation(at)
        * Mat4::from_rotation_x(degrees.to_radians())
        * Mat4::from_translation(-at);
    vec![Mat4::IDENTITY, turn]
}

fn worst_difference(skin: &Skin, positions: &[Vec3]) -> f32 {
    let upper = skin.column(JointId(1));
    let wanted = positions.iter().map(|p| ((p.y - 0.15) / 0.1).clamp(0.0, 1.0));
    upper.iter().zip(wanted).map(|(w, x)| (w - x).abs()).fold(0.0, f32::max)
}

#[test]
fn every_method_finds_the_weights_of_a_tube_just_outside() {
    let (body, skin) = two_joint_body();
    let cloth = tube(0.056, 0.02, 0.38, 40, 36, 1.0);
    let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
    let source = Source::new(&body.0, &body.1, &skin, 2);
    let target = BindTarget::new(&cloth.0, &topology);
    assert!(worst_difference(&nearest_surface(&source, &target).unwrap(), &cloth.0) < 0.01);
    // The nearest vertex is at most half a ring (5 mm) off: 0.05 of the blend.
    assert!(worst_difference(&nearest_vertex(&source, &target).unwrap(), &cloth.0) < 0.06);
    let found = match_surface(&source, &target, MatchSettings::for_target(&target));
    assert!(found.share() > 0.99);
    let filled = fill(&target, found, 2, 4).unwrap();
    assert!(worst_difference(&filled.skin, &cloth.0) < 0.01);
}

#[test]
fn a_hole_in_the_match_is_filled_smoothly() {
    let (body, skin) = two_joint_body();
    let cloth = tube(0.056, 0.02, 0.38, 40, 36, 1.0);
    let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
    let source = Source::new(&body.0, &body.1, &skin, 2);
    let target = BindTarget::new(&cloth.0, &topology);
    let mut found = match_surface(&source, &target, MatchSettings::for_target(&target));
    for (v, p) in cloth.0.iter().enumerate() {
        if (p.y - 0.2).abs() < 0.03 {
            found.accepted[v] = false;
            found.rows[v].clear();
        }
    }
    let filled = fill(&target, found, 2, 4).unwrap();
    assert!(filled.matched.iter().any(|m| !m));
    // The blend is linear along the tube, and a straight line has no bi-Laplacian energy.
    assert!(worst_difference(&filled.skin, &cloth.0) < 0.02);
}

#[test]
fn a_shell_nothing_matches_takes_the_closest_weights() {
    let (body, skin) = two_joint_body();
    let far = moved(sphere(0.02, 12), Vec3::new(0.3, 0.35, 0.0));
    let topology = Topology::of_welded(far.0.len(), &far.1);
    let source = Source::new(&body.0, &body.1, &skin, 2);
    let target = BindTarget::new(&far.0, &topology);
    let found = match_surface(&source, &target, MatchSettings { distance: 0.01, min_cosine: 0.9 });
    let filled = fill(&target, found, 2, 4).unwrap();
    assert_eq!(filled.unmatched_shells, far.0.len());
    assert!(filled.skin.column(JointId(1)).iter().all(|w| *w > 0.99));
}

#[test]
fn moving_body_and_cloth_together_leaves_the_weights_unchanged() {
    let (body, skin) = two_joint_body();
    let cloth = tube(0.07, 0.02, 0.38, 40, 36, 0.7);
    let turn = Quat::from_rotation_z(0.7) * Quat::from_rotation_x(-1.1);
    let carry = |s: &Shape| -> Shape {
        (s.0.iter().map(|p| turn * *p + Vec3::new(1.0, -2.0, 0.5)).collect(), s.1.clone())
    };
    let bind = |body: &Shape, cloth: &Shape| {
        let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
        let source = Source::new(&body.0, &body.1, &skin, 2);
        let target = BindTarget::new(&cloth.0, &topology);
        let found = match_surface(&source, &target, MatchSettings { distance: 0.03, min_cosine: 0.8 });
        fill(&target, found, 2, 4).unwrap().skin
    };
    let (here, there) = (bind(&body, &cloth), bind(&carry(&body), &carry(&cloth)));
    for (a, b) in here.column(JointId(1)).iter().zip(there.column(JointId(1))) {
        assert!((a - b).abs() < 2e-3, "{a} {b}");
    }
}

#[test]
fn a_stiff_plate_does_not_bend() {
    let (body, skin) = two_joint_body();
    let plate = tube(0.06, 0.12, 0.36, 30, 20, 0.4);
    let topology = Topology::of_welded(plate.0.len(), &plate.1);
    let source = Source::new(&body.0, &body.1, &skin, 2);
    let target = BindTarget::new(&plate.0, &topology);
    let (bound, shells) = bind_stiff(&source, &target, &[Some(Follow::Main)], &[0], None).unwrap();
    assert_eq!(shells[0].as_ref().unwrap().row, [(JointId(1), 1.0)], "most of it lies above the bend");
    let mut posed = vec![Vec3::ZERO; plate.0.len()];
    linear_blend(&plate.0, &bound, &bent(70.0), &mut posed);
    assert!(stiffness_error(&plate.0, &posed) < 1e-5);
}

fn pushed(outfit: &Outfit, poses: &[TrialPose], goes_on: bool) -> Option<Mended> {
    let settings = PushSettings::default();
    let trouble = trouble_in(outfit, poses, settings.measure);
    let (movable, held, at_rest) = (&[1][..], &[][..], &[][..]);
    let mending = Mending { outfit, movable, held, poses, trouble: &trouble, at_rest, shape: None, settings };
    push_out(mending, &|_| goes_on).unwrap()
}

#[test]
fn pushing_out_clears_a_bent_tube_and_leaves_the_rest_alone() {
    let (body, skin) = two_joint_body();
    // BoundMesh by nearest vertex of the wrong height: the cloth lags behind the bend.
    let cloth = tube(0.053, 0.02, 0.38, 48, 36, 1.0);
    let late: Vec<_> = cloth.0.iter().map(|p| row_at(p.y - 0.02)).collect();
    let mut o = outfit(&body, std::slice::from_ref(&cloth));
    o.layers[0].skin = skin.into();
    o.layers[1].skin = Skin::from_rows(&late, 2).unwrap().into();
    let poses: Vec<TrialPose> =
        [0.0, 35.0, -35.0].map(|d| TrialPose { matrices: bent(d), amounts: Vec::new() }).to_vec();
    let mended = pushed(&o, &poses, true).unwrap();
    let (before, after) = mended.short;
    assert!(before > 0.002 && after * 10.0 <= before, "{before} {after}");
    // The ends, far from the bend, have not moved at all.
    for (before, after) in cloth.0.iter().zip(&mended.rest[1]).filter(|(p, _)| p.y < 0.04 || p.y > 0.36) {
        assert_eq!(before, after);
    }
    assert!(pushed(&o, &poses, false).is_none(), "it can be stopped");
}

#[test]
fn the_same_bytes_on_one_thread_and_on_many() {
    let (body, skin) = two_joint_body();
    let cloth = tube(0.053, 0.02, 0.38, 48, 36, 1.0);
    let run = || {
        let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
        let source = Source::new(&body.0, &body.1, &skin, 2);
        let target = BindTarget::new(&cloth.0, &topology);
        let found = match_surface(&source, &target, MatchSettings { distance: 0.002, min_cosine: 0.99 });
        let bound = fill(&target, found, 2, 4).unwrap().skin;
        let mut o = outfit(&body, std::slice::from_ref(&cloth));
        o.layers[0].skin = skin.clone().into();
        o.layers[1].skin = bound.into();
        let poses = [TrialPose { matrices: bent(60.0), amounts: Vec::new() }];
        pushed(&o, &poses, true).unwrap().rest
    };
    let alone = rayon::ThreadPoolBuilder::new().num_threads(1).build().unwrap().install(run);
    let many = rayon::ThreadPoolBuilder::new().num_threads(4).build().unwrap().install(run);
    assert_eq!(alone, many);
}

#[test]
fn a_stiff_part_keeps_its_shape_and_stays_as_near_as_it_can() {
    // A plate over an elbow that follows three joints, of which two always move alike.
    let arm = Arm::new();
    let plate = moved(sphere(0.04, 12), Vec3::new(0.4, 0.0, 0.05)).0;
    let joint = |j: u16, w: f32| (JointId(j), w);
    let skin = Skin::uniform(plate.len(), &[joint(0, 0.5), joint(1, 0.3), joint(2, 0.2)], 3).unwrap();
    let bent = |degrees: f32| {
        let mut all = arm.bent(degrees);
        all.push(all[1]);
        all
    };
    let poses = [bent(30.0), bent(90.0), bent(-60.0)];
    let part = [(0..plate.len() as u32).collect::<Vec<_>>()];
    let worst = |skin: &Skin| {
        let in_pose = |m: &Vec<Mat4>| {
            let mut posed = plate.clone();
            linear_blend(&plate, skin, m, &mut posed);
            stiffness_error(&plate, &posed)
        };
        poses.iter().map(in_pose).fold(0.0, f32::max)
    };
    assert!(worst(&skin) > 0.005);
    let kept = keep_stiff(&plate, &skin, &part, &poses, 0.001).unwrap();
    assert!(worst(&kept.skin) <= 0.001 && worst(&kept.skin) > 0.0008, "no more than needs be");
    // The two that move alike stay together: leaving one of them out would gain nothing.
    let row: Vec<_> = kept.skin.row(0).collect();
    let of = |j: u16| row.iter().find(|e| e.0 == JointId(j)).map_or(0.0, |e| e.1);
    assert!(of(0) > 0.9 || of(1) + of(2) > 0.9, "{row:?}");
    // What keeps its shape already is left to the bit.
    let single = Skin::uniform(plate.len(), &[joint(1, 1.0)], 3).unwrap();
    assert_eq!(keep_stiff(&plate, &single, &part, &poses, 0.001).unwrap().skin, single);
}
