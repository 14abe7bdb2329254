//! Wick's skeleton.

use crate::figure as f;
use crate::hand::{in_model, FINGERS};
use glam::Vec3;
use tin_cloak_core::skeleton::{LocalTransform, Skeleton};
use tin_cloak_core::JointId;

/// A side of the body.
#[derive(Clone, Copy, PartialEq)]
pub(crate) enum BodySide {
    Left,
    Right,
}

/// The skeleton with look-up by name.
pub(crate) struct BodyJoints {
    pub skeleton: Skeleton,
}

impl BodyJoints {
    pub fn id(&self, name: &str) -> JointId {
        self.skeleton.find(name).unwrap_or(JointId(0))
    }

    pub fn on(&self, side: BodySide, name: &str) -> JointId {
        let side = if side == BodySide::Left { "left" } else { "right" };
        self.id(&format!("{name}_{side}"))
    }

    /// All joints at rest with axes along the model's: twist joints half-way down upper arms,
    /// forearms and thighs, and two control joints beside the knees that must carry no weight.
    pub fn new() -> Self {
        let mut b = Builder::default();
        let root = b.add("root", None, Vec3::ZERO);
        let hips = b.add("hips", Some(root), f::HIPS);
        let s1 = b.add("spine_1", Some(hips), f::SPINE_1);
        let s2 = b.add("spine_2", Some(s1), f::SPINE_2);
        let s3 = b.add("spine_3", Some(s2), f::SPINE_3);
        let neck = b.add("neck", Some(s3), f::NECK);
        b.add("head", Some(neck), f::HEAD);
        for (name, sign) in [("left", 1.0), ("right", -1.0)] {
            let at = |p: Vec3| Vec3::new(p.x * sign, p.y, p.z);
            let mut add = |part: &str, parent, p| b.add(&format!("{part}_{name}"), Some(parent), at(p));
            let shoulder = add("shoulder", s3, f::SHOULDER);
            let upper = add("upper_arm", shoulder, f::UPPER_ARM);
            add("upper_arm_twist", upper, f::UPPER_ARM.lerp(f::LOWER_ARM, 0.5));
            let lower = add("lower_arm", upper, f::LOWER_ARM);
            add("lower_arm_twist", lower, f::LOWER_ARM.lerp(f::HAND, 0.5));
            let hand = add("hand", lower, f::HAND);
            for finger in FINGERS.iter() {
                let mut parent = hand;
                for (i, at) in finger.joints[..3].iter().enumerate() {
                    parent = add(&format!("{}_{}", finger.name, i + 1), parent, in_model(*at));
                }
            }
            let thigh = add("upper_leg", hips, f::UPPER_LEG);
            add("upper_leg_twist", thigh, f::UPPER_LEG.lerp(f::LOWER_LEG, 0.5));
            let shin = add("lower_leg", thigh, f::LOWER_LEG);
            let foot = add("foot", shin, f::FOOT);
            add("toe", foot, f::TOE);
            add("knee_pole", root, f::LOWER_LEG + Vec3::new(0.0, 0.0, 0.4));
        }
        Self { skeleton: b.build() }
    }
}

/// Joints by their places, axes along the model's; parents before their children.
#[derive(Default)]
pub(crate) struct Builder {
    names: Vec<String>,
    parents: Vec<Option<JointId>>,
    places: Vec<Vec3>,
}

impl Builder {
    pub fn add(&mut self, name: &str, parent: Option<JointId>, place: Vec3) -> JointId {
        self.names.push(name.to_owned());
        self.parents.push(parent);
        self.places.push(place);
        JointId(self.names.len() as u16 - 1)
    }

    pub fn build(self) -> Skeleton {
        let rest = (0..self.names.len())
            .map(|j| {
                let above = self.parents[j].map_or(Vec3::ZERO, |p| self.places[p.index()]);
                LocalTransform { translation: self.places[j] - above, ..LocalTransform::IDENTITY }
            })
            .collect();
        // Parents are added before their children, so the order holds.
        Skeleton::at_rest(self.names, self.parents, rest).unwrap_or_else(|e| unreachable!("{e}"))
    }
}
