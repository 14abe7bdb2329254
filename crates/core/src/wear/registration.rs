//! One skin drawn onto another.

use super::limb_map::Limb;
use crate::bind::BindError;
use crate::clearance::{PosedSide, Side};
use crate::mesh::{vertex_normals_into, Alignment, Topology};
use glam::{DVec3, Mat3, Vec3};
use rayon::prelude::*;
use tin_cloak_solve::{solve_positive, Mat, Triplet};

/// A skin: welded, metres, with the part of a person that each vertex belongs to.
#[derive(Clone, Copy)]
pub struct SkinSurface<'a> {
    /// Where its vertices are.
    pub positions: &'a [Vec3],
    /// Over them.
    pub topology: &'a Topology,
    /// One a vertex.
    pub limbs: &'a [Limb],
}

/// Where a skin lies on another.
#[derive(Clone, Debug, PartialEq)]
pub struct Registration {
    /// A place for each of its vertices, metres.
    pub places: Vec<Vec3>,
    /// The share of its vertices (fingers left out) that found a partner.
    pub matched_share: f32,
    /// How far those lie off the other skin, metres: on the mean, and at 95 %.
    pub off: [f32; 2],
}

/// How stiff it is, from round to round; each twice. A stiff start matters most where joints lie elsewhere.
const STIFFNESS: [f64; 10] = [200.0, 100.0, 50.0, 20.0, 10.0, 5.0, 2.0, 1.0, 0.5, 0.2];
/// At the end what is left goes by displacements that are smooth by so much.
const SMOOTHNESS: [f64; 3] = [5.0, 1.0, 0.3];
/// Partners lie no further than this, metres: in the first round, and in the last.
const REACH: [f32; 2] = [0.06, 0.02];
/// At the end.
const LAST_REACH: [f32; 2] = [0.03, 0.02];
/// The cosine between the normals of partners is above this.
const SAME_WAY: f32 = 0.7;
/// What holds a vertex of a part that has no partner where it is, beside 1 for a partner.
const HELD: f64 = 1e-4;

/// Draws a skin that lies near another onto it: as rigid as possible, less and less, towards the nearest places that
/// look the same way and belong to the same part of a person (non-rigid closest points with falling stiffness:
/// Amberg, Romdhani & Vetter, “Optimal step nonrigid ICP algorithms for surface registration”, 2007; its stiffness
/// that of Sorkine & Alexa, “As-rigid-as-possible surface modeling”, 2007, edges weighed alike). What is left at the
/// end goes by smooth displacements. Fingers go along with the hand. `tell` is told the share done and answers
/// whether to go on; none where it says no.
///
/// # Errors
/// When a system cannot be factored.
pub fn register(
    from: SkinSurface,
    onto: SkinSurface,
    tell: &dyn Fn(f32) -> bool,
) -> Result<Option<Registration>, BindError> {
    let side = Side::new(onto.positions.len(), &onto.topology.triangles);
    let posed = side.pose(onto.positions);
    let other = Other { surface: onto, side: &side, posed: &posed };
    let mut now = from.positions.to_vec();
    let rounds = 2 * (STIFFNESS.len() + SMOOTHNESS.len());
    for round in 0..2 * STIFFNESS.len() {
        if !tell(round as f32 / rounds as f32) {
            return Ok(None);
        }
        let done = round as f32 / (2 * STIFFNESS.len() - 1) as f32;
        let partners = other.partners(&from, &now, REACH[0] + (REACH[1] - REACH[0]) * done);
        now = as_rigid(&from, &now, &partners, STIFFNESS[round / 2])?;
    }
    for round in 0..2 * SMOOTHNESS.len() {
        if !tell((2 * STIFFNESS.len() + round) as f32 / rounds as f32) {
            return Ok(None);
        }
        let done = round as f32 / (2 * SMOOTHNESS.len() - 1) as f32;
        let reach = LAST_REACH[0] + (LAST_REACH[1] - LAST_REACH[0]) * done;
        let partners = other.partners(&from, &now, reach);
        now = smoothly(&from, &now, &partners, SMOOTHNESS[round / 2])?;
    }
    let (matched_share, off) = other.judged(&from, &now);
    Ok(Some(Registration { places: now, matched_share, off }))
}

/// The skin that another is drawn onto.
struct Other<'a> {
    surface: SkinSurface<'a>,
    side: &'a Side,
    posed: &'a PosedSide,
}

