//! What a change spoils: where something is through that was not before, it is taken back, and only there.

use crate::dress::dressed::Dress;
use crate::measuring::measured::Measured;
use std::collections::HashSet;
use tin_cloak_core::mesh::over_surface;

/// What was changed is taken back so far about what it spoils, and fades in from there on, metres.
const SPOILT: f32 = 0.01;
const FADES_IN: f32 = 0.03;

/// How much of a change, 0 to 1, the vertices of each piece keep that lie about what it spoils; all others keep all.
pub(crate) fn shares_to_keep(
    dress: &Dress,
    before: &Measured,
    after: &Measured,
) -> Vec<(usize, Vec<(usize, f32)>)> {
    let share = |far: f32| ((far - SPOILT) / FADES_IN).clamp(0.0, 1.0);
    let of_layer = |(layer, seeds): (usize, Vec<u32>)| {
        let piece = after.piece_of[layer].filter(|_| !seeds.is_empty())?;
        let worn = &dress.pieces[piece];
        let near = over_surface(&worn.rest, &worn.topology, &seeds, SPOILT + FADES_IN);
        Some((piece, near.into_iter().map(|(v, far)| (v as usize, share(far))).collect()))
    };
    freshly_through(before, after).into_iter().enumerate().filter_map(of_layer).collect()
}

/// By layer the vertices at which something is through that was not before in the same pose, ascending.
fn freshly_through(before: &Measured, after: &Measured) -> Vec<Vec<u32>> {
    let mut fresh: Vec<Vec<u32>> = vec![Vec::new(); after.outfit.layers.len()];
    for (was, is) in before.trouble.iter().zip(&after.trouble) {
        let known: HashSet<_> = was.iter().map(|place| before.outfit.asked_at(place)).collect();
        let new = is.iter().filter(|place| !known.contains(&after.outfit.asked_at(place)));
        for (layer, v) in new.filter_map(|place| after.outfit.lying_at(place)).flatten() {
            fresh[layer].push(v);
        }
    }
    for list in &mut fresh {
        list.sort_unstable();
        list.dedup();
    }
    fresh
}
