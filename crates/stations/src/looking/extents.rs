//! Where things are at rest, so that a viewport can look at them.

use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::intake::{shells, Shell};
use tin_cloak_core::mesh::bounds;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::key::Key;

/// A part's box at rest, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Extent {
    /// Its middle.
    pub middle: Vec3,
    /// Half its diagonal.
    pub reach: f32,
}

impl Extent {
    fn new(rest: &[Vec3]) -> Self {
        let (low, high) = bounds(rest);
        Self { middle: (low + high) * 0.5, reach: (high - low).length() * 0.5 }
    }
}

/// Asked of a room: where things are at rest, so that a viewport can look at them.
pub trait ExtentsOfRoom {
    /// Of the body, then of each piece of the dress.
    fn extents(&self) -> Vec<Extent>;

    /// The box of the body at rest, metres.
    fn bounds(&self) -> (Vec3, Vec3);

    /// The direction from which a place at rest is looked at: from outside the figure, level.
    fn look_at_place(&self, place: Vec3) -> Vec3;

    /// The connected parts of a piece, by number.
    fn parts_of(&self, index: usize) -> Arc<Vec<Shell>>;
}

impl ExtentsOfRoom for Room {
    fn extents(&self) -> Vec<Extent> {
        let body = std::iter::once(Extent::new(&self.dress.body.rest));
        body.chain(self.dress.pieces.iter().map(|p| Extent::new(&p.rest))).collect()
    }

    fn bounds(&self) -> (Vec3, Vec3) {
        bounds(&self.dress.body.rest)
    }

    fn look_at_place(&self, place: Vec3) -> Vec3 {
        let middle = Extent::new(&self.dress.body.rest).middle;
        Vec3::new(place.x - middle.x, 0.0, place.z - middle.z).normalize_or(Vec3::Z)
    }

    fn parts_of(&self, index: usize) -> Arc<Vec<Shell>> {
        let key = Key::begin("parts").and_key(self.contents.shapes[index]).end();
        let piece = &self.dress.pieces[index];
        self.derived.get_or(key, || shells(&piece.topology, &piece.rest))
    }
}
