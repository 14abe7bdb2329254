//! The limbs of one body laid along those of another.

use crate::mesh::Alignment;
use crate::skeleton::{Pose, Skeleton};
use crate::trial::{Hand, Humanoid, Limbs, SideOfBody};
use crate::JointId;
use glam::{Mat3, Mat4, Quat, Vec3};

/// Fewer landmarks than this settle no trunk.
const LEAST_LANDMARKS: usize = 4;
/// A bone shorter than this has no direction, metres.
const SHORT: f32 = 1e-4;

/// Where the skin of one body goes when its limbs are laid along another's.
#[derive(Clone, Debug, PartialEq)]
pub struct LimbMap {
    /// From one body at rest to the other at rest, a joint each: what linear blend skinning blends.
    pub matrices: Vec<Mat4>,
    /// How much larger the other's trunk is.
    pub scale: f32,
    /// Places of the trunk that both have.
    pub landmarks: usize,
    /// Bones of limbs and fingers that both have.
    pub bones: usize,
}

/// A part of a person that is told apart when partners are looked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Limb {
    Trunk,
    Arm(SideOfBody),
    Leg(SideOfBody),
    /// A finger: too small to find its partner by place.
    Finger(SideOfBody),
}

/// A person, with where each joint is at rest.
struct Figure<'a> {
    skeleton: &'a Skeleton,
    person: Humanoid,
    rest: Vec<Mat4>,
}

impl<'a> Figure<'a> {
    fn new(skeleton: &'a Skeleton) -> Self {
        let rest = skeleton.world(&Pose::rest(skeleton.len()));
        Self { skeleton, person: Humanoid::find(skeleton), rest }
    }

    fn at(&self, joint: JointId) -> Vec3 {
        self.rest[joint.index()].w_axis.truncate()
    }

    /// What settles the trunk: neck and head, and where arms and legs begin.
    fn landmarks(&self) -> [Option<Vec3>; 6] {
        let Humanoid { neck, head, left, right, .. } = &self.person;
        let joints =
            [neck.first().copied(), *head, left.upper_arm, right.upper_arm, left.upper_leg, right.upper_leg];
        joints.map(|j| j.map(|j| self.at(j)))
    }

    fn hand(&self, side: SideOfBody) -> Option<Hand> {
        Hand::new(self.skeleton, &self.person, &self.rest, side)
    }
}

/// Lays the limbs of `from` along those of `to`, both at rest: the trunk as one, by the turn and size that take its
/// landmarks nearest to the other's (Horn 1987, [`Alignment`]); each bone of a limb by the smallest turn on top of the
/// one above it, as long as the other's; a hand by wrist and finger roots, then finger by finger. One similarity for
/// all of the trunk, because joint by joint along a spine the differences of how rigs place them add up.
///
/// None where the two have fewer than four landmarks of a person in common.
///
/// ```
/// use tin_cloak_core::{shapes::Arm, wear::limb_map};
///
/// let arm = Arm::new().skeleton;
/// assert_eq!(limb_map(&arm, &arm), None, "an arm alone is no person");
/// ```
pub fn limb_map(from: &Skeleton, to: &Skeleton) -> Option<LimbMap> {
    let (from, to) = (Figure::new(from), Figure::new(to));
    let (of, onto): (Vec<Vec3>, Vec<Vec3>) =
        from.landmarks().into_iter().zip(to.landmarks()).filter_map(|(a, b)| a.zip(b)).unzip();
    if of.len() < LEAST_LANDMARKS {
        return None;
    }
    let trunk = Alignment::between(&of, &onto);
    let mut laid = Laid {
        set: vec![None; from.skeleton.len()],
        trunk: trunk.rotation,
        across: trunk.scale,
        bones: 0,
        from: &from,
        to: &to,
    };
    for side in [SideOfBody::Left, SideOfBody::Right] {
        laid.arm(side);
        laid.leg(side);
    }
    let mut matrices: Vec<Mat4> = Vec::with_capacity(from.skeleton.len());
    for (j, set) in laid.set.iter().enumerate() {
        let above = from.skeleton.parents[j].map_or(trunk.matrix(), |p| matrices[p.index()]);
        matrices.push(set.unwrap_or(above));
    }
    let sound = matrices.iter().all(Mat4::is_finite) && trunk.scale > 0.0;
    sound.then_some(LimbMap { matrices, scale: trunk.scale, landmarks: of.len(), bones: laid.bones })
}

/// The limbs that have been laid so far.
struct Laid<'a> {
    set: Vec<Option<Mat4>>,
    trunk: Quat,
    /// What all is sized by across its bones.
    across: f32,
    bones: usize,
    from: &'a Figure<'a>,
    to: &'a Figure<'a>,
}

/// A joint of the one and the joint of the other that stands for it.
type Partners = (JointId, JointId);

fn partners(from: Option<JointId>, to: Option<JointId>) -> Option<Partners> {
    from.zip(to)
}

