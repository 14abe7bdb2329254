//! Where on the body a piece belongs.

use crate::mesh::{bounds, face_normal};
use crate::query::Bvh;
use crate::skin::Skin;
use crate::trial::{Humanoid, Limbs};
use crate::JointId;
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// A place on the body.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Place {
    /// Head and neck.
    Head,
    /// Chest and belly.
    Torso,
    /// Arms without hands.
    Arms,
    /// Hands.
    Hands,
    /// Round the hips.
    Hips,
    /// Legs without feet.
    Legs,
    /// Feet.
    Feet,
    /// Off the body, near a hand.
    Held,
    /// Off the body elsewhere.
    Hung,
}

impl Place {
    /// All of them, from the head down.
    pub const ALL: [Self; 9] = [
        Self::Head,
        Self::Torso,
        Self::Arms,
        Self::Hands,
        Self::Hips,
        Self::Legs,
        Self::Feet,
        Self::Held,
        Self::Hung,
    ];

    /// The place of that word.
    pub fn of_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|p| p.word() == word)
    }

    /// The word people read.
    pub fn word(self) -> &'static str {
        match self {
            Self::Head => "head",
            Self::Torso => "torso",
            Self::Arms => "arms",
            Self::Hands => "hands",
            Self::Hips => "hips",
            Self::Legs => "legs",
            Self::Feet => "feet",
            Self::Held => "held",
            Self::Hung => "hung",
        }
    }
}

/// A piece further than this from the skin is not worn on it, metres.
const OFF: f32 = 0.09;
/// What lies to one side of the body only, and mostly further than this, hangs there, metres.
const BESIDE: f32 = 0.045;
/// To one side: the mean of the unit normals of the nearest skin is at least this long.
const ONE_SIDE: f32 = 0.9;
/// Half the width of the strip down the middle of the body, metres.
const MIDDLE: f32 = 0.04;
const SAMPLES: usize = 600;

/// The place of a piece (`piece` welded, metres) by the joints that move the skin nearest to it,
/// with the share of the piece that lies there. What lies off the body, or beside it without going
/// round any part of it, is held or hung.
///
/// ```
/// use tin_cloak_core::intake::{guess_place, Place};
/// use tin_cloak_core::shapes::{tube, Arm};
/// use tin_cloak_core::{trial::{Humanoid, Limbs}, JointId};
///
/// let arm = Arm::new();
/// let mut person = Humanoid::find(&arm.skeleton);
/// person.left = Limbs { upper_arm: Some(JointId(0)), lower_arm: Some(JointId(1)), ..Limbs::default() };
/// let sleeve = tube(0.06, 0.1, 0.5, 16, 16, 1.0).0;
/// let ((rest, triangles), parents) = (&arm.surface, &arm.skeleton.parents);
/// let (place, share) = guess_place(&sleeve, rest, triangles, &arm.skin, parents, &person);
/// assert_eq!(place, Place::Arms);
/// assert!(share > 0.9);
/// ```
pub fn guess_place(
    piece: &[Vec3],
    rest: &[Vec3],
    triangles: &[[u32; 3]],
    skin: &Skin,
    parents: &[Option<JointId>],
    person: &Humanoid,
) -> (Place, f32) {
    const ALL: [Place; 7] =
        [Place::Torso, Place::Head, Place::Arms, Place::Hands, Place::Hips, Place::Legs, Place::Feet];
    let tree = Bvh::build(rest, triangles);
    let of_joint = places_of_joints(parents, person);
    let (mut sums, mut off, mut beside, mut all) = ([0.0f32; 7], 0.0f32, 0.0f32, 0.0f32);
    let (low, high) = bounds(rest);
    let middle = (low.x + high.x) * 0.5;
    let (mut facing, mut in_the_middle) = (Vec3::ZERO, 0.0);
    for p in piece.iter().step_by((piece.len() / SAMPLES).max(1)) {
        let Some(hit) = tree.closest(*p, f32::INFINITY) else { continue };
        all += 1.0;
        let further = |than: f32| f32::from(u8::from(hit.distance_squared > than * than));
        (off, beside) = (off + further(OFF), beside + further(BESIDE));
        facing += face_normal(rest, triangles[hit.triangle as usize]);
        in_the_middle += f32::from(u8::from((p.x - middle).abs() < MIDDLE));
        for (joint, weight) in skin.at(triangles[hit.triangle as usize], hit.barycentric) {
            if let Some(at) = ALL.iter().position(|p| *p == of_joint[joint.index()]) {
                sums[at] += weight;
            }
        }
    }
    let share = |place: usize| sums[place] / all.max(1.0);
    let mut best = (0..ALL.len()).max_by(|a, b| sums[*a].total_cmp(&sums[*b])).unwrap_or(0);
    let to_one_side = facing.length() > ONE_SIDE * all && beside > all * 0.5;
    if off > all * 0.6 || to_one_side {
        let share = off.max(beside) / all.max(1.0);
        return (if ALL[best] == Place::Hands { Place::Held } else { Place::Hung }, share);
    }
    // Sleeves do not make a coat a thing of the arms, nor tails one of the legs: what covers the
    // trunk, front or back, is worn on it.
    let on_the_trunk = share(0) > 0.12 && in_the_middle > all * 0.03;
    if [Place::Arms, Place::Hips, Place::Legs].contains(&ALL[best]) && on_the_trunk {
        best = 0;
    }
    (ALL[best], share(best))
}

/// Each joint belongs where the nearest known joint above it does.
fn places_of_joints(parents: &[Option<JointId>], person: &Humanoid) -> Vec<Place> {
    let mut known: Vec<Option<Place>> = vec![None; parents.len()];
    let mut set = |joint: Option<JointId>, place: Place| {
        if let Some(j) = joint {
            known[j.index()] = Some(place);
        }
    };
    set(person.hips, Place::Hips);
    person.spine.iter().for_each(|j| set(Some(*j), Place::Torso));
    person.neck.iter().for_each(|j| set(Some(*j), Place::Head));
    set(person.head, Place::Head);
    for Limbs { shoulder, upper_arm, lower_arm, hand, upper_leg, lower_leg, foot, .. } in
        [person.left, person.right]
    {
        set(shoulder, Place::Torso);
        set(upper_arm, Place::Arms);
        set(lower_arm, Place::Arms);
        set(hand, Place::Hands);
        set(upper_leg, Place::Legs);
        set(lower_leg, Place::Legs);
        set(foot, Place::Feet);
    }
    let mut places = vec![Place::Torso; parents.len()];
    for j in 0..parents.len() {
        let above = parents[j].map_or(Place::Torso, |p| places[p.index()]);
        places[j] = known[j].unwrap_or(above);
    }
    places
}
