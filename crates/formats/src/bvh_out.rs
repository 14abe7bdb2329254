//! BVH out: a skeleton and a motion of it.
//!
//! The format (Biovision, 1990s; from memory) has no turn at rest: every joint is turned as far as it is from rest in
//! model space, and offsets are those of rest there. Joints that are shifted in the motion have their place as
//! channels.

use crate::frame::Frame;
use glam::{EulerRot, Mat4, Quat, Vec3};
use std::fmt::Write;
use tin_cloak_core::skeleton::{Pose, Skeleton};

/// A joint that is shifted by less than this stays where its parent carries it, metres.
const STILL: f32 = 1e-4;

/// The text of the file in that frame; a pose for each frame of the motion, `step` seconds apart.
pub fn write_bvh(skeleton: &Skeleton, poses: &[Pose], step: f32, frame: Frame) -> String {
    let (scale, turned) = (frame.scale(), Mat4::from_quat(frame.turn()));
    let world = |pose: &Pose| skeleton.world(pose).iter().map(|w| turned * *w).collect::<Vec<Mat4>>();
    let rest = world(&Pose::rest(skeleton.len()));
    let frames: Vec<Vec<Placed>> = poses.iter().map(|pose| placed(skeleton, &rest, &world(pose))).collect();
    let offset = |j: usize| match skeleton.parents[j] {
        Some(p) => at(&rest[j]) - at(&rest[p.index()]),
        None => at(&rest[j]),
    };
    let shifted = |j: usize| {
        skeleton.parents[j].is_none() || frames.iter().any(|f| f[j].place.distance(offset(j)) > STILL)
    };
    let mut bvh = BvhWriter { skeleton, scale, text: String::from("HIERARCHY\n"), order: Vec::new() };
    let children = skeleton.children();
    for root in (0..skeleton.len()).filter(|j| skeleton.parents[*j].is_none()) {
        bvh.joint(root, 0, (&children, &offset, &shifted));
    }
    let BvhWriter { mut text, order, .. } = bvh;
    // Writing to a string does not fail.
    let _ = writeln!(text, "MOTION\nFrames: {}\nFrame Time: {step}", poses.len());
    for frame in &frames {
        let mut line = String::new();
        for &j in &order {
            let Placed { place, turn } = frame[j];
            if shifted(j) {
                let place = place * scale;
                let _ = write!(line, "{} {} {} ", place.x, place.y, place.z);
            }
            let (z, x, y) = turn.to_euler(EulerRot::ZXY);
            let _ = write!(line, "{} {} {} ", z.to_degrees(), x.to_degrees(), y.to_degrees());
        }
        let _ = writeln!(text, "{}", line.trim_end());
    }
    text
}

/// A joint in the frame that its parent has in such a file.
#[derive(Clone, Copy)]
struct Placed {
    place: Vec3,
    turn: Quat,
}

fn at(world: &Mat4) -> Vec3 {
    world.w_axis.truncate()
}

fn placed(skeleton: &Skeleton, rest: &[Mat4], world: &[Mat4]) -> Vec<Placed> {
    let turn = |m: &Mat4| m.to_scale_rotation_translation().1;
    let from_rest: Vec<Quat> = world.iter().zip(rest).map(|(w, r)| turn(w) * turn(r).inverse()).collect();
    let one = |j: usize| match skeleton.parents[j] {
        None => Placed { place: at(&world[j]), turn: from_rest[j] },
        Some(p) => {
            let back = from_rest[p.index()].inverse();
            Placed { place: back * (at(&world[j]) - at(&world[p.index()])), turn: back * from_rest[j] }
        }
    };
    (0..skeleton.len()).map(one).collect()
}

struct BvhWriter<'a> {
    skeleton: &'a Skeleton,
    /// Units a metre.
    scale: f32,
    text: String,
    /// Joints in the order in which they stand.
    order: Vec<usize>,
}

/// Children of each joint, where it is from its parent, and whether it is shifted.
type Known<'a> = (&'a [Vec<tin_cloak_core::JointId>], &'a dyn Fn(usize) -> Vec3, &'a dyn Fn(usize) -> bool);

impl BvhWriter<'_> {
    fn line(&mut self, depth: usize, text: &str) {
        let _ = writeln!(self.text, "{}{text}", "  ".repeat(depth));
    }

    fn joint(&mut self, j: usize, depth: usize, known: Known) {
        let (children, offset, shifted) = known;
        let kind = if depth == 0 { "ROOT" } else { "JOINT" };
        let spaced = |c: char| if c.is_whitespace() { '_' } else { c };
        let name: String = self.skeleton.names[j].chars().map(spaced).collect();
        self.line(depth, &format!("{kind} {name}\n{}{{", "  ".repeat(depth)));
        self.order.push(j);
        let Vec3 { x, y, z } = offset(j) * self.scale;
        self.line(depth + 1, &format!("OFFSET {x} {y} {z}"));
        let turns = "Zrotation Xrotation Yrotation";
        match shifted(j) {
            true => self.line(depth + 1, &format!("CHANNELS 6 Xposition Yposition Zposition {turns}")),
            false => self.line(depth + 1, &format!("CHANNELS 3 {turns}")),
        }
        for child in &children[j] {
            self.joint(child.index(), depth + 1, known);
        }
        if children[j].is_empty() {
            let inner = "  ".repeat(depth + 1);
            self.line(depth + 1, &format!("End Site\n{inner}{{\n{inner}  OFFSET 0 0 0\n{inner}}}"));
        }
        self.line(depth, "}");
    }
}
