//! Volume that turns lose: where a joint twists, a wrist bends or an elbow or knee bends deeply, a linear blend draws
//! in what lies between two joints; a blend of dual quaternions (Kavan, Collins, Žára & O'Sullivan, “Skinning with Dual
//! Quaternions”, I3D 2007) does not. What lies between the two, carried back to rest through each vertex's own blend,
//! is a shape that the turn calls up.

use super::correctives::{groups_of_turns, turns_of};
use crate::clearance::Layer;
use crate::deform::{blended_matrix, dual_quaternion_blend, linear_blend, Driver};
use crate::driver::turn_about;
use crate::skeleton::{Pose, Skeleton};
use crate::trial::{Humanoid, Limbs};
use crate::JointId;
use glam::{Mat3, Quat, Vec3};
use std::collections::BTreeMap;

/// A turn, and what gives back what it loses.
#[derive(Clone, Debug, PartialEq)]
pub struct LostVolume {
    /// The joint, its axis, and the turns at which the shape begins and is whole.
    pub driver: Driver,
    /// How much the worst vertex is drawn in there, metres.
    pub most: f32,
    /// What it draws in of each layer.
    pub layers: Vec<LostIn>,
}

/// What a turn draws in of a layer.
#[derive(Clone, Debug, PartialEq)]
pub struct LostIn {
    /// The layer by its index.
    pub layer: usize,
    /// What gives it back: an offset for each of its vertices.
    pub offsets: Vec<Vec3>,
    /// What the surface encloses less, cubic metres.
    pub volume: f32,
}

/// A shape begins at this share of the widest turn. Half-way between two joints a turn t wants 1 / cos(t / 2) − 1 of
/// the distance from the bone: of a quarter turn half the turn wants 0.20 of it all, and a shape that begins here has
/// 0.14. Shapes against what is through begin sooner ([`super::bad_turns`]): by this they are told apart.
const BEGINS: f32 = 0.42;
/// A vertex that is drawn in by less is left alone, metres.
const LEAST: f32 = 2e-4;
/// A bend of an elbow or knee by less is no deep one, radians.
const DEEP: f32 = 1.2;
/// Of a blend that has fallen together so little is left to carry anything back through: its determinant.
const FLAT: f32 = 0.05;

/// True when a shape that `driver` calls up gives back what a turn about the axis of `turn` loses.
pub fn gives_back(driver: &Driver, turn: &Driver) -> bool {
    let begins = driver.from / driver.full;
    driver.joint == turn.joint && driver.axis.dot(turn.axis) > 0.99 && (begins - BEGINS).abs() < 1e-3
}

/// What the widest twists of joints about their bones, the widest turns of wrists and the deepest bends of elbows and
/// knees lose in `poses`, the worst first; turns that lose less than `least` metres are left out.
///
/// ```
/// use tin_cloak_core::glam::Quat;
/// use tin_cloak_core::shapes::{outfit, Arm};
/// use tin_cloak_core::{mend::lost_volume, skeleton::Pose};
///
/// let arm = Arm::new();
/// let mut layer = outfit(&arm.surface, &[]).layers.remove(0);
/// layer.skin = arm.skin.clone().into();
/// let mut pose = Pose::rest(2);
/// pose.rotations[0] = Quat::from_rotation_y(1.5);
/// // Nothing lies between the shoulder and something above it; the elbow is not turned.
/// assert!(lost_volume(&[layer], &arm.skeleton, &[pose], 0.001).is_empty());
/// ```
pub fn lost_volume(layers: &[Layer], skeleton: &Skeleton, poses: &[Pose], least: f32) -> Vec<LostVolume> {
    let lost = widest(skeleton, poses).into_iter().map(|driver| lost_by(driver, layers, skeleton));
    let mut lost: Vec<LostVolume> = lost.filter(|l| l.most >= least).collect();
    lost.sort_by(|a, b| b.most.total_cmp(&a.most).then(a.driver.joint.cmp(&b.driver.joint)));
    lost
}

