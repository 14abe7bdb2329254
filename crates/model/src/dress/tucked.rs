//! Shapes that were made for the body: those that are on while something is worn (it is drawn in under it), and those
//! that turns call up.

use crate::dress::body::Body;
use crate::error::WorkshopError;
use crate::state::blobs::{unpack_positions, ReadBlob};
use crate::state::fitting::FittingState;
use crate::state::names::PieceId;
use tin_cloak_core::deform::{Driver, Morph};

/// The shapes of the tucks that are on, then those that turns call up, over welded vertices.
///
/// # Errors
/// When a blob is not there or cannot be understood.
pub fn made_shapes(state: &FittingState, body: &Body, blob: ReadBlob) -> Result<Vec<Morph>, WorkshopError> {
    let mut shapes: Vec<Morph> = Vec::new();
    for tuck in state.tucks_on() {
        let about = format!("tuck under {}", names_of(state, &tuck.by));
        let is_free = |n: &String| !body.morphs.iter().chain(&shapes).any(|m| m.name == *n);
        let numbered = (2..).map(|n| format!("{about} ({n})"));
        let name = std::iter::once(about.clone()).chain(numbered).find(is_free).unwrap_or_default();
        let shape = Morph::from_dense(name, &unpack_positions(&blob(&tuck.offsets)?)).scaled(tuck.amount);
        shapes.push(Morph { driver: Some(Driver::always()), ..shape });
    }
    for made in &state.body_correctives {
        let driver = made.driver(&body.skeleton, |_| true);
        // Its joint may be one that is no longer there.
        if driver.is_some() {
            let shape = Morph::from_dense(made.name.clone(), &unpack_positions(&blob(&made.offsets)?));
            shapes.push(Morph { driver, ..shape.scaled(made.amount) });
        }
    }
    Ok(shapes)
}

/// What people read of pieces that lie over something together.
pub fn names_of(state: &FittingState, by: &[PieceId]) -> String {
    let name =
        |id: &PieceId| state.pieces.iter().find(|p| p.id == *id).map_or("a piece taken off", |p| p.name());
    match by {
        [] => "nothing".to_owned(),
        [one] => name(one).to_owned(),
        [one, two] => format!("{} and {}", name(one), name(two)),
        several => format!("{} pieces", several.len()),
    }
}

impl Body {
    /// The body with shapes that were made for it.
    pub(super) fn with_made(&self, shapes: Vec<Morph>) -> Self {
        let mut body = self.clone();
        body.made = shapes.len();
        body.morphs.extend(shapes.iter().map(|m| m.scatter(&body.topology.weld)));
        body.welded_morphs.extend(shapes);
        body
    }

    /// The shapes that were made for it, over welded vertices: the tucks that are on, then those that turns call up.
    pub fn made_shapes(&self) -> &[Morph] {
        let own = self.own_shapes().len();
        &self.welded_morphs[own..own + self.made]
    }

    /// The shapes that go out with it: its own, and those that were made for it.
    pub fn outgoing_shapes(&self) -> &[Morph] {
        &self.morphs[..self.own_shapes().len() + self.made]
    }

    /// How much of each of these is on at rest: what is always on is so in a file without a motion, too.
    pub fn outgoing_amounts(&self) -> Vec<f32> {
        amounts_at_rest(self.outgoing_shapes(), &self.amounts)
    }
}

/// How much of each shape is on at rest: all of what is always on, and as much of the others as they `came` with.
pub fn amounts_at_rest(shapes: &[Morph], came: &[f32]) -> Vec<f32> {
    let came = |n: usize| came.get(n).copied().unwrap_or(0.0);
    let amount = |(n, m): (usize, &Morph)| if m.is_always_on() { 1.0 } else { came(n) };
    shapes.iter().enumerate().map(amount).collect()
}
