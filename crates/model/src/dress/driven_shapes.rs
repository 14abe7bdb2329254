//! Shapes that poses call up on pieces alone. Each has its place behind the body's own shapes, so that it has one
//! number everywhere; the body itself does nothing in them.

use crate::dress::body::Body;
use crate::dress::piece::Piece;
use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::skeleton::Skeleton;

/// The shapes of pieces that a joint's turn calls up and the body has none of the name of: names and drivers.
pub fn driven_shapes(body: &Body, pieces: &[Piece]) -> Vec<Morph> {
    let mut all: Vec<Morph> = Vec::new();
    for piece in pieces.iter().filter(|p| p.bound.is_some() && !p.cage) {
        let came = piece.came.as_ref().map(|c| &*c.skeleton);
        let of_file = piece.shapes.iter().map(|m| (m, came));
        let made = piece.correctives.iter().map(|m| (&**m, None));
        for (shape, skeleton) in of_file.chain(made) {
            let driver = shape.driver.and_then(|d| on_body(d, skeleton, &body.skeleton));
            let known = |m: &Morph| m.name == shape.name;
            if driver.is_some() && !body.outgoing_shapes().iter().any(known) && !all.iter().any(known) {
                all.push(Morph { name: shape.name.clone(), driver, ..Morph::default() });
            }
        }
    }
    all
}

/// A driver by the body's joints; `skeleton` has its joint when it is not the body's.
fn on_body(driver: Driver, skeleton: Option<&Skeleton>, body: &Skeleton) -> Option<Driver> {
    let Some(own) = skeleton else { return Some(driver) };
    let joint = body.find(own.names.get(driver.joint.index())?)?;
    Some(Driver { joint, ..driver })
}

impl Body {
    /// The shapes that its file has.
    pub fn own_shapes(&self) -> &[Morph] {
        &self.morphs[..self.morphs.len() - self.of_pieces - self.made]
    }

    /// The same body with numbers for shapes of pieces.
    pub fn calling_up(&self, shapes: Vec<Morph>) -> Self {
        let mut body = self.clone();
        body.of_pieces = shapes.len();
        body.morphs.extend(shapes.iter().cloned());
        body.welded_morphs.extend(shapes);
        body
    }
}
