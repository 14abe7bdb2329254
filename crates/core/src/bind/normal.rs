//! Matching along the normal, and both ways.

use super::clean::weight_elsewhere;
use super::{match_surface, BindTarget, Match, MatchSettings, Source};
use rayon::prelude::*;

/// Finds where the normal of each target vertex, inward or outward, first meets a face of the
/// source that looks the same way (within the angle of `settings`), no further than its distance;
/// the nearer of both. What meets nothing is not accepted and has the closest point's weights.
///
/// ```
/// use tin_cloak_core::bind::{match_along_normal, MatchSettings, Source, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::{tube, Arm}};
///
/// let (arm, sleeve) = (Arm::new(), tube(0.06, 0.1, 0.5, 16, 16, 1.0));
/// let topology = Topology::of_welded(sleeve.0.len(), &sleeve.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let settings = MatchSettings { distance: 0.02, min_cosine: 0.5 };
/// let found = match_along_normal(&source, &BindTarget::new(&sleeve.0, &topology), settings);
/// assert_eq!(found.share(), 1.0);
/// ```
pub fn match_along_normal(source: &Source, target: &BindTarget, settings: MatchSettings) -> Match {
    let mut found = match_surface(source, target, MatchSettings { distance: -1.0, min_cosine: 2.0 });
    let places = target.positions.par_iter().zip(&target.normals).with_min_len(256);
    let hits: Vec<_> = places
        .map(|(&p, &normal)| {
            let alike = |_: u32, [a, b, c]: &[glam::Vec3; 3]| {
                (*b - *a).cross(*c - *a).normalize_or_zero().dot(normal) >= settings.min_cosine
            };
            let along = |way: glam::Vec3| source.tree.ray(p, way, 0.0, settings.distance, alike);
            [along(-normal), along(normal)]
                .into_iter()
                .flatten()
                .min_by(|a, b| a.distance.total_cmp(&b.distance))
        })
        .collect();
    for (v, hit) in hits.iter().enumerate() {
        if let Some(hit) = hit {
            found.accepted[v] = true;
            found.rows[v] = source.skin.at(source.triangles[hit.triangle as usize], hit.barycentric);
        }
    }
    found
}

/// Both ways: accepted is what the closest point and the normal both find and agree on, with the weights along the
/// normal. Where one of them finds nothing, or their weights contradict each other, nothing is.
///
/// On surfaces whose true weights are known it misses less than either on a real body, and less than the closest point
/// on a plain one; `docs/matching.md` has the figures.
///
/// ```
/// use tin_cloak_core::bind::{match_both_ways, MatchSettings, Source, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::{tube, Arm}};
///
/// let (arm, sleeve) = (Arm::new(), tube(0.06, 0.1, 0.5, 16, 16, 1.0));
/// let topology = Topology::of_welded(sleeve.0.len(), &sleeve.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let settings = MatchSettings { distance: 0.02, min_cosine: 0.5 };
/// let found = match_both_ways(&source, &BindTarget::new(&sleeve.0, &topology), settings);
/// assert!(found.share() > 0.95);
/// ```
pub fn match_both_ways(source: &Source, target: &BindTarget, settings: MatchSettings) -> Match {
    let (near, mut found) = rayon::join(
        || match_surface(source, target, settings),
        || match_along_normal(source, target, settings),
    );
    for (v, accepted) in found.accepted.iter_mut().enumerate() {
        *accepted &= near.accepted[v] && weight_elsewhere(&near.rows[v], &found.rows[v]) <= CONTRADICT;
    }
    found
}

/// Two places of which more of the weight than this is on other joints contradict each other.
const CONTRADICT: f32 = 0.5;