impl Laid<'_> {
    /// Lays the bone from a joint to the next on top of a turn; answers its own turn.
    fn bone(&mut self, turn: Quat, (a, b): Partners, (a_next, b_next): Partners) -> Quat {
        let (start, other) = (self.from.at(a), self.to.at(b));
        let (way, wanted) = (self.from.at(a_next) - start, self.to.at(b_next) - other);
        if way.length() < SHORT || wanted.length() < SHORT {
            return self.turned(turn, (a, b));
        }
        let direction = way.normalize();
        let turn = Quat::from_rotation_arc(turn * direction, wanted.normalize()) * turn;
        let more = wanted.length() / way.length() - self.across;
        let outer =
            Mat3::from_cols(direction * direction.x, direction * direction.y, direction * direction.z);
        let sized = Mat3::from_diagonal(Vec3::splat(self.across)) + outer * more;
        self.place((a, b), Mat3::from_quat(turn) * sized);
        turn
    }

    /// Turns and sizes all at a joint; answers the turn.
    fn turned(&mut self, turn: Quat, joint: Partners) -> Quat {
        self.place(joint, Mat3::from_quat(turn) * self.across);
        turn
    }

    fn place(&mut self, (a, b): Partners, linear: Mat3) {
        let (start, other) = (self.from.at(a), self.to.at(b));
        let matrix = Mat4::from_translation(other) * Mat4::from_mat3(linear) * Mat4::from_translation(-start);
        self.set[a.index()] = Some(matrix);
        self.bones += 1;
    }

    fn arm(&mut self, side: SideOfBody) {
        let (mine, other): (Limbs, Limbs) = (*self.from.person.side(side), *self.to.person.side(side));
        let Some(upper) = partners(mine.upper_arm, other.upper_arm) else { return };
        let Some(lower) = partners(mine.lower_arm, other.lower_arm) else { return };
        let Some(hand) = partners(mine.hand, other.hand) else { return };
        let turn = self.bone(self.trunk, upper, lower);
        let turn = self.bone(turn, lower, hand);
        self.hand(side, hand, turn);
    }

    fn hand(&mut self, side: SideOfBody, hand: Partners, turn: Quat) {
        let Some((mine, other)) = self.from.hand(side).zip(self.to.hand(side)) else {
            self.turned(turn, hand);
            return;
        };
        let mut fingers: Vec<(&Vec<JointId>, &Vec<JointId>)> = Vec::new();
        if mine.fingers.len() == other.fingers.len() {
            fingers.extend(mine.fingers.iter().zip(&other.fingers));
        }
        if !mine.thumb.is_empty() && !other.thumb.is_empty() {
            fingers.push((&mine.thumb, &other.thumb));
        }
        let (mut of, mut onto) = (vec![self.from.at(hand.0)], vec![self.to.at(hand.1)]);
        of.extend(fingers.iter().map(|(chain, _)| self.from.at(chain[0])));
        onto.extend(fingers.iter().map(|(_, chain)| self.to.at(chain[0])));
        if of.len() < 3 {
            self.turned(turn, hand);
            return;
        }
        let fit = Alignment::between(&of, &onto);
        self.place(hand, Mat3::from_quat(fit.rotation) * fit.scale);
        for (mine, other) in fingers {
            let joints: Vec<Partners> = mine.iter().copied().zip(other.iter().copied()).collect();
            let mut turn = fit.rotation;
            for (i, &joint) in joints.iter().enumerate() {
                turn = match joints.get(i + 1) {
                    Some(&next) => self.bone(turn, joint, next),
                    None => self.turned(turn, joint),
                };
            }
        }
    }

    fn leg(&mut self, side: SideOfBody) {
        let (mine, other): (Limbs, Limbs) = (*self.from.person.side(side), *self.to.person.side(side));
        let Some(upper) = partners(mine.upper_leg, other.upper_leg) else { return };
        let Some(lower) = partners(mine.lower_leg, other.lower_leg) else { return };
        let Some(foot) = partners(mine.foot, other.foot) else { return };
        let turn = self.bone(self.trunk, upper, lower);
        self.bone(turn, lower, foot);
        // A foot stands as the trunk does, whichever way the shin leans.
        match partners(mine.toe, other.toe) {
            Some(toe) => {
                let turn = self.bone(self.trunk, foot, toe);
                self.turned(turn, toe);
            }
            None => {
                self.turned(self.trunk, foot);
            }
        }
    }
}

/// Which part of a person each joint moves: that of the nearest known joint above it.
pub fn limb_of_joints(skeleton: &Skeleton) -> Vec<Limb> {
    let figure = Figure::new(skeleton);
    let mut known: Vec<Option<Limb>> = vec![None; skeleton.len()];
    for side in [SideOfBody::Left, SideOfBody::Right] {
        let limbs = figure.person.side(side);
        let mut set = |joint: Option<JointId>, limb| {
            if let Some(j) = joint {
                known[j.index()] = Some(limb);
            }
        };
        set(limbs.upper_arm, Limb::Arm(side));
        set(limbs.upper_leg, Limb::Leg(side));
        let fingers: Vec<JointId> = figure.hand(side).iter().flat_map(Hand::joints).collect();
        fingers.into_iter().for_each(|j| set(Some(j), Limb::Finger(side)));
    }
    let mut limbs = vec![Limb::Trunk; skeleton.len()];
    for j in 0..skeleton.len() {
        let above = skeleton.parents[j].map_or(Limb::Trunk, |p| limbs[p.index()]);
        limbs[j] = known[j].unwrap_or(above);
    }
    limbs
}

impl Limb {
    /// Whether skin of the one may be skin of the other: not an arm of a leg, nor one side's of the other's. Where a
    /// limb ends in the trunk rigs differ.
    pub fn agrees_with(self, other: Self) -> bool {
        self == other || self == Self::Trunk || other == Self::Trunk
    }
}
