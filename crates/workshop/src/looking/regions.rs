//! Which joint moves each place most, in colours that tell neighbours apart.

use crate::dress::room::Room;
use crate::state::key::Key;
use std::sync::Arc;
use tin_cloak_core::regions::{main_joints, region_colours};
use tin_cloak_core::JointId;

/// Colours that regions are told apart by.
pub const REGION_COLOURS: usize = 8;

impl Room {
    /// Main joints of the body and of each bound piece.
    fn main_joints(&self) -> Vec<Option<Vec<JointId>>> {
        let mut all = vec![Some(main_joints(&self.dress.body.welded_skin))];
        all.extend(self.dress.pieces.iter().map(|p| p.bound.as_ref().map(|b| main_joints(&b.skin))));
        all
    }

    /// A colour for each joint, and whether it moves any vertex most: neighbours differ.
    pub fn regions(&self) -> Arc<Vec<(u8, bool)>> {
        let bound: Vec<_> = self.state.pieces.iter().map(|p| (p.id, p.layer, &p.bound)).collect();
        let mut key = Key::begin("regions").and_key(self.contents.body).and(&bound);
        for shape in &self.contents.shapes {
            key = key.and_key(*shape);
        }
        self.derived.get_or(key.end(), || self.coloured_regions())
    }

    fn coloured_regions(&self) -> Vec<(u8, bool)> {
        let main = self.main_joints();
        let topologies =
            std::iter::once(&self.dress.body.topology).chain(self.dress.pieces.iter().map(|p| &p.topology));
        let meshes: Vec<(&[[u32; 2]], &[JointId])> =
            topologies.zip(&main).filter_map(|(t, m)| Some((t.edges.as_slice(), m.as_deref()?))).collect();
        let joints = self.dress.body.skeleton.len();
        let mut shown = vec![false; joints];
        main.iter().flatten().flatten().for_each(|j| shown[j.index()] = true);
        region_colours(joints, &meshes, REGION_COLOURS).into_iter().zip(shown).collect()
    }

    pub(crate) fn region_maps(&self) -> Vec<Option<Vec<f32>>> {
        let colours = self.regions();
        let colour = |j: &JointId| f32::from(colours[j.index()].0);
        let of = |main: Option<Vec<JointId>>| Some(main?.iter().map(colour).collect());
        self.main_joints().into_iter().map(of).collect()
    }
}
