//! Through a cage: layers that follow a simple mesh round them.

use crate::mesh::Topology;
use crate::query::{closest_on_triangle, Bvh, WindingField};
use crate::skin::{merge, Skin};
use crate::JointId;
use glam::Vec3;
use rayon::prelude::*;

/// How one vertex hangs on the cage: triangles near it, the place on each that is nearest as barycentric coordinates,
/// and its share; shares sum to 1.
type Tie = Vec<(u32, [f32; 3], f32)>;

/// Triangles a vertex is tied to, at most.
const TIES: usize = 12;

/// Nearer than this to the cage a vertex has what is there, metres.
const ON_IT: f32 = 1e-4;

/// The weights that each of `points` (metres, at rest) has of a cage: those of the places on the triangles round its
/// nearest one, each by the inverse fourth power of its distance, so that they fade from triangle to triangle without
/// a jump, and neighbours follow the same joints. Rows are heaviest first, of as many joints as there are.
///
/// The ties are those of Singh & Kokkevis, “Skinning characters using surface-oriented free-form deformations”, 2000;
/// weights are taken through them, as a blend by weights is all that goes out.
///
/// ```
/// use tin_cloak_core::{bind::cage::weights_in_cage, mesh::Topology, shapes::{tube, Arm}, JointId};
///
/// let (arm, sleeve) = (Arm::new(), tube(0.06, 0.5, 0.58, 16, 4, 1.0));
/// let topology = Topology::of_welded(arm.surface.0.len(), &arm.surface.1);
/// let rows = weights_in_cage(&sleeve.0, &arm.surface.0, &topology, &arm.skin);
/// assert!(rows.iter().all(|row| row[0].0 == JointId(1) && row[0].1 > 0.999));
/// ```
pub fn weights_in_cage(
    points: &[Vec3],
    cage: &[Vec3],
    topology: &Topology,
    skin: &Skin,
) -> Vec<Vec<(JointId, f32)>> {
    let tree = Bvh::build(cage, &topology.triangles);
    let one = |p: &Vec3| {
        let tie = tie(*p, cage, topology, &tree);
        let places = tie.iter().flat_map(|&(t, barycentric, share)| {
            topology.triangles[t as usize].into_iter().zip(barycentric).map(move |(v, b)| (v, b * share))
        });
        let all = places.filter(|(_, by)| *by > 0.0);
        let mut row: Vec<_> =
            all.flat_map(|(v, by)| skin.row(v as usize).map(move |(j, w)| (j, w * by))).collect();
        merge(&mut row);
        row
    };
    points.par_iter().with_min_len(128).map(one).collect()
}

fn tie(p: Vec3, cage: &[Vec3], topology: &Topology, tree: &Bvh) -> Tie {
    let Some(hit) = tree.closest(p, f32::INFINITY) else { return Tie::new() };
    let corners = topology.triangles[hit.triangle as usize];
    let mut near: Vec<u32> = corners
        .iter()
        .flat_map(|&v| topology.neighbours.row(v as usize))
        .flat_map(|&v| topology.incident.row(v as usize).iter().copied())
        // A face without area is beside none.
        .chain([hit.triangle])
        .collect();
    near.sort_unstable();
    near.dedup();
    let place = |t: u32| {
        let triangle = topology.triangles[t as usize].map(|v| cage[v as usize]);
        let (foot, barycentric, _) = closest_on_triangle(p, triangle);
        (t, barycentric, p.distance(foot))
    };
    let mut places: Tie = near.into_iter().map(place).collect();
    places.sort_by(|a, b| a.2.total_cmp(&b.2).then(a.0.cmp(&b.0)));
    // The first that is left out has no share, so that none jumps in or out.
    let edge = places.get(TIES).map_or(f32::INFINITY, |e| e.2);
    places.truncate(TIES);
    let nearest = places[0].2.max(ON_IT);
    let share = |far: f32| {
        let fade = if edge.is_finite() { (1.0 - far / edge.max(1e-9)).max(0.0) } else { 1.0 };
        (nearest / far.max(ON_IT)).powi(4) * fade
    };
    let sum: f32 = places.iter().map(|place| share(place.2)).sum();
    if sum <= 0.0 {
        return vec![(places[0].0, places[0].1, 1.0)];
    }
    places.iter_mut().for_each(|place| place.2 = share(place.2) / sum);
    places
}

/// Which of `points` lie outside a cage further than `slack` metres, by the generalised winding
/// number (Jacobson, Kavan & Sorkine-Hornung, 2013).
///
/// ```
/// use glam::Vec3;
/// use tin_cloak_core::{bind::cage::outside_cage, shapes::sphere};
///
/// let (cage, faces) = sphere(0.2, 24);
/// let points = [Vec3::X * 0.1, Vec3::X * 0.3];
/// assert_eq!(outside_cage(&points, &cage, &faces, 0.001), [1]);
/// ```
pub fn outside_cage(points: &[Vec3], cage: &[Vec3], triangles: &[[u32; 3]], slack: f32) -> Vec<u32> {
    let tree = Bvh::build(cage, triangles);
    let field = WindingField::new(&tree);
    let out = |p: &Vec3| field.at(*p) < 0.5 && tree.closest(*p, slack).is_none();
    let flags: Vec<bool> = points.par_iter().with_min_len(128).map(out).collect();
    (0u32..).zip(flags).filter(|e| e.1).map(|e| e.0).collect()
}
