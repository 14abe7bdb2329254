//! Places on a person, in words.

use super::humanoid::{Humanoid, Limbs};
use crate::JointId;
use glam::Vec3;

/// A stretch of the body from one joint to another, and what its ends and its middle are called.
type Stretch = (Option<JointId>, Option<JointId>, [&'static str; 3]);

impl Humanoid {
    /// What people call the part of the body nearest to a place, as `left elbow`; `joints` are where the
    /// joints are, metres. None where nothing of a person is known.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, shapes::Arm, trial::Humanoid};
    ///
    /// assert_eq!(Humanoid::find(&Arm::new().skeleton).part_near(Vec3::ZERO, &[Vec3::ZERO, Vec3::Y]), None);
    /// ```
    pub fn part_near(&self, at: Vec3, joints: &[Vec3]) -> Option<String> {
        let mut nearest: Option<(f32, String)> = None;
        for (side, stretches) in self.stretches() {
            for (from, to, words) in stretches {
                let Some((a, b)) = from.zip(to).map(|(a, b)| (joints[a.index()], joints[b.index()])) else {
                    continue;
                };
                let along = (b - a).length_squared().max(1e-12);
                let share = ((at - a).dot(b - a) / along).clamp(0.0, 1.0);
                let distance = a.lerp(b, share).distance(at);
                if nearest.as_ref().is_none_or(|n| distance < n.0) {
                    let word = words[usize::from(share > NEAR) + usize::from(share > 1.0 - NEAR)];
                    nearest = Some((distance, format!("{side}{word}")));
                }
            }
        }
        nearest.map(|n| n.1)
    }

    fn stretches(&self) -> Vec<(&'static str, Vec<Stretch>)> {
        let limbs = |l: &Limbs| -> Vec<Stretch> {
            vec![
                (l.upper_arm, l.lower_arm, ["shoulder", "upper arm", "elbow"]),
                (l.lower_arm, l.hand, ["elbow", "forearm", "wrist"]),
                (l.hand, l.finger, ["wrist", "hand", "fingers"]),
                (l.upper_leg, l.lower_leg, ["hip", "thigh", "knee"]),
                (l.lower_leg, l.foot, ["knee", "shin", "ankle"]),
                (l.foot, l.toe, ["ankle", "foot", "toes"]),
            ]
        };
        let (first, last) = (self.spine.first().copied(), self.spine.last().copied());
        let neck = self.neck.first().copied().or(self.head);
        let trunk = vec![
            (self.hips, first, ["seat", "waist", "waist"]),
            (first, last, ["waist", "trunk", "chest"]),
            (last, neck, ["chest", "chest", "neck"]),
            (neck, self.head, ["neck", "neck", "head"]),
        ];
        vec![("left ", limbs(&self.left)), ("right ", limbs(&self.right)), ("", trunk)]
    }
}

/// This share of a bone at either end is called by its joint.
const NEAR: f32 = 0.22;
