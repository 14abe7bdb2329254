//! What a change spoils is taken back, and only there.

use super::moves::partners_of;
use crate::clearance::Layer;
use crate::mesh::over_surface;

/// A change is taken back so far about what it spoils, and fades in from there on, metres.
const SPOILT: f32 = 0.01;
const FADES_IN: f32 = 0.03;

/// How much of a change, 0 to 1, the vertices of a layer keep that lie about those at which it spoils something, by
/// distance along the surface at rest: none within 10 mm, all from 40 mm on. Vertices that keep all are not named. The
/// two walls of a layer keep alike, so that they stay as far apart as they were.
///
/// ```
/// use tin_cloak_core::mend::shares_to_keep;
/// use tin_cloak_core::shapes::{outfit, sphere};
///
/// let outfit = outfit(&sphere(0.1, 32), &[sphere(0.11, 32)]);
/// let kept = shares_to_keep(&outfit.layers[1], vec![0]);
/// assert_eq!(kept[0], (0, 0.0), "the spoilt one keeps nothing");
/// assert!(kept.len() < outfit.layers[1].rest.len() / 2, "what is far off keeps all");
/// ```
pub fn shares_to_keep(layer: &Layer, mut spoilt: Vec<u32>) -> Vec<(usize, f32)> {
    let partners = partners_of(layer);
    let measured = |v: usize| partners.get(v).map_or(v, |p| *p as usize);
    spoilt.iter_mut().for_each(|v| *v = measured(*v as usize) as u32);
    spoilt.sort_unstable();
    spoilt.dedup();
    let mut shares = vec![1.0f32; layer.rest.len()];
    for (v, far) in over_surface(&layer.rest, &layer.topology, &spoilt, SPOILT + FADES_IN) {
        shares[v as usize] = ((far - SPOILT) / FADES_IN).clamp(0.0, 1.0);
    }
    let kept = (0..shares.len()).map(|v| (v, shares[measured(v)]));
    kept.filter(|(_, share)| *share < 1.0).collect()
}
