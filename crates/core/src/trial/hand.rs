//! The fingers of a hand, which way they close and which way they spread.

use super::humanoid::Humanoid;
use super::names::{read_name, SideOfBody};
use crate::skeleton::Skeleton;
use crate::JointId;
use glam::{Mat4, Vec3};

/// A hand with at least two fingers.
#[derive(Clone, Debug, PartialEq)]
pub struct Hand {
    /// The thumb's joints from the root on; empty where there is none.
    pub thumb: Vec<JointId>,
    /// The joints of the other fingers, each from its root on, from the thumb's side outward.
    pub fingers: Vec<Vec<JointId>>,
    /// Unit vector out of the palm, at rest.
    pub palm: Vec3,
    /// Unit vector across the palm towards the thumb, at rest.
    pub across: Vec3,
}

impl Hand {
    /// The hand of a side; none where fewer than two fingers hang from it. `rest` holds the world
    /// matrices of the rest pose.
    ///
    /// ```
    /// use tin_cloak_core::shapes::Arm;
    /// use tin_cloak_core::skeleton::Pose;
    /// use tin_cloak_core::trial::{Hand, Humanoid, SideOfBody};
    ///
    /// let skeleton = Arm::new().skeleton;
    /// let (person, rest) = (Humanoid::find(&skeleton), skeleton.world(&Pose::rest(skeleton.len())));
    /// assert_eq!(Hand::new(&skeleton, &person, &rest, SideOfBody::Left), None);
    /// ```
    pub fn new(skeleton: &Skeleton, person: &Humanoid, rest: &[Mat4], side: SideOfBody) -> Option<Self> {
        let hand = person.side(side).hand?;
        let at = |j: JointId| rest[j.index()].w_axis.truncate();
        let children = skeleton.children();
        let mut chains: Vec<Vec<JointId>> =
            children[hand.index()].iter().map(|&root| chain(skeleton, &children, root)).collect();
        chains.iter_mut().for_each(|chain| without_palm_bone(chain, at(hand), &at));
        chains.retain(|chain| chain.len() > 1);
        let thumb = thumb_of(skeleton, &chains, at(hand), &at);
        let thumb = thumb.map(|i| chains.remove(i)).unwrap_or_default();
        let roots: Vec<Vec3> = chains.iter().map(|chain| at(chain[0])).collect();
        if roots.len() < 2 {
            return None;
        }
        let middle = roots.iter().sum::<Vec3>() / roots.len() as f32;
        let along = (middle - at(hand)).try_normalize()?;
        let outermost =
            roots.iter().copied().max_by(|a, b| a.distance(roots[0]).total_cmp(&b.distance(roots[0])))?;
        let towards = thumb.first().map_or(person.forward, |&t| at(t) - middle);
        let across = roots[0] - outermost;
        let across = across * across.dot(towards).signum();
        let across = (across - along * along.dot(across)).try_normalize()?;
        chains.sort_by(|a, b| at(b[0]).dot(across).total_cmp(&at(a[0]).dot(across)));
        let normal = along.cross(across);
        // Arms hanging or out, the palm looks down or at the thigh.
        let out = if side == SideOfBody::Left { person.leftward() } else { -person.leftward() };
        let palm = normal * -normal.dot(person.up + out * 0.5).signum();
        Some(Self { thumb, fingers: chains, palm, across })
    }

    /// All joints of its fingers.
    pub fn joints(&self) -> impl Iterator<Item = JointId> + '_ {
        self.thumb.iter().chain(self.fingers.iter().flatten()).copied()
    }
}

/// The joints from `root` on, as far as there is but one way; ends and handles left out.
fn chain(skeleton: &Skeleton, children: &[Vec<JointId>], root: JointId) -> Vec<JointId> {
    let turns = |j: &JointId| read_name(&skeleton.names[j.index()]).helper.is_none();
    let next = |j: &JointId| {
        let below: Vec<JointId> = children[j.index()].iter().copied().filter(turns).collect();
        (below.len() == 1).then(|| below[0])
    };
    std::iter::successors(Some(root).filter(turns), next).collect()
}

/// The bone within the palm bends nothing: it is there in rigs whose fingers have a joint more.
fn without_palm_bone(chain: &mut Vec<JointId>, hand: Vec3, at: &impl Fn(JointId) -> Vec3) {
    let within = |chain: &[JointId]| at(chain[0]).distance(hand) < 0.6 * at(chain[1]).distance(hand);
    if chain.len() > 3 && within(chain) {
        chain.remove(0);
    }
}

/// By its name, else the one that starts nearest to the wrist.
fn thumb_of(
    skeleton: &Skeleton,
    chains: &[Vec<JointId>],
    hand: Vec3,
    at: &impl Fn(JointId) -> Vec3,
) -> Option<usize> {
    let named = |chain: &Vec<JointId>| skeleton.names[chain[0].index()].to_lowercase().contains("thumb");
    let away = |i: &usize| at(chains[*i][0]).distance(hand);
    let by_place =
        || (0..chains.len()).min_by(|a, b| away(a).total_cmp(&away(b))).filter(|_| chains.len() > 4);
    chains.iter().position(named).or_else(by_place)
}