/// The widest twist of each joint about its bone each way, the widest turns of hands about like axes, and the deepest
/// bends of elbows and knees.
fn widest(skeleton: &Skeleton, poses: &[Pose]) -> Vec<Driver> {
    let person = Humanoid::find(skeleton);
    let of_both = |joints: fn(&Limbs) -> [Option<JointId>; 2]| -> Vec<JointId> {
        [&person.left, &person.right].into_iter().flat_map(joints).flatten().collect()
    };
    let hands = of_both(|l| [l.hand, None]);
    let hinges = of_both(|l| [l.lower_arm, l.lower_leg]);
    let bones = bones(skeleton);
    let mut turns: BTreeMap<JointId, Vec<Vec3>> = BTreeMap::new();
    for (joint, turn) in poses.iter().flat_map(turns_of) {
        let bone = bones[joint.index()];
        let is_bent = hinges.contains(&joint) && turn.length() >= DEEP;
        let own = match is_bent || hands.contains(&joint) {
            true => Some(turn),
            false => bone.map(|axis| axis * turn_about(Quat::from_scaled_axis(turn), axis)),
        };
        turns.entry(joint).or_default().extend(own.filter(|t| t.length() > 0.0));
    }
    let of_joint = |(joint, list): (JointId, Vec<Vec3>)| {
        let driver = move |(axis, turns): (Vec3, Vec<Vec3>)| {
            let full = turns.iter().map(|t| t.dot(axis)).fold(0.0, f32::max);
            Driver { joint, axis, from: BEGINS * full, full }
        };
        groups_of_turns(list, |t| *t).into_iter().map(driver).collect::<Vec<_>>()
    };
    turns.into_iter().flat_map(of_joint).collect()
}

/// Which way the bone of each joint points, in the joint's own frame at rest: to what hangs from it, where that lies
/// one way.
fn bones(skeleton: &Skeleton) -> Vec<Option<Vec3>> {
    let children = skeleton.children();
    let way = |list: &Vec<JointId>| {
        let ends: Vec<Vec3> = list.iter().map(|c| skeleton.rest[c.index()].translation).collect();
        let (sum, reach) = (ends.iter().sum::<Vec3>(), ends.iter().map(|e| e.length()).sum::<f32>());
        sum.try_normalize().filter(|_| sum.length() > 0.8 * reach)
    };
    children.iter().map(way).collect()
}

/// What a turn loses by itself.
fn lost_by(driver: Driver, layers: &[Layer], skeleton: &Skeleton) -> LostVolume {
    let mut pose = Pose::rest(skeleton.len());
    pose.rotations[driver.joint.index()] = Quat::from_axis_angle(driver.axis, driver.full);
    let matrices = skeleton.skin_matrices(&pose);
    let mut lost = LostVolume { driver, most: 0.0, layers: Vec::new() };
    for (index, layer) in layers.iter().enumerate() {
        let (rest, skin) = (&layer.rest, &layer.skin);
        let (mut linear, mut dual) = (vec![Vec3::ZERO; rest.len()], vec![Vec3::ZERO; rest.len()]);
        linear_blend(rest, skin, &matrices, &mut linear);
        dual_quaternion_blend(rest, skin, &matrices, &mut dual);
        let back = |v: usize| {
            let drawn = dual[v] - linear[v];
            let blend = Mat3::from_mat4(blended_matrix(skin, v, &matrices));
            if drawn.length() < LEAST || blend.determinant() < FLAT {
                return (0.0, Vec3::ZERO);
            }
            (drawn.length(), blend.inverse() * drawn)
        };
        let all: Vec<(f32, Vec3)> = (0..rest.len()).map(back).collect();
        let most = all.iter().map(|a| a.0).fold(0.0, f32::max);
        if most > 0.0 {
            lost.most = lost.most.max(most);
            let offsets = all.into_iter().map(|a| a.1).collect();
            let volume = enclosed(layer, &dual) - enclosed(layer, &linear);
            lost.layers.push(LostIn { layer: index, offsets, volume });
        }
    }
    lost
}

/// What a surface encloses, cubic metres; of an open one only differences mean anything, where its edge stays.
fn enclosed(layer: &Layer, places: &[Vec3]) -> f32 {
    let of = |t: &[u32; 3]| {
        let [a, b, c] = t.map(|v| places[v as usize].as_dvec3());
        a.dot(b.cross(c)) / 6.0
    };
    layer.topology.triangles.iter().map(of).sum::<f64>() as f32
}
