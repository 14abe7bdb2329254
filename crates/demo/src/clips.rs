//! Wick's motions: *night round*, a walk, and *light the lamp*, the pole arm raised.

use std::f32::consts::TAU;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::trial::{Clip, Humanoid, Interpolation, PoseBuilder, SideOfBody, Track, TrackValues};
use tin_cloak_core::JointId;

/// Both clips.
pub(crate) fn clips(skeleton: &Skeleton) -> Vec<Clip> {
    vec![
        keyed(skeleton, "night round", 24, 1.1, walk),
        keyed(skeleton, "light the lamp", 16, 2.0, light_the_lamp),
    ]
}

/// One full stride over `t` from 0 to 1.
fn walk(b: &mut PoseBuilder, t: f32) {
    let phase = t * TAU;
    for (side, offset) in [(SideOfBody::Left, 0.0), (SideOfBody::Right, TAU / 2.0)] {
        let limbs = *b.person.side(side);
        let swing = (phase + offset).sin();
        // The knee gives when the leg swings through from behind.
        let give = (phase + offset - 0.9).cos().max(0.0);
        bend(b, limbs.upper_leg, -(26.0 * swing + 6.0 * give + 2.0));
        bend(b, limbs.lower_leg, 8.0 + 48.0 * give);
        bend(b, limbs.foot, -10.0 * swing);
        hang(b, side);
        bend(b, limbs.upper_arm, 24.0 * swing);
        bend(b, limbs.lower_arm, -18.0 + 10.0 * swing);
    }
    let turn = phase.sin() * 7.0;
    for j in b.person.spine.clone() {
        b.twist(j, -turn / 3.0);
    }
}

fn light_the_lamp(b: &mut PoseBuilder, t: f32) {
    let raise = (t * TAU / 2.0).sin();
    hang(b, SideOfBody::Right);
    let limbs = *b.person.side(SideOfBody::Left);
    if let (Some(upper), Some(lower)) = (limbs.upper_arm, limbs.lower_arm) {
        let rest = b.rest_direction(upper, lower);
        let up = b.person.up + b.person.forward * 0.45 + b.person.leftward() * 0.1;
        if let Some(shoulder) = limbs.shoulder {
            b.lean(shoulder, 24.0 * raise);
        }
        b.aim(upper, lower, rest.lerp(up.normalize(), raise));
    }
    bend(b, b.person.head, -22.0 * raise);
    for j in b.person.spine.clone() {
        b.bend(j, -4.0 * raise);
        b.lean(j, 3.0 * raise);
    }
}

/// The arm at the side.
fn hang(b: &mut PoseBuilder, side: SideOfBody) {
    let limbs = *b.person.side(side);
    if let (Some(upper), Some(lower)) = (limbs.upper_arm, limbs.lower_arm) {
        let out = if side == SideOfBody::Left { b.person.leftward() } else { -b.person.leftward() };
        b.aim(upper, lower, -b.person.up + out * 0.36);
    }
}

fn bend(b: &mut PoseBuilder, joint: Option<JointId>, degrees: f32) {
    if let Some(joint) = joint {
        b.bend(joint, degrees);
    }
}

fn keyed(
    skeleton: &Skeleton,
    name: &str,
    keys: usize,
    seconds: f32,
    pose: fn(&mut PoseBuilder, f32),
) -> Clip {
    let person = Humanoid::find(skeleton);
    let rest = skeleton.world(&Pose::rest(skeleton.len()));
    let times: Vec<f32> = (0..=keys).map(|k| seconds * k as f32 / keys as f32).collect();
    let poses: Vec<Pose> = (0..=keys)
        .map(|k| {
            let mut builder = PoseBuilder::new(skeleton, &person, &rest);
            pose(&mut builder, k as f32 / keys as f32);
            builder.pose
        })
        .collect();
    let moved = (0..skeleton.len()).filter(|&j| poses.iter().any(|p| p.rotations[j].w.abs() < 0.999_999));
    let tracks = moved
        .map(|j| Track {
            joint: JointId(j as u16),
            times: times.clone(),
            values: TrackValues::Rotation(
                poses.iter().map(|p| (skeleton.rest[j].rotation * p.rotations[j]).normalize()).collect(),
            ),
            interpolation: Interpolation::Linear,
        })
        .collect();
    Clip { name: name.to_owned(), tracks, ..Clip::default() }
}
