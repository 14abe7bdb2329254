//! All findings of a fitting.

use crate::intake::finding::{Finding, Grade};
use crate::intake::of_body::look_over_body;
use crate::intake::of_piece::look_over_piece;
use rayon::prelude::*;
use std::convert::Infallible;
use std::sync::Arc;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::step::Step;

/// Asked of a room: all findings of a fitting.
pub trait FoundOfRoom {
    /// What was found on the body (number 0) and on each piece, by its number.
    fn findings(&self) -> Vec<(u32, Arc<Vec<Finding>>)>;

    /// True when trouble was found; nothing when nobody has looked yet.
    fn has_trouble(&self) -> Option<bool>;
}

impl FoundOfRoom for Room {
    fn findings(&self) -> Vec<(u32, Arc<Vec<Finding>>)> {
        // Several pages may ask at once after a restart.
        let once = |key: Key, look: &dyn Fn() -> Vec<Finding>| {
            let made = self.derived.try_get_or_once(key, || Ok::<_, Infallible>(look()));
            made.unwrap_or_else(|never| match never {})
        };
        let body = once(body_findings_key(self), &|| look_over_body(&self.dress.body));
        let piece = |index: usize| {
            let look = || look_over_piece(self, index);
            (self.piece_state(index).id, once(piece_findings_key(self, index), &look))
        };
        let pieces: Vec<_> = (0..self.dress.pieces.len()).into_par_iter().map(piece).collect();
        std::iter::once((0, body)).chain(pieces).collect()
    }

    fn has_trouble(&self) -> Option<bool> {
        let pieces = (0..self.dress.pieces.len()).map(|index| piece_findings_key(self, index));
        let known = std::iter::once(body_findings_key(self)).chain(pieces);
        let lists: Vec<Arc<Vec<Finding>>> = known.map(|key| self.derived.get(key)).collect::<Option<_>>()?;
        Some(lists.iter().flat_map(|list| list.iter()).any(|f| f.grade == Grade::Trouble))
    }
}

/// Cures of what is found in a room that lose nothing, in the order of the list.
pub fn harmless_cures(room: &Room) -> Vec<Step> {
    let findings = room.findings();
    let cures = findings.iter().flat_map(|(_, list)| list.iter()).filter_map(|f| f.cure.as_ref());
    cures.map(|c| c.step.clone()).filter(Step::loses_nothing).collect()
}

fn body_findings_key(room: &Room) -> Key {
    Key::begin("findings on the body").and_key(room.contents.body).end()
}

/// A piece's own shape and filing, what lies beneath it, and who shares its layer.
fn piece_findings_key(room: &Room, index: usize) -> Key {
    let p = room.piece_state(index);
    // How it is bound is in what a cure would change.
    let bound = (&p.bound, &p.recipe.options);
    let own = (p.id, &p.cut.left_out, p.layer, p.kind, p.place, &p.shells, p.cage, bound);
    let mut key = Key::begin("findings on a piece")
        .and_key(room.contents.body)
        .and_key(room.contents.shapes[index])
        .and_key(room.ground_key(index))
        .and(&own)
        .and(&room.state.tolerance_mm);
    for other in (0..room.dress.pieces.len()).filter(|&o| room.dress.pieces[o].layer == p.layer) {
        let worn = &room.dress.pieces[other];
        key = key.and_key(room.contents.shapes[other]).and(&(&worn.name, worn.place));
    }
    key.end()
}
