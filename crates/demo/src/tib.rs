//! Tib, the second lamplighter: short and stout, of another mesh, with more joints under other names, arms held out.

use crate::body::{self, smooth};
use crate::figure::{self as f, body as wick};
use crate::finer;
use crate::hand::{in_model, FINGERS};
use crate::remesh::{mesh_of, relax, symmetrise, Shape3};
use crate::skeleton::{BodyJoints, Builder};
use glam::{Quat, Vec3};
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::mesh::{Mesh, Topology};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_core::JointId;

/// What Wick's proportions are multiplied by.
const SIZE: Vec3 = Vec3::new(0.97, 0.9, 1.04);
/// So far below the horizontal the arms are held, radians.
const ARMS: f32 = std::f32::consts::FRAC_PI_6;
/// Edges of the mesh are about so long, metres: Wick's are shorter.
const CELL: f32 = 0.0163;

/// Mesh, joints and weights at rest.
pub(crate) struct Tib {
    pub shape: Shape3,
    pub skeleton: Skeleton,
    pub skin: Skin,
}

/// Tib as a rig hands them over.
///
/// # Errors
/// When a vertex comes out without weight.
pub(crate) fn tib() -> Result<Tib, SkinError> {
    let as_wick = stout_wick();
    let of =
        |positions: Vec<Vec3>| Mesh { positions, triangles: as_wick.triangles.clone(), ..Mesh::default() };
    let mesh = of(as_wick.positions.clone());
    let joints = BodyJoints::new();
    let plain = body::weights(&mesh, &Topology::new(&mesh), &joints);
    let places = rigged(&|p| p * SIZE);
    let rows: Vec<Vec<(JointId, f32)>> = (0..plain.vertices())
        .map(|v| more_joints(&plain, v, as_wick.positions[v], &joints, &places))
        .collect();
    let skin = Skin::from_rows(&rows, places.len())?.limit(4);
    let sized: Vec<Vec3> = as_wick.positions.iter().map(|p| *p * SIZE).collect();
    let pose = arms_out(&places);
    let mut positions = sized.clone();
    linear_blend(&sized, &skin, &places.skin_matrices(&pose), &mut positions);
    let world = places.world(&pose);
    let skeleton = rebuilt(&places, &|j| world[j].w_axis.truncate());
    Ok(Tib { shape: Shape3 { positions, triangles: as_wick.triangles }, skeleton, skin })
}

/// Wick with more on the belly, seat and limbs, as tall as he is.
fn stout_wick() -> Shape3 {
    let solid = |p: Vec3| wick(p) - fullness(p);
    let drawn_out = |u: Vec3| solid(finer::in_model(u));
    let (low, high) = (Vec3::new(-0.94, -0.037, -0.315), Vec3::new(0.94, 1.96, 0.40));
    let mut shape = mesh_of(&drawn_out, low, high, CELL);
    shape.positions.iter_mut().for_each(|p| *p = finer::in_model(*p));
    let on_plane: Vec<bool> = shape.positions.iter().map(|p| p.x == 0.0).collect();
    let hold = |v: usize, p: Vec3| if on_plane[v] { Vec3::new(0.0, p.y, p.z) } else { p };
    relax(&mut shape, &solid, &|_| 0.0, 12, 1, &hold);
    symmetrise(&mut shape.positions);
    shape
}

fn fullness(p: Vec3) -> f32 {
    let near = |at: f32, over: f32| smooth(over, 0.0, (p.y - at).abs());
    let trunk = smooth(0.32, 0.2, p.x.abs());
    let belly = near(1.07, 0.2) * smooth(-0.04, 0.07, p.z) * 0.042;
    let seat = near(0.92, 0.22) * 0.020;
    let chest = near(1.22, 0.3) * 0.012;
    let thigh = near(0.74, 0.32) * 0.012;
    trunk * (belly + seat + chest + thigh) + near(1.15, 0.5) * (1.0 - trunk) * 0.004
}

