//! Where things are at rest, so that a viewport can look at them.

use crate::dress::room::Room;
use crate::state::key::Key;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::intake::{shells, Shell};
use tin_cloak_core::mesh::bounds;

/// A part's box at rest, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Extent {
    /// Its middle.
    pub middle: Vec3,
    /// Half its diagonal.
    pub reach: f32,
}

impl Extent {
    fn of(rest: &[Vec3]) -> Self {
        let (low, high) = bounds(rest);
        Self { middle: (low + high) * 0.5, reach: (high - low).length() * 0.5 }
    }
}

impl Room {
    /// Of the body, then of each piece of the dress.
    pub fn extents(&self) -> Vec<Extent> {
        let body = std::iter::once(Extent::of(&self.dress.body.rest));
        body.chain(self.dress.pieces.iter().map(|p| Extent::of(&p.rest))).collect()
    }

    /// The box of the body at rest, metres.
    pub fn bounds(&self) -> (Vec3, Vec3) {
        bounds(&self.dress.body.rest)
    }

    /// The direction from which a place at rest is looked at: from outside the figure, level.
    pub fn look_at_place(&self, place: Vec3) -> Vec3 {
        let middle = Extent::of(&self.dress.body.rest).middle;
        Vec3::new(place.x - middle.x, 0.0, place.z - middle.z).normalize_or(Vec3::Z)
    }

    /// The connected parts of a piece, by number.
    pub fn parts_of(&self, index: usize) -> Arc<Vec<Shell>> {
        let key = Key::begin("parts").and_key(self.contents.shapes[index]).end();
        let piece = &self.dress.pieces[index];
        self.derived.get_or(key, || shells(&piece.topology, &piece.rest))
    }
}
