//! Which joint moves each place most, in colours that tell neighbours apart.

use std::sync::Arc;
use tin_cloak_core::regions::{main_joints, region_colours};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::key::Key;

/// Colours that regions are told apart by.
pub const REGION_COLOURS: usize = 8;

/// Asked of a room: which joint moves each place most, in colours that tell neighbours apart.
pub trait RegionsOfRoom {
    /// A colour for each joint, and whether it moves any vertex most: neighbours differ.
    fn regions(&self) -> Arc<Vec<(u8, bool)>>;

    fn region_maps(&self) -> Vec<Option<Vec<f32>>>;
}

impl RegionsOfRoom for Room {
    fn regions(&self) -> Arc<Vec<(u8, bool)>> {
        let bound: Vec<_> = self.state.pieces.iter().map(|p| (p.id, p.layer, &p.bound)).collect();
        let mut key = Key::begin("regions").and_key(self.contents.body).and(&bound);
        for shape in &self.contents.shapes {
            key = key.and_key(*shape);
        }
        self.derived.get_or(key.end(), || coloured_regions(self))
    }

    fn region_maps(&self) -> Vec<Option<Vec<f32>>> {
        let colours = self.regions();
        let colour = |j: &JointId| f32::from(colours[j.index()].0);
        let of = |main: Option<Vec<JointId>>| Some(main?.iter().map(colour).collect());
        joints_of_parts(self).into_iter().map(of).collect()
    }
}

/// Main joints of the body and of each bound piece.
fn joints_of_parts(room: &Room) -> Vec<Option<Vec<JointId>>> {
    let mut all = vec![Some(main_joints(&room.dress.body.welded_skin))];
    all.extend(room.dress.pieces.iter().map(|p| p.bound.as_ref().map(|b| main_joints(&b.skin))));
    all
}

fn coloured_regions(room: &Room) -> Vec<(u8, bool)> {
    let main = joints_of_parts(room);
    let topologies =
        std::iter::once(&room.dress.body.topology).chain(room.dress.pieces.iter().map(|p| &p.topology));
    let meshes: Vec<(&[[u32; 2]], &[JointId])> =
        topologies.zip(&main).filter_map(|(t, m)| Some((t.edges.as_slice(), m.as_deref()?))).collect();
    let joints = room.dress.body.skeleton.len();
    let mut shown = vec![false; joints];
    main.iter().flatten().flatten().for_each(|j| shown[j.index()] = true);
    region_colours(joints, &meshes, REGION_COLOURS).into_iter().zip(shown).collect()
}
