//! What rest has already, by pairs of layers: told once, as seating.

use rayon::prelude::*;
use std::sync::Arc;
use tin_cloak_core::clearance::AtRest;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::worn::{LayerFacts, Worn};
use tin_cloak_model::state::key::Key;

/// Asked of a room: what rest has already, by pairs of layers: told once, as seating.
pub trait AtRestOfRoom {
    /// What crosses and is wrong at rest, of pairs of layers `(outer, inner)`.
    fn at_rest(&self, worn: &Worn, pairs: &[(usize, usize)]) -> Vec<Arc<AtRest>>;
}

impl AtRestOfRoom for Room {
    fn at_rest(&self, worn: &Worn, pairs: &[(usize, usize)]) -> Vec<Arc<AtRest>> {
        let still = std::sync::OnceLock::new();
        let one = |&(outer, inner): &(usize, usize)| {
            // Whether a layer moves as one is said by its weights.
            let shape = |f: &LayerFacts| if outer == inner { f.moves } else { f.shape };
            let facts = |layer: usize| (shape(&worn.facts[layer]), worn.facts[layer].layer);
            let ((above, up), (below, down)) = (facts(outer), facts(inner));
            // Nothing of the outer one lies over what is higher up or beside it.
            let key = Key::begin("at rest").and_key(above).and_key(below).and(&(down < up)).end();
            self.derived.get_or(key, || {
                let buffers = still.get_or_init(|| worn.outfit.buffers());
                AtRest::new(&worn.outfit, buffers, outer, inner)
            })
        };
        pairs.par_iter().map(one).collect()
    }
}
