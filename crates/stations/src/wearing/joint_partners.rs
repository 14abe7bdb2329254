//! Which joint of this body stands for which of another.

use std::collections::HashMap;
use tin_cloak_core::trial::retarget::JointMap;
use tin_cloak_core::wear::{limb_of_joints, LimbMap};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::body::Body;

/// A joint that lies no further off where the limbs bring it stands for the nearest of its limb, metres.
const NEAR: f32 = 0.1;

/// By the names of joints of the one body, those of the other.
pub(super) struct JointPartners(HashMap<String, String>);

impl JointPartners {
    /// By name; else by the part of a person; else the nearest of the same limb, where the limbs are laid along each
    /// other.
    pub fn between(from: &Body, to: &Body, limbs: &LimbMap) -> Self {
        let (own, other) = (&from.skeleton, &to.skeleton);
        let map = JointMap::between(other, own);
        let part = |j: usize| map.as_ref().and_then(|m| m.sources()[j]);
        let (of_own, of_other) = (limb_of_joints(own), limb_of_joints(other));
        let (places, targets) = (own.rest_positions(), other.rest_positions());
        let nearest = |j: usize| {
            let at = limbs.matrices[j].transform_point3(places[j]);
            let far = |k: &usize| targets[*k].distance(at);
            let alike = (0..other.len()).filter(|&k| of_other[k] == of_own[j] && far(&k) < NEAR);
            alike.min_by(|a, b| far(a).total_cmp(&far(b))).map(|k| JointId(k as u16))
        };
        let one = |(j, name): (usize, &String)| {
            let partner = other.find(name).or_else(|| part(j)).or_else(|| nearest(j))?;
            Some((name.clone(), other.names[partner.index()].clone()))
        };
        Self(own.names.iter().enumerate().filter_map(one).collect())
    }

    /// Joints that a piece brings keep their names.
    pub fn keep(&mut self, own: &str) {
        self.0.insert(own.to_owned(), own.to_owned());
    }

    /// The partner of a joint.
    pub fn of(&self, name: &str) -> Option<&String> {
        self.0.get(name)
    }

    /// Exchanges each name for its partner's; false where one has none, which stays.
    pub fn exchange<'a>(&self, names: impl IntoIterator<Item = &'a mut String>) -> bool {
        let mut all = true;
        for name in names {
            match self.0.get(name) {
                Some(partner) => name.clone_from(partner),
                None => all = false,
            }
        }
        all
    }
}