/// The joints with Wick's places taken `to` another figure.
fn rigged(to: &dyn Fn(Vec3) -> Vec3) -> Skeleton {
    let mut b = Builder::default();
    let mut add = |name: String, parent: Option<JointId>, p: Vec3| b.add(&name, parent, to(p));
    let ground = add("Ground".into(), None, Vec3::ZERO);
    let pelvis = add("Pelvis".into(), Some(ground), f::HIPS);
    let mut back = pelvis;
    let backs = [f::SPINE_1, f::SPINE_2, f::SPINE_2.lerp(f::SPINE_3, 0.55), f::SPINE_3 + Vec3::Y * 0.03];
    for (n, at) in backs.into_iter().enumerate() {
        back = add(format!("Back{}", n + 1), Some(back), at);
        if n == 0 {
            add("Belly".into(), Some(back), f::SPINE_1 + Vec3::new(0.0, 0.04, 0.08));
        }
    }
    let neck = add("Neck1".into(), Some(back), f::NECK);
    let neck = add("Neck2".into(), Some(neck), f::NECK.lerp(f::HEAD, 0.5));
    let skull = add("Skull".into(), Some(neck), f::HEAD);
    add("Jaw".into(), Some(skull), f::HEAD + Vec3::new(0.0, 0.02, 0.03));
    for (letter, sign) in [("L", 1.0), ("R", -1.0)] {
        let mut add = |part: &str, number: &str, parent, p: Vec3| {
            add(format!("{part}{letter}{number}"), Some(parent), Vec3::new(p.x * sign, p.y, p.z))
        };
        add("Eye", "", skull, f::HEAD + Vec3::new(0.032, 0.10, 0.08));
        let collar = add("Collar", "", back, f::SHOULDER);
        let arm = add("Arm", "", collar, f::UPPER_ARM);
        add("Arm", "Roll1", arm, f::UPPER_ARM.lerp(f::LOWER_ARM, 0.4));
        add("Arm", "Roll2", arm, f::UPPER_ARM.lerp(f::LOWER_ARM, 0.75));
        let elbow = add("Elbow", "", arm, f::LOWER_ARM);
        add("Elbow", "Roll1", elbow, f::LOWER_ARM.lerp(f::HAND, 0.4));
        add("Elbow", "Roll2", elbow, f::LOWER_ARM.lerp(f::HAND, 0.75));
        let wrist = add("Wrist", "", elbow, f::HAND);
        for finger in FINGERS.iter() {
            let mut parent = wrist;
            for (i, at) in finger.joints[..3].iter().enumerate() {
                parent = add(finger.name, &(i + 1).to_string(), parent, in_model(*at));
            }
        }
        let thigh = add("Thigh", "", pelvis, f::UPPER_LEG);
        add("Thigh", "Roll1", thigh, f::UPPER_LEG.lerp(f::LOWER_LEG, 0.4));
        add("Thigh", "Roll2", thigh, f::UPPER_LEG.lerp(f::LOWER_LEG, 0.75));
        let knee = add("Knee", "", thigh, f::LOWER_LEG);
        add("Knee", "Roll1", knee, f::LOWER_LEG.lerp(f::FOOT, 0.5));
        let ankle = add("Ankle", "", knee, f::FOOT);
        add("Heel", "", ankle, f::FOOT + Vec3::new(0.0, -0.05, -0.03));
        add("Toes", "", ankle, f::TOE);
    }
    b.build()
}

/// The same joints elsewhere, axes along the model's.
fn rebuilt(skeleton: &Skeleton, at: &dyn Fn(usize) -> Vec3) -> Skeleton {
    let mut b = Builder::default();
    for (j, name) in skeleton.names.iter().enumerate() {
        b.add(name, skeleton.parents[j], at(j));
    }
    b.build()
}

/// The arms from where Wick holds them up to where Tib does.
fn arms_out(skeleton: &Skeleton) -> Pose {
    let mut pose = Pose::rest(skeleton.len());
    let places = skeleton.rest_positions();
    for (letter, sign) in [("L", 1.0), ("R", -1.0)] {
        let find = |name: &str| skeleton.find(&format!("{name}{letter}"));
        let Some((arm, elbow)) = find("Arm").zip(find("Elbow")) else { continue };
        let way = places[elbow.index()] - places[arm.index()];
        let below = (-way.y).atan2(way.x * sign);
        pose.rotations[arm.index()] = Quat::from_rotation_z((below - ARMS) * sign);
    }
    pose
}

