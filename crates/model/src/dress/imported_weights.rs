//! The weights that a piece's file brings, on joints of its own skeleton.

use crate::error::WorkshopError;
use crate::state::recipe::CamePair;
use std::collections::BTreeMap;
use std::sync::Arc;
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::retarget::JointMap;
use tin_cloak_core::JointId;

/// The weights that a piece's file brings.
#[derive(Clone, Debug)]
pub struct ImportedWeights {
    /// One row a welded vertex, over joints of `skeleton`.
    pub skin: Skin,
    /// The file's joints.
    pub skeleton: Arc<Skeleton>,
    /// True when the piece is the mirror image of its file's.
    pub mirrored: bool,
}

/// From this share of the joints that carry weight on, the weights mean the same on the body.
pub const ENOUGH: f32 = 0.9;

/// Joints no further apart than this stand for each other, metres.
const SAME_PLACE: f32 = 0.01;

/// For each joint of a piece's skeleton the one of the body that it stands for: the one of its name,
/// else the one in its place, else the one of its part of a person.
pub fn known_joints(own: &Skeleton, body: &Skeleton) -> Vec<Option<JointId>> {
    let places =
        |s: &Skeleton| s.inverse_bind.iter().map(|m| m.inverse().w_axis.truncate()).collect::<Vec<_>>();
    let (own_places, body_places) = (places(own), places(body));
    let mut known: Vec<Option<JointId>> = own.names.iter().map(|name| body.find(name)).collect();
    let mut taken = vec![false; body.len()];
    known.iter().flatten().for_each(|j| taken[j.index()] = true);
    for j in (0..own.len()).filter(|&j| body.find(&own.names[j]).is_none()) {
        let far = |k: &usize| body_places[*k].distance(own_places[j]);
        let free = (0..body.len()).filter(|&k| !taken[k] && far(&k) < SAME_PLACE);
        let nearest = free.min_by(|a, b| far(a).total_cmp(&far(b)));
        known[j] = nearest.map(|k| JointId(k as u16));
        nearest.into_iter().for_each(|k| taken[k] = true);
    }
    let map = JointMap::between(body, own);
    let part = |j: usize| map.as_ref().and_then(|m| m.sources()[j]);
    (0..own.len()).map(|j| known[j].or_else(|| part(j))).collect()
}

impl ImportedWeights {
    /// Joints of the file that move some of the piece.
    pub fn carrying(&self) -> Vec<JointId> {
        let mut carries = vec![false; self.skeleton.len()];
        for (joint, weight) in self.skin.joints().iter().zip(self.skin.weights()) {
            carries[usize::from(*joint)] |= *weight > 0.0;
        }
        let ids = (0..carries.len()).filter(|&j| carries[j]);
        ids.map(|j| JointId(j as u16)).collect()
    }

    /// Which joint of the body each carrying joint stands for.
    pub fn guessed_pairs(&self, body: &Skeleton) -> Vec<CamePair> {
        let of = known_joints(&self.skeleton, body);
        let pair = |j: JointId| Some((self.name(j), body.names[of[j.index()]?.index()].clone()));
        self.carrying().into_iter().filter_map(pair).collect()
    }

    /// The share of its carrying joints that `pairs` name, 0 to 1.
    pub fn matched_share(&self, pairs: &[CamePair]) -> f32 {
        let carrying = self.carrying();
        let matched = carrying.iter().filter(|j| pairs.iter().any(|p| p.0 == self.name(**j))).count();
        matched as f32 / carrying.len().max(1) as f32
    }

    fn name(&self, joint: JointId) -> String {
        self.skeleton.names[joint.index()].clone()
    }

    /// The weights on joints of `body`. What an unmatched joint moves goes to the nearest joint above
    /// it that is matched, else to the first that is.
    ///
    /// # Errors
    /// When nothing is matched, or the body lacks a joint that is named.
    pub fn on(&self, body: &Skeleton, pairs: &[CamePair], piece: &str) -> Result<Skin, WorkshopError> {
        let mut joint_of: BTreeMap<&str, JointId> = BTreeMap::new();
        for (own, of_body) in pairs {
            let missing = || WorkshopError::NoSuchJoint { joint: of_body.clone() };
            joint_of.insert(own, body.find(of_body).ok_or_else(missing)?);
        }
        let first = pairs.first().and_then(|p| joint_of.get(p.0.as_str())).copied();
        let first = first.ok_or_else(|| WorkshopError::NoMatchingJoints { file: piece.to_owned() })?;
        let names = &self.skeleton.names;
        let target = |j: JointId| {
            let up = |k: &JointId| self.skeleton.parents[k.index()];
            let mut line = std::iter::successors(Some(j), up);
            let joint = line.find_map(|k| joint_of.get(names[k.index()].as_str())).copied().unwrap_or(first);
            if self.mirrored {
                mirror_partner(body, joint).unwrap_or(joint)
            } else {
                joint
            }
        };
        let fail = |e: tin_cloak_core::skin::SkinError| WorkshopError::Bind {
            piece: piece.to_owned(),
            source: e.into(),
        };
        self.skin.renumbered(target, body.len()).map_err(fail)
    }
}