impl Other<'_> {
    /// The place on it for each vertex at `now`, within `reach` metres.
    fn partners(&self, from: &SkinSurface, now: &[Vec3], reach: f32) -> Vec<Option<Vec3>> {
        let mut normals = vec![Vec3::ZERO; now.len()];
        vertex_normals_into(now, &from.topology.triangles, &from.topology.incident, &mut normals);
        let one = |v: usize| {
            if matches!(from.limbs[v], Limb::Finger(_)) || normals[v] == Vec3::ZERO {
                return None;
            }
            let hit = self.posed.tree.closest_facing(now[v], reach, normals[v], SAME_WAY)?;
            let corner = self.side.topology.triangles[hit.triangle as usize][heaviest(hit.barycentric)];
            let agrees = from.limbs[v].agrees_with(self.surface.limbs[corner as usize]);
            // Beyond an open edge there is nothing to lie on.
            (agrees && !self.side.on_open_edge(&hit)).then_some(hit.point)
        };
        (0..now.len()).into_par_iter().with_min_len(256).map(one).collect()
    }

    /// The share that has a partner, and how far those are off.
    fn judged(&self, from: &SkinSurface, now: &[Vec3]) -> (f32, [f32; 2]) {
        let partners = self.partners(from, now, LAST_REACH[1]);
        let counts = from.limbs.iter().filter(|l| !matches!(l, Limb::Finger(_))).count();
        let apart = partners.iter().zip(now).filter_map(|(c, p)| c.map(|c| c.distance(*p)));
        let mut off: Vec<f32> = apart.collect();
        off.sort_by(f32::total_cmp);
        let mean = off.iter().sum::<f32>() / off.len().max(1) as f32;
        let high = off.get(off.len() * 95 / 100).copied().unwrap_or(0.0);
        (off.len() as f32 / counts.max(1) as f32, [mean, high])
    }
}

fn heaviest(shares: [f32; 3]) -> usize {
    (0..3).max_by(|a, b| shares[*a].total_cmp(&shares[*b])).unwrap_or(0)
}

/// One step: rings turned as they are now, places solved for.
fn as_rigid(
    from: &SkinSurface,
    now: &[Vec3],
    partners: &[Option<Vec3>],
    stiffness: f64,
) -> Result<Vec<Vec3>, BindError> {
    let (shape, neighbours) = (from.positions, &from.topology.neighbours);
    let turn = |v: usize| {
        let ring = || neighbours.row(v).iter().map(|w| *w as usize).chain([v]);
        let pick = |list: &[Vec3]| ring().map(|w| list[w]).collect::<Vec<_>>();
        Mat3::from_quat(Alignment::between(&pick(shape), &pick(now)).rotation)
    };
    let turns: Vec<Mat3> = (0..now.len()).into_par_iter().with_min_len(256).map(turn).collect();
    let wanted = |v: usize, w: usize| {
        let edge = shape[v] - shape[w];
        ((turns[v] * edge + turns[w] * edge) * 0.5).as_dvec3()
    };
    solved(from.topology, now, partners, stiffness, &wanted)
}

/// One step of displacements that are alike at neighbours.
fn smoothly(
    from: &SkinSurface,
    now: &[Vec3],
    partners: &[Option<Vec3>],
    smoothness: f64,
) -> Result<Vec<Vec3>, BindError> {
    let wanted = |v: usize, w: usize| (now[v] - now[w]).as_dvec3();
    solved(from.topology, now, partners, smoothness, &wanted)
}

/// The places at which edges are nearest to what is `wanted` of them and vertices nearest to their partners, in least
/// squares.
fn solved(
    topology: &Topology,
    now: &[Vec3],
    partners: &[Option<Vec3>],
    stiffness: f64,
    wanted: &(dyn Fn(usize, usize) -> DVec3 + Sync),
) -> Result<Vec<Vec3>, BindError> {
    let n = now.len();
    let neighbours = &topology.neighbours;
    let mut lower = Vec::with_capacity(neighbours.items.len() / 2 + n);
    for v in 0..n {
        let row = neighbours.row(v);
        let before = row.iter().map(|w| *w as usize).filter(|w| *w < v);
        lower.extend(before.map(|w| Triplet::new(v, w, -stiffness)));
        let held = if partners[v].is_some() { 1.0 } else { HELD };
        lower.push(Triplet::new(v, v, stiffness * row.len() as f64 + held));
    }
    let right = |v: usize| {
        let edges: DVec3 = neighbours.row(v).iter().map(|w| wanted(v, *w as usize)).sum();
        let pulled = partners[v].map_or(now[v].as_dvec3() * HELD, |c| c.as_dvec3());
        edges * stiffness + pulled
    };
    let right: Vec<DVec3> = (0..n).into_par_iter().with_min_len(1024).map(right).collect();
    let solved = solve_positive(n, &lower, &Mat::<f64>::from_fn(n, 3, |v, k| right[v][k]))?;
    Ok((0..n).map(|v| DVec3::new(solved[(v, 0)], solved[(v, 1)], solved[(v, 2)]).as_vec3()).collect())
}
