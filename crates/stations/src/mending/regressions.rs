//! What a change spoils: where something is through that was not before, it is taken back, and only there.

use std::collections::HashSet;
use tin_cloak_core::mend::shares_to_keep;
use tin_cloak_measure::measuring::measured::Measured;

/// How much of a change, 0 to 1, the vertices of each piece keep that lie about what it spoils; all others keep all.
pub fn kept_of_change(before: &Measured, after: &Measured) -> Vec<(usize, Vec<(usize, f32)>)> {
    let of_layer = |(layer, spoilt): (usize, Vec<u32>)| {
        let piece = after.piece_of[layer].filter(|_| !spoilt.is_empty())?;
        Some((piece, shares_to_keep(&after.outfit.layers[layer], spoilt)))
    };
    freshly_through(before, after).into_iter().enumerate().filter_map(of_layer).collect()
}

/// By layer the vertices at which something is through that was not before in the same pose.
fn freshly_through(before: &Measured, after: &Measured) -> Vec<Vec<u32>> {
    let mut fresh: Vec<Vec<u32>> = vec![Vec::new(); after.outfit.layers.len()];
    for (was, is) in before.trouble.iter().zip(&after.trouble) {
        let known: HashSet<_> = was.iter().map(|place| before.outfit.asked_at(place)).collect();
        let new = is.iter().filter(|place| !known.contains(&after.outfit.asked_at(place)));
        for (layer, v) in new.filter_map(|place| after.outfit.lying_at(place)).flatten() {
            fresh[layer].push(v);
        }
    }
    fresh
}
