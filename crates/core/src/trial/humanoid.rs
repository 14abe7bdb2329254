//! Finding a person in a skeleton: by the joints' names, and by their places where names fail.

use super::hand::Hand;
use super::names::{read_name, Role, SideOfBody};
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::Vec3;

/// The joints of one side.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Limbs {
    pub shoulder: Option<JointId>,
    pub upper_arm: Option<JointId>,
    pub lower_arm: Option<JointId>,
    pub hand: Option<JointId>,
    /// Where the middle one of the fingers begins.
    pub finger: Option<JointId>,
    pub upper_leg: Option<JointId>,
    pub lower_leg: Option<JointId>,
    pub foot: Option<JointId>,
    pub toe: Option<JointId>,
}

/// Who is who, and which way the character faces at rest.
#[derive(Clone, Debug, PartialEq)]
pub struct Humanoid {
    /// The joint the legs and the spine hang from.
    pub hips: Option<JointId>,
    /// From the lowest up.
    pub spine: Vec<JointId>,
    /// From the lowest up.
    pub neck: Vec<JointId>,
    /// The head.
    pub head: Option<JointId>,
    /// The character's left side.
    pub left: Limbs,
    /// The character's right side.
    pub right: Limbs,
    /// Unit vector out of the top of the head.
    pub up: Vec3,
    /// Unit vector the character looks along.
    pub forward: Vec3,
}

impl Humanoid {
    /// Unit vector to the character's left.
    pub fn leftward(&self) -> Vec3 {
        self.up.cross(self.forward)
    }

    /// All joints found.
    pub fn joints(&self) -> Vec<JointId> {
        let limbs = |l: &Limbs| {
            [l.shoulder, l.upper_arm, l.lower_arm, l.hand, l.upper_leg, l.lower_leg, l.foot, l.toe]
        };
        let trunk = self.hips.into_iter().chain(self.spine.iter().copied()).chain(self.neck.iter().copied());
        let sides = limbs(&self.left).into_iter().chain(limbs(&self.right)).flatten();
        trunk.chain(self.head).chain(sides).collect()
    }

    /// The limbs of a side.
    pub fn side(&self, side: SideOfBody) -> &Limbs {
        match side {
            SideOfBody::Left => &self.left,
            SideOfBody::Right => &self.right,
        }
    }

    /// Finds the person in `skeleton`. What cannot be found stays empty.
    pub fn find(skeleton: &Skeleton) -> Self {
        let tree = JointTree::new(skeleton);
        let mut person = by_names(skeleton, &tree);
        if !person.is_complete() {
            person.complete_from(&by_places(&tree));
        }
        person.settle_forward(&tree);
        person.find_fingers(skeleton);
        person
    }

    fn find_fingers(&mut self, skeleton: &Skeleton) {
        let rest = skeleton.world(&Pose::rest(skeleton.len()));
        let of = |side| {
            let hand = Hand::new(skeleton, self, &rest, side)?;
            hand.fingers.get((hand.fingers.len() - 1) / 2).map(|finger| finger[0])
        };
        (self.left.finger, self.right.finger) = (of(SideOfBody::Left), of(SideOfBody::Right));
    }

    fn is_complete(&self) -> bool {
        let limbs = |l: &Limbs| {
            [l.upper_arm, l.lower_arm, l.hand, l.upper_leg, l.lower_leg, l.foot].iter().all(Option::is_some)
        };
        self.hips.is_some() && limbs(&self.left) && limbs(&self.right)
    }

    /// Limbs are taken whole: a chain half by name and half by place would not hang together.
    fn complete_from(&mut self, other: &Self) {
        self.hips = self.hips.or(other.hips);
        if self.spine.is_empty() {
            self.spine.clone_from(&other.spine);
        }
        if self.neck.is_empty() && self.head.is_none() {
            self.neck.clone_from(&other.neck);
            self.head = other.head;
        }
        for (mine, theirs) in [(&mut self.left, &other.left), (&mut self.right, &other.right)] {
            if mine.upper_arm.is_none() || mine.lower_arm.is_none() {
                mine.shoulder = mine.shoulder.or(theirs.shoulder);
                (mine.upper_arm, mine.lower_arm, mine.hand) =
                    (theirs.upper_arm, theirs.lower_arm, theirs.hand);
            }
            if mine.upper_leg.is_none() || mine.lower_leg.is_none() {
                (mine.upper_leg, mine.lower_leg, mine.foot, mine.toe) =
                    (theirs.upper_leg, theirs.lower_leg, theirs.foot, theirs.toe);
            }
        }
    }

