//! What the graphics card needs to pose a fitting by itself: parts at rest with their weights once, and
//! matrices for every pose. It draws with them; every figure is the server's.

use crate::looking::view::ViewOfRoom;
use crate::looking::view::ViewRequest;
use glam::Vec3;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::mesh::Weld;
use tin_cloak_core::skin::Skin;
use tin_cloak_measure::measuring::cells::PoseCells;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;

/// Most joints that move a vertex as it is drawn.
const MOST_JOINTS: usize = 8;

/// A part at rest, vertex by vertex of its file.
#[derive(Clone, Debug)]
pub struct SkinnedPart {
    /// Metres.
    pub positions: Vec<Vec3>,
    /// Unit.
    pub normals: Vec<Vec3>,
    /// Its weights; none when it is not bound and stays as it is.
    pub skin: Option<Skin>,
    /// Shapes that poses drive: vertices, and how far each goes, metres.
    pub shapes: Vec<(Vec<u32>, Vec<Vec3>)>,
}

/// A motion to be played: seconds, and the pose then.
pub type Played = Vec<(f32, TrialPose)>;

/// The number of a part, and the value of each vertex of its file where it has a map.
pub type PartMap = (u32, Option<Vec<f32>>);

/// Asked of a room: what the graphics card needs to pose it.
pub trait SkinnedOfRoom {
    /// A part by number, 0 for the body.
    ///
    /// # Errors
    /// When it is not there.
    fn skinned_part(&self, part: u32) -> Result<SkinnedPart, WorkshopError>;

    /// Tells one rest shape with its weights from another.
    fn skin_key(&self, index: Option<usize>) -> String;

    /// The map of each part in a pose, vertex by vertex of its file: its number, and the values.
    fn maps_in(
        &self,
        request: &ViewRequest,
        known: Option<&PoseCells>,
    ) -> Result<Vec<PartMap>, WorkshopError>;
}

impl SkinnedOfRoom for Room {
    fn skinned_part(&self, part: u32) -> Result<SkinnedPart, WorkshopError> {
        let body = &self.dress.body;
        if part == 0 {
            let weld = &body.topology.weld;
            let positions = weld.scatter(&body.rest);
            return Ok(SkinnedPart {
                normals: body.shading.normals(&positions),
                positions,
                skin: Some(drawn(&body.welded_skin.scatter(weld))),
                shapes: body.welded_morphs.iter().map(|m| drawn_shape(m, weld)).collect(),
            });
        }
        let piece = &self.dress.pieces[self.find(part)?];
        let weld = &piece.topology.weld;
        let positions = weld.scatter(&piece.rest);
        Ok(SkinnedPart {
            normals: piece.shading.normals(&positions),
            positions,
            skin: piece.bound.as_ref().map(|b| drawn(&b.skin.scatter(weld))),
            shapes: self.dress.shapes_of(self.find(part)?).iter().map(|m| drawn_shape(m, weld)).collect(),
        })
    }

    fn skin_key(&self, index: Option<usize>) -> String {
        let key = match index {
            None => {
                let made = self.state.body_made();
                Key::begin("drawn").and_key(self.contents.body_mesh).and(&made)
            }
            Some(i) => {
                let state = self.piece_state(i);
                let key = Key::begin("drawn").and_key(self.contents.shapes[i]);
                key.and(&(&state.bound, &state.carried, &state.correctives, self.dress.shape_numbers(i)))
            }
        };
        key.end().bytes()[..8].iter().map(|b| format!("{b:02x}")).collect()
    }

    fn maps_in(
        &self,
        request: &ViewRequest,
        known: Option<&PoseCells>,
    ) -> Result<Vec<PartMap>, WorkshopError> {
        let maps = self.welded_maps(request, known)?;
        let one = |(i, map): (usize, Option<Vec<f32>>)| match i.checked_sub(1) {
            None => (0, map.map(|m| self.dress.body.topology.weld.scatter(&m))),
            Some(p) => {
                let weld = &self.dress.pieces[p].topology.weld;
                (self.piece_state(p).id, map.map(|m| weld.scatter(&m)))
            }
        };
        Ok(maps.into_iter().enumerate().map(one).collect())
    }
}

fn drawn_shape(shape: &Morph, weld: &Weld) -> (Vec<u32>, Vec<Vec3>) {
    let dense = weld.scatter(&shape.to_dense(weld.count()));
    (0u32..).zip(dense).filter(|(_, offset)| *offset != Vec3::ZERO).unzip()
}

fn drawn(skin: &Skin) -> Skin {
    if skin.stride() > MOST_JOINTS {
        skin.limit(MOST_JOINTS)
    } else {
        skin.clone()
    }
}