/// What moves a vertex of Wick's, on Tib's joints.
fn more_joints(
    plain: &Skin,
    vertex: usize,
    p: Vec3,
    joints: &BodyJoints,
    other: &Skeleton,
) -> Vec<(JointId, f32)> {
    let mut row: Vec<(JointId, f32)> = Vec::new();
    for (joint, weight) in plain.row(vertex) {
        for (name, share) in shared(&joints.skeleton.names[joint.index()], p) {
            let of = other.find(&name).unwrap_or(JointId(0));
            row.push((of, weight * share));
        }
    }
    row
}

fn along(q: Vec3, a: Vec3, b: Vec3) -> f32 {
    (q - a).dot(b - a) / (b - a).length_squared()
}

/// One joint of Wick's as Tib's, by where a vertex of Wick's lies.
fn shared(joint: &str, p: Vec3) -> Vec<(String, f32)> {
    let q = Vec3::new(p.x.abs(), p.y, p.z);
    let (part, letter) = match joint {
        j if j.contains("_left") => (j.replacen("_left", "", 1), "L"),
        j if j.contains("_right") => (j.replacen("_right", "", 1), "R"),
        j => (j.to_owned(), ""),
    };
    let two = |first: &str, second: &str, share: f32| {
        vec![(first.to_owned(), 1.0 - share), (second.to_owned(), share)]
    };
    let on = |name: &str, number: &str| format!("{name}{letter}{number}");
    let rolls = |name: &str, a: Vec3, b: Vec3| {
        two(&on(name, "Roll1"), &on(name, "Roll2"), smooth(0.5, 0.85, along(q, a, b)))
    };
    match part.as_str() {
        "hips" => vec![("Pelvis".to_owned(), 1.0)],
        "spine_1" => two("Back1", "Belly", smooth(0.03, 0.1, p.z) * 0.4),
        "spine_2" => two("Back2", "Back3", smooth(1.14, 1.24, p.y)),
        "spine_3" => vec![("Back4".to_owned(), 1.0)],
        "neck" => two("Neck1", "Neck2", smooth(1.45, 1.51, p.y)),
        "head" => two("Skull", "Jaw", smooth(1.57, 1.52, p.y) * smooth(0.0, 0.05, p.z) * 0.5),
        "shoulder" => vec![(on("Collar", ""), 1.0)],
        "upper_arm" => vec![(on("Arm", ""), 1.0)],
        "upper_arm_twist" => rolls("Arm", f::UPPER_ARM, f::LOWER_ARM),
        "lower_arm" => vec![(on("Elbow", ""), 1.0)],
        "lower_arm_twist" => rolls("Elbow", f::LOWER_ARM, f::HAND),
        "hand" => vec![(on("Wrist", ""), 1.0)],
        "upper_leg" => vec![(on("Thigh", ""), 1.0)],
        "upper_leg_twist" => rolls("Thigh", f::UPPER_LEG, f::LOWER_LEG),
        "lower_leg" => {
            let share = smooth(0.3, 0.8, along(q, f::LOWER_LEG, f::FOOT)) * 0.7;
            two(&on("Knee", ""), &on("Knee", "Roll1"), share)
        }
        "knee_pole" => vec![(on("Knee", ""), 1.0)],
        "foot" => two(&on("Ankle", ""), &on("Heel", ""), smooth(-0.02, -0.07, p.z) * 0.4),
        "toe" => vec![(on("Toes", ""), 1.0)],
        "root" => vec![("Ground".to_owned(), 1.0)],
        finger => {
            // “index_2” of the left is “indexL2”.
            let (name, number) = finger.rsplit_once('_').unwrap_or((finger, ""));
            vec![(on(name, number), 1.0)]
        }
    }
}