    /// Forward is where the toes point, or failing toes, so that the left leg is on the left.
    fn settle_forward(&mut self, tree: &JointTree) {
        let at = |j: Option<JointId>| j.map(|j| tree.places[j.index()]);
        let mut forward = Vec3::ZERO;
        for limbs in [&self.left, &self.right] {
            if let (Some(foot), Some(toe)) = (at(limbs.foot), at(limbs.toe)) {
                forward += toe - foot;
            }
        }
        let across = at(self.left.upper_leg)
            .zip(at(self.right.upper_leg))
            .or(at(self.left.upper_arm).zip(at(self.right.upper_arm)));
        if let Some((left, right)) = across {
            let square = (left - right).cross(self.up);
            forward = if forward.dot(square) < 0.0 && forward.length() > 0.01 { forward } else { square };
        }
        let flat = (forward - self.up * forward.dot(self.up)).normalize_or_zero();
        self.forward = if flat == Vec3::ZERO { Vec3::Z } else { flat };
    }
}

/// The hierarchy with what the searches ask of it.
struct JointTree {
    parents: Vec<Option<JointId>>,
    children: Vec<Vec<JointId>>,
    depth: Vec<usize>,
    places: Vec<Vec3>,
    up: Vec3,
}

impl JointTree {
    fn new(skeleton: &Skeleton) -> Self {
        let depth = skeleton.depths();
        let world = skeleton.world(&Pose::rest(skeleton.len()));
        let places: Vec<Vec3> = world.iter().map(|m| m.w_axis.truncate()).collect();
        Self { parents: skeleton.parents.clone(), children: skeleton.children(), depth, places, up: Vec3::Y }
    }

    /// From `joint` up to its root, `joint` first.
    fn line(&self, joint: JointId) -> Vec<JointId> {
        std::iter::successors(Some(joint), |j| self.parents[j.index()]).collect()
    }

    fn common_ancestor(&self, a: JointId, b: JointId) -> Option<JointId> {
        let line = self.line(a);
        self.line(b).into_iter().find(|j| line.contains(j))
    }

    /// The joints below `top` on the way to `tip`, from the top down; `top` left out.
    fn between(&self, top: JointId, tip: JointId) -> Vec<JointId> {
        let mut line: Vec<JointId> = self.line(tip).into_iter().take_while(|&j| j != top).collect();
        line.reverse();
        line
    }
}

fn by_names(skeleton: &Skeleton, tree: &JointTree) -> Humanoid {
    let read: Vec<_> = skeleton.names.iter().map(|n| read_name(n)).collect();
    // The first of a part down the hierarchy turns it; later ones of the name are its segments.
    let first = |role: Role, side: Option<SideOfBody>| {
        (0..read.len())
            .filter(|&j| {
                let place = (side.is_none() || read[j].side == side) && read[j].helper.is_none();
                read[j].role == Some(role) && place
            })
            .min_by_key(|&j| (tree.depth[j], j))
            .map(|j| JointId(j as u16))
    };
    let all = |role: Role| {
        let mut list: Vec<JointId> = (0..read.len())
            .filter(|&j| read[j].role == Some(role) && read[j].side.is_none() && read[j].helper.is_none())
            .map(|j| JointId(j as u16))
            .collect();
        list.sort_by_key(|j| (tree.depth[j.index()], j.0));
        list
    };
    let limbs = |side| {
        let get = |role| first(role, Some(side));
        Limbs {
            shoulder: get(Role::Shoulder),
            upper_arm: get(Role::UpperArm),
            lower_arm: get(Role::LowerArm),
            hand: get(Role::Hand),
            finger: None,
            upper_leg: get(Role::UpperLeg),
            lower_leg: get(Role::LowerLeg),
            foot: get(Role::Foot),
            toe: get(Role::Toe),
        }
    };
    let (left, right) = (limbs(SideOfBody::Left), limbs(SideOfBody::Right));
    let legs = left.upper_leg.zip(right.upper_leg);
    let hips = first(Role::Hips, None).or(legs.and_then(|(l, r)| tree.common_ancestor(l, r)));
    Humanoid {
        hips,
        spine: all(Role::Spine),
        neck: all(Role::Neck),
        head: first(Role::Head, None),
        left: in_order(left, tree),
        right: in_order(right, tree),
        up: tree.up,
        forward: Vec3::Z,
    }
}

/// A chain that does not run down the hierarchy is not a limb.
fn in_order(mut limbs: Limbs, tree: &JointTree) -> Limbs {
    let below = |upper: Option<JointId>, lower: Option<JointId>| match (upper, lower) {
        (Some(u), Some(l)) => tree.line(l).contains(&u),
        _ => true,
    };
    if !below(limbs.upper_arm, limbs.lower_arm) || !below(limbs.lower_arm, limbs.hand) {
        (limbs.upper_arm, limbs.lower_arm, limbs.hand) = (None, None, None);
    }
    if !below(limbs.upper_leg, limbs.lower_leg) || !below(limbs.lower_leg, limbs.foot) {
        (limbs.upper_leg, limbs.lower_leg, limbs.foot, limbs.toe) = (None, None, None, None);
    }
    limbs
}

