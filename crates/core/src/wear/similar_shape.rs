//! Cloth given back its own shape where it was carried to.

use crate::bind::{solve_positive, BindError};
use crate::mesh::{Alignment, Topology};
use crate::seat::FindGaps;
use glam::{DVec3, Mat3, Vec3};
use rayon::prelude::*;
use tin_cloak_solve::{Mat, Triplet};

/// What a vertex counts that stays where it was carried to, beside 1 for an edge.
const PLACE: f64 = 0.3;
/// What its gap counts where it lies close, and how that falls with the gap, metres.
const GAP: (f64, f32) = (20.0, 0.03);
/// A gap is mended by no more than this in a round, metres.
const STEP: f32 = 0.01;
const ROUNDS: usize = 6;

/// Places at which each ring of edges is as similar as can be to the one in `shape` (turned and sized, not sheared),
/// vertices are near `carried`, and gaps near `wanted`, metres: as Sorkine & Alexa, “As-rigid-as-possible surface
/// modeling”, 2007, with a size to each ring.
pub(super) fn similar_shape(
    shape: &[Vec3],
    topology: &Topology,
    carried: &[Vec3],
    wanted: &[Option<f32>],
    find: FindGaps,
) -> Result<Vec<Vec3>, BindError> {
    let neighbours = &topology.neighbours;
    let held: Vec<f64> = wanted.iter().map(|g| g.map_or(0.0, how_close)).collect();
    let mut lower = Vec::with_capacity(neighbours.items.len() / 2 + shape.len());
    for v in 0..shape.len() {
        let row = neighbours.row(v);
        lower.extend(row.iter().map(|w| *w as usize).filter(|w| *w < v).map(|w| Triplet::new(v, w, -1.0)));
        lower.push(Triplet::new(v, v, row.len() as f64 + PLACE + held[v]));
    }
    let mut now = carried.to_vec();
    for _ in 0..ROUNDS {
        let gaps = find(&now);
        let ring = |v: usize| {
            let ring = || neighbours.row(v).iter().map(|w| *w as usize).chain([v]);
            let pick = |list: &[Vec3]| ring().map(|w| list[w]).collect::<Vec<_>>();
            let fit = Alignment::between(&pick(shape), &pick(&now));
            Mat3::from_quat(fit.rotation) * fit.scale
        };
        let rings: Vec<Mat3> = (0..now.len()).into_par_iter().with_min_len(256).map(ring).collect();
        let right = |v: usize| {
            let edge = |w: &u32| {
                let edge = shape[v] - shape[*w as usize];
                ((rings[v] * edge + rings[*w as usize] * edge) * 0.5).as_dvec3()
            };
            let edges: DVec3 = neighbours.row(v).iter().map(edge).sum();
            let lifted = match (wanted[v], gaps[v]) {
                (Some(wanted), Some(is)) => is.normal * (wanted - is.clearance).clamp(-STEP, STEP),
                _ => Vec3::ZERO,
            };
            edges + carried[v].as_dvec3() * PLACE + (now[v] + lifted).as_dvec3() * held[v]
        };
        let right: Vec<DVec3> = (0..now.len()).into_par_iter().with_min_len(256).map(right).collect();
        let solved =
            solve_positive(now.len(), &lower, &Mat::<f64>::from_fn(now.len(), 3, |v, k| right[v][k]))?;
        let at = |v: usize| DVec3::new(solved[(v, 0)], solved[(v, 1)], solved[(v, 2)]).as_vec3();
        now = (0..now.len()).map(at).collect();
    }
    Ok(now)
}

fn how_close(gap: f32) -> f64 {
    GAP.0 * f64::from((-(gap / GAP.1).powi(2)).exp())
}
