//! What a change spoils: where something is through that was not before, it is taken back, and only there.

use crate::measuring::measured::Measured;
use std::collections::HashSet;
use tin_cloak_core::clearance::Layer;
use tin_cloak_core::mesh::over_surface;

/// What was changed is taken back so far about what it spoils, and fades in from there on, metres.
pub(crate) const TAKEN_BACK: usize = 3;
const SPOILT: f32 = 0.01;
const FADES_IN: f32 = 0.03;

/// How much of a change, 0 to 1, the vertices of each piece keep that lie about what it spoils; all others keep all.
pub(crate) fn shares_to_keep(before: &Measured, after: &Measured) -> Vec<(usize, Vec<(usize, f32)>)> {
    let of_layer = |(layer, seeds): (usize, Vec<u32>)| {
        let piece = after.piece_of[layer].filter(|_| !seeds.is_empty())?;
        Some((piece, shares_of(&after.outfit.layers[layer], seeds)))
    };
    freshly_through(before, after).into_iter().enumerate().filter_map(of_layer).collect()
}

/// The same of a layer that is spoilt at some vertices; its two walls keep alike, so that they stay as far apart as
/// they were.
fn shares_of(layer: &Layer, mut seeds: Vec<u32>) -> Vec<(usize, f32)> {
    let two_walls = layer.walls.away_from_body.is_some() && !layer.stiff;
    let partners = two_walls.then(|| layer.walls.towards_body.measured_partners(&layer.rest));
    let measured = |v: usize| partners.as_ref().map_or(v, |p| p[v] as usize);
    seeds.iter_mut().for_each(|v| *v = measured(*v as usize) as u32);
    seeds.sort_unstable();
    seeds.dedup();
    let mut shares = vec![1.0f32; layer.rest.len()];
    for (v, far) in over_surface(&layer.rest, &layer.topology, &seeds, SPOILT + FADES_IN) {
        shares[v as usize] = ((far - SPOILT) / FADES_IN).clamp(0.0, 1.0);
    }
    let kept = (0..shares.len()).map(|v| (v, shares[measured(v)]));
    kept.filter(|(_, share)| *share < 1.0).collect()
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