/// By places alone: the lowest joints on both sides end the legs, the furthest out end the
/// arms, the highest ends the head.
fn by_places(tree: &JointTree) -> Humanoid {
    let mut person = Humanoid {
        hips: None,
        spine: Vec::new(),
        neck: Vec::new(),
        head: None,
        left: Limbs::default(),
        right: Limbs::default(),
        up: tree.up,
        forward: Vec3::Z,
    };
    let joints = || (0..tree.places.len()).map(|j| JointId(j as u16));
    let place = |j: JointId| tree.places[j.index()];
    let best = |score: &dyn Fn(Vec3) -> f32, keep: &dyn Fn(JointId) -> bool| {
        joints().filter(|&j| keep(j)).max_by(|&a, &b| {
            score(place(a))
                .total_cmp(&score(place(b)))
                .then(tree.depth[a.index()].cmp(&tree.depth[b.index()]))
        })
    };
    let Some(top) = best(&|p| p.y, &|_| true) else { return person };
    let lowest = joints().map(|j| place(j).y).fold(f32::INFINITY, f32::min);
    let height = place(top).y - lowest;
    let off_centre = height * 0.02;
    let foot_tip = |sign: f32| {
        best(&|p| -p.y, &move |j| place(j).x * sign > off_centre && place(j).y < lowest + height * 0.15)
    };
    let arm_tip = |sign: f32| {
        best(&move |p| p.x * sign, &move |j| {
            place(j).x * sign > off_centre && place(j).y > lowest + height * 0.4
        })
    };
    let (Some(foot_l), Some(foot_r)) = (foot_tip(1.0), foot_tip(-1.0)) else { return person };
    let Some(hips) = tree.common_ancestor(foot_l, foot_r) else { return person };
    person.hips = Some(hips);
    for (limbs, tip) in [(&mut person.left, foot_l), (&mut person.right, foot_r)] {
        leg_by_places(tree, limbs, &tree.between(hips, tip), lowest, height);
    }
    let (Some(hand_l), Some(hand_r)) = (arm_tip(1.0), arm_tip(-1.0)) else { return person };
    let Some(chest) = tree.common_ancestor(hand_l, hand_r) else { return person };
    for (limbs, tip) in [(&mut person.left, hand_l), (&mut person.right, hand_r)] {
        arm_by_places(tree, limbs, &tree.between(chest, tip), height);
    }
    if tree.line(chest).contains(&hips) {
        person.spine = tree.between(hips, chest);
    }
    if tree.line(top).contains(&chest) {
        let above = tree.between(chest, top);
        let head = above.iter().rev().find(|j| place(**j).y < place(top).y - height * 0.05).or(above.last());
        person.head = head.copied();
        person.neck = above.into_iter().take_while(|j| Some(*j) != person.head).collect();
    }
    person
}

fn leg_by_places(tree: &JointTree, limbs: &mut Limbs, line: &[JointId], lowest: f32, height: f32) {
    let at = |j: JointId| tree.places[j.index()];
    let Some(&upper) = line.iter().find(|j| at(**j).x.abs() > height * 0.02) else { return };
    let foot = line.iter().copied().find(|j| at(*j).y < lowest + height * 0.09);
    let Some(foot) = foot.or(line.last().copied()).filter(|f| *f != upper) else { return };
    let knee_height = (at(upper).y + at(foot).y) * 0.5;
    let between = line.iter().copied().filter(|&j| {
        tree.depth[j.index()] > tree.depth[upper.index()] && tree.depth[j.index()] < tree.depth[foot.index()]
    });
    let knee =
        between.min_by(|a, b| (at(*a).y - knee_height).abs().total_cmp(&(at(*b).y - knee_height).abs()));
    limbs.toe = line.iter().copied().find(|j| tree.depth[j.index()] > tree.depth[foot.index()]);
    if let Some(knee) = knee {
        (limbs.upper_leg, limbs.lower_leg, limbs.foot) = (Some(upper), Some(knee), Some(foot));
    }
}

fn arm_by_places(tree: &JointTree, limbs: &mut Limbs, line: &[JointId], height: f32) {
    let at = |j: JointId| tree.places[j.index()];
    // The hand is where the fingers part, or where the last long bone ends.
    let long = |pair: &&[JointId]| at(pair[0]).distance(at(pair[1])) > height * 0.06;
    let wrist = line.windows(2).rfind(long).map(|pair| pair[1]);
    let hand = line.iter().copied().find(|j| tree.children[j.index()].len() >= 3).or(wrist);
    let Some(hand) = hand else { return };
    let above: Vec<JointId> = line.iter().copied().take_while(|&j| j != hand).collect();
    let Some(&upper) = above.iter().find(|j| at(**j).x.abs() > height * 0.07).or(above.first()) else {
        return;
    };
    limbs.shoulder = above.iter().copied().take_while(|&j| j != upper).last();
    let middle = (at(upper) + at(hand)) * 0.5;
    let elbow = above
        .iter()
        .copied()
        .filter(|j| tree.depth[j.index()] > tree.depth[upper.index()])
        .min_by(|a, b| at(*a).distance(middle).total_cmp(&at(*b).distance(middle)));
    if let Some(elbow) = elbow {
        (limbs.upper_arm, limbs.lower_arm, limbs.hand) = (Some(upper), Some(elbow), Some(hand));
    }
}
