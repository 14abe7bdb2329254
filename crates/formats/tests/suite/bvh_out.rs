//! Tests of `bvh_out.rs`.

use tin_cloak_core::glam::{EulerRot, Mat4, Quat, Vec3};
use tin_cloak_core::intake::Up;
use tin_cloak_core::shapes::Arm;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_formats::*;

fn place(world: &Mat4) -> Vec3 {
    world.w_axis.truncate()
}

#[test]
fn a_motion_that_is_written_is_read_again() {
    let mut skeleton = Arm::new().skeleton;
    // An elbow that is turned at rest.
    skeleton.rest[1].rotation = Quat::from_rotation_z(0.7);
    let bent = |turn: f32, shift: f32| {
        let mut pose = Pose::rest(2);
        pose.rotations = vec![Quat::from_rotation_y(turn), Quat::from_euler(EulerRot::XYZ, turn, 0.4, 0.2)];
        pose.translations = vec![Vec3::new(0.0, shift, 0.0), Vec3::new(0.0, 0.0, shift)];
        pose
    };
    let poses = [bent(0.0, 0.0), bent(0.8, 0.1), bent(-1.1, 0.05)];
    let text = write_bvh(&skeleton, &poses, 0.5, Frame { unit: Unit::Centimetre, up: Up::Y });
    insta::assert_snapshot!(text);
    // Taller than 20, so that it is read in centimetres.
    let again = read("arm.bvh", text.as_bytes(), &Companions::new()).unwrap();
    let theirs = again.skeleton.unwrap();
    assert_eq!(theirs.names, skeleton.names);
    for (n, pose) in poses.iter().enumerate() {
        let (ours, there) =
            (skeleton.world(pose), theirs.world(&again.clips[0].sample(&theirs, n as f32 * 0.5)));
        for (a, b) in ours.iter().zip(&there) {
            assert!(place(a).distance(place(b)) < 1e-5, "frame {n}: {} {}", place(a), place(b));
        }
        // As far turned from rest.
        let turned = |s: &Skeleton, w: &[Mat4]| {
            let rest = s.world(&Pose::rest(2))[1].to_scale_rotation_translation().1;
            w[1].to_scale_rotation_translation().1 * rest.inverse()
        };
        assert!(turned(&skeleton, &ours).angle_between(turned(&theirs, &there)) < 1e-3, "frame {n}");
    }
}
