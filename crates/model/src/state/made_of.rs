//! What something was made of: told when that has changed since.

use crate::state::fitting::{FittingState, PieceState};
use crate::state::key::Key;
use crate::state::names::{PieceId, BODY};
use serde::{Deserialize, Serialize};

/// What of a part something is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Facet {
    /// Where its vertices are at rest.
    Shape,
    /// Its weights.
    Weights,
    /// Both.
    Worn,
}

/// The parts that something was made of, and what each was then. Empty where that was not written down.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct MadeOf(Vec<(PieceId, String)>);

impl MadeOf {
    /// The named parts as they are in `state`; those that are not there are left out.
    pub fn now(state: &FittingState, facet: Facet, parts: impl IntoIterator<Item = PieceId>) -> Self {
        Self(parts.into_iter().filter_map(|part| Some((part, stamp(state, facet, part)?))).collect())
    }

    /// True where nothing was written down.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The parts that are there and not what they were.
    pub fn changed(&self, state: &FittingState, facet: Facet) -> Vec<PieceId> {
        let differs = |(part, was): &(PieceId, String)| stamp(state, facet, *part).filter(|now| now != was);
        self.0.iter().filter(|entry| differs(entry).is_some()).map(|entry| entry.0).collect()
    }

    /// A part has other numbers, and what was made of it was numbered alike: that is no change.
    fn renumbered(&mut self, part: PieceId, facet: Facet, was: &FittingState, is: &FittingState) {
        let (before, after) = (stamp(was, facet, part), stamp(is, facet, part));
        for entry in self.0.iter_mut().filter(|e| e.0 == part && Some(&e.1) == before.as_ref()) {
            entry.1 = after.clone().unwrap_or_default();
        }
    }
}

/// What a part is in a state, in a few letters.
fn stamp(state: &FittingState, facet: Facet, part: PieceId) -> Option<String> {
    let key = Key::begin("made of").and(&matches!(facet, Facet::Shape));
    if part == BODY {
        let weights = (facet != Facet::Shape).then_some(&state.body_skin);
        let shape = (&state.body_size, &state.body_amounts);
        let shape = (facet == Facet::Worn).then_some(shape);
        return Some(key.and(&(&state.body, &state.body_parts, weights, shape)).end().short());
    }
    let piece = state.pieces.iter().find(|p| p.id == part)?;
    let weights = (facet != Facet::Shape).then_some(&piece.bound);
    let shape = (facet != Facet::Weights).then_some((&piece.rest, &piece.amounts, &piece.shapes));
    Some(key.and(&(&piece.source, &piece.cut, weights, shape)).end().short())
}

impl PieceState {
    /// What is made of it: by what was written down, and of what.
    fn made_mut(&mut self) -> impl Iterator<Item = (&mut MadeOf, Facet)> {
        let shapes = self.correctives.iter_mut().map(|c| (&mut c.made_of, Facet::Worn));
        let own = [(&mut self.took, Facet::Weights), (&mut self.carried_on, Facet::Shape)];
        own.into_iter().chain(shapes)
    }
}

impl FittingState {
    /// Says of all that was made of a part, which has other numbers than in `before` now, that it was numbered alike.
    pub fn keep_made_of(&mut self, part: PieceId, before: &Self) {
        let mut is = self.clone();
        let pieces = is.pieces.iter_mut().flat_map(PieceState::made_mut);
        let tucks = is.tucks.iter_mut().map(|t| (&mut t.made_of, Facet::Worn));
        let of_body = is.body_correctives.iter_mut().map(|c| (&mut c.made_of, Facet::Worn));
        pieces
            .chain(tucks)
            .chain(of_body)
            .for_each(|(made, facet)| made.renumbered(part, facet, before, self));
        *self = is;
    }
}
