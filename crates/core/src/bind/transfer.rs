//! Weights straight from the nearest place on the source.

use super::{BindError, BindTarget, Source};
use crate::mesh::mix;
use crate::query::Bvh;
use crate::skin::Skin;
use crate::JointId;
use glam::Vec3;
use rayon::prelude::*;

/// When a closest point is believed to be the surface a garment vertex belongs to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MatchSettings {
    /// Largest distance, metres.
    pub distance: f32,
    /// Cosine of the largest angle between the normals.
    pub min_cosine: f32,
}

impl MatchSettings {
    /// The published defaults: 5 % of the piece's bounding-box diagonal, 30°.
    pub fn for_target(target: &BindTarget) -> Self {
        let (low, high) = crate::mesh::bounds(target.positions);
        Self { distance: (high - low).length() * 0.05, min_cosine: 30f32.to_radians().cos() }
    }
}

/// The closest place on the source for each vertex of the target.
#[derive(Clone, Debug)]
pub struct Match {
    /// True where distance and normals agree.
    pub accepted: Vec<bool>,
    /// Interpolated weights at the closest point, accepted or not; not limited yet.
    pub rows: Vec<Vec<(JointId, f32)>>,
}

impl Match {
    /// Share of vertices accepted, 0 to 1.
    pub fn share(&self) -> f32 {
        let accepted = self.accepted.iter().filter(|a| **a).count();
        accepted as f32 / self.accepted.len().max(1) as f32
    }
}

/// Finds the closest surface point of every target vertex and judges it by distance and
/// normal (interpolated on the source).
///
/// ```
/// use tin_cloak_core::bind::{match_surface, MatchSettings, Source, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::{tube, Arm}};
///
/// // The upper half of this sleeve has no arm beneath.
/// let (arm, sleeve) = (Arm::new(), tube(0.055, 0.4, 0.8, 16, 16, 1.0));
/// let topology = Topology::of_welded(sleeve.0.len(), &sleeve.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let settings = MatchSettings { distance: 0.02, min_cosine: 0.8 };
/// let found = match_surface(&source, &BindTarget::new(&sleeve.0, &topology), settings);
/// assert!((found.share() - 0.5).abs() < 0.1);
/// ```
pub fn match_surface(source: &Source, target: &BindTarget, settings: MatchSettings) -> Match {
    let (accepted, rows) = target
        .positions
        .par_iter()
        .zip(&target.normals)
        .with_min_len(256)
        .map(|(&p, &normal)| {
            let Some(hit) = source.tree.closest(p, f32::INFINITY) else { return (false, Vec::new()) };
            let corners = source.triangles[hit.triangle as usize];
            let there: Vec3 = mix(corners, hit.barycentric, |v| source.normals[v as usize]);
            let there = there.normalize_or_zero();
            let near = hit.distance_squared <= settings.distance * settings.distance;
            (near && normal.dot(there) >= settings.min_cosine, source.skin.at(corners, hit.barycentric))
        })
        .unzip();
    Match { accepted, rows }
}

/// Weights of the nearest surface point, by barycentric interpolation, one row a target vertex.
///
/// ```
/// use tin_cloak_core::bind::{nearest_surface, Source, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::{tube, Arm}, JointId};
///
/// let (arm, cuff) = (Arm::new(), tube(0.06, 0.5, 0.58, 16, 4, 1.0));
/// let topology = Topology::of_welded(cuff.0.len(), &cuff.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let skin = nearest_surface(&source, &BindTarget::new(&cuff.0, &topology))?;
/// assert!(skin.column(JointId(1)).iter().all(|w| *w == 1.0));
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the source has no weights to give.
pub fn nearest_surface(source: &Source, target: &BindTarget) -> Result<Skin, BindError> {
    let anywhere = MatchSettings { distance: f32::INFINITY, min_cosine: -1.0 };
    Ok(Skin::from_rows(&match_surface(source, target, anywhere).rows, source.joints)?)
}

/// Weights of the nearest source vertex, one row a target vertex.
///
/// ```
/// use tin_cloak_core::bind::{nearest_vertex, Source, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm};
///
/// // The body's own surface gets its own weights.
/// let arm = Arm::new();
/// let topology = Topology::of_welded(arm.surface.0.len(), &arm.surface.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let skin = nearest_vertex(&source, &BindTarget::new(&arm.surface.0, &topology))?;
/// assert_eq!(skin.weights(), arm.skin.weights());
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the source has no weights to give.
pub fn nearest_vertex(source: &Source, target: &BindTarget) -> Result<Skin, BindError> {
    Ok(Skin::from_rows(&match_vertices(source, target).rows, source.joints)?)
}

/// The weights of the nearest vertex that some triangle of the source uses; all are accepted.
///
/// ```
/// use tin_cloak_core::bind::{match_vertices, Source, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::{tube, Arm}};
///
/// let (arm, far) = (Arm::new(), tube(0.3, 0.4, 0.8, 16, 16, 1.0));
/// let topology = Topology::of_welded(far.0.len(), &far.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// assert_eq!(match_vertices(&source, &BindTarget::new(&far.0, &topology)).share(), 1.0);
/// ```
pub fn match_vertices(source: &Source, target: &BindTarget) -> Match {
    let mut used: Vec<u32> = source.triangles.iter().flatten().copied().collect();
    used.sort_unstable();
    used.dedup();
    let places: Vec<Vec3> = used.iter().map(|&v| source.positions[v as usize]).collect();
    let points = Bvh::over_points(&places);
    let nearest = |p: &Vec3| -> Vec<(JointId, f32)> {
        let hit = points.closest(*p, f32::INFINITY);
        hit.map(|h| source.skin.row(used[h.triangle as usize] as usize).collect()).unwrap_or_default()
    };
    let rows = target.positions.par_iter().with_min_len(256).map(nearest).collect();
    Match { accepted: vec![true; target.positions.len()], rows }
}
