//! A board with the places behind it: what mending works on.

use crate::measuring::board::Board;
use std::sync::Arc;
use tin_cloak_core::clearance::{AtRest, Crossing, Outfit, Penetration, Place, Sight};
use tin_cloak_core::mend::Trouble;

/// A dress as measured.
#[derive(Clone)]
pub struct Measured {
    pub board: Arc<Board>,
    /// Its layers, as they were measured.
    pub outfit: Outfit,
    /// The piece of each; the body has none.
    pub piece_of: Vec<Option<usize>>,
    /// What each pair of the outfit has at rest already.
    pub at_rest: Vec<Arc<AtRest>>,
    /// By pose, what counts there and is out of tolerance, in sight; and what lies in itself, though that be there for
    /// stress only.
    pub trouble: Vec<Trouble>,
}

/// Where two layers that do not lie over each other at rest are in each other, by more than `tolerance` metres.
pub fn places_of_contact(outer: usize, inner: usize, crossing: &Crossing, tolerance: f32) -> Vec<Place> {
    let side = crossing.spot.map(|s| s.on_outer).filter(|_| crossing.depth > tolerance);
    // Of two that are in each other the one goes out that has the shorter way.
    let own = crossing.inside.iter().filter(|s| Some(s.on_outer) == side && s.depth > tolerance);
    let place = |on_outer: bool, vertex: u32| {
        let layers = if on_outer { (outer, inner) } else { (inner, outer) };
        Place::Inside { layers, vertex }
    };
    own.map(|s| place(s.on_outer, s.vertex)).collect()
}

/// Where a pair of an outfit is out of tolerance, in sight.
pub fn places_of(outfit: &Outfit, pair: usize, through: &Penetration, sight: &Sight) -> Vec<Place> {
    let seen = through.spots.iter().zip(&sight.buried).filter(|(_, buried)| !**buried);
    let spots = seen.filter_map(|(s, _)| outfit.place_of(pair, s.on_outer, s.vertex));
    let stretches = through.stretches.iter().filter(|_| sight.stretch.is_some());
    spots.chain(stretches.map(|s| s.place(pair))).collect()
}
