//! Relaxing: cloth that was moved is given back the shape it was modelled in, as far as its place allows.

use super::carry_shapes::lifted;
use super::ease::PieceSurface;
use super::Gap;
use crate::bind::{solve_positive, BindError, Laplacian};
use crate::clearance::{Covering, Side};
use crate::mend::keep_rigid;
use crate::mesh::{vertex_normals_into, Alignment, Topology};
use glam::{DMat3, DVec3, Mat3, Quat, Vec3};
use rayon::prelude::*;
use tin_cloak_solve::{Mat, Triplet};

/// How to relax.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Relaxing {
    /// 0 leaves all as it is, 1 asks for nothing but the shape.
    pub strength: f32,
    /// So often, each time from where the last left it.
    pub times: usize,
    /// What comes nearer to what lies beneath than this, and than it was, is lifted off it, metres.
    pub clear: f32,
}

/// A piece that is to be relaxed.
#[derive(Clone, Copy)]
pub struct Relaxed<'a> {
    /// Where its vertices are, metres.
    pub positions: &'a [Vec3],
    /// Where they were when its shape was right: elsewhere, turned and sized otherwise, if need be.
    pub shape: &'a [Vec3],
    /// Over the vertices.
    pub topology: &'a Topology,
    /// Its measured faces.
    pub side: &'a Side,
    /// Those that may move.
    pub chosen: &'a [bool],
    /// Its stiff parts, as [`keep_rigid`] takes them.
    pub rigid: &'a [u32],
}

/// What lies further beneath a vertex than this need not be kept clear of, metres.
const REACH: f32 = 0.05;
/// Turns are found and places solved for so often each time.
const ROUNDS: usize = 3;
/// Where the shape fits the place so well as a whole (of its size), it is sized differently along its axes.
const FITS: f64 = 0.02;

/// New positions: as rigid as possible the shape's, ring by ring, and near where they are (Sorkine & Alexa,
/// “As-rigid-as-possible surface modeling”, 2007), so that folds and rows come back as they were; what is not chosen
/// stays, stiff parts go as one each, and nothing comes nearer to what lies `beneath` than it was or than is clear.
///
/// ```
/// use tin_cloak_core::clearance::{Covering, Side};
/// use tin_cloak_core::seat::{relax, Relaxed, Relaxing};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology, shapes::sphere};
///
/// // A shirt with a bump that nothing beneath asks for.
/// let (body, shirt) = (sphere(0.1, 24), sphere(0.11, 24));
/// let topology = Topology::of_welded(shirt.0.len(), &shirt.1);
/// let (own, under) = (Side::new(shirt.0.len(), &shirt.1), Side::new(body.0.len(), &body.1));
/// let posed = under.pose(&body.0);
/// let beneath = Covering { side: &under, posed: &posed, positions: &body.0 };
/// let mut bumped = shirt.0.clone();
/// bumped[0] *= 1.2;
/// let chosen = vec![true; bumped.len()];
/// let (positions, shape, chosen) = (&bumped[..], &shirt.0[..], &chosen[..]);
/// let piece = Relaxed { positions, shape, topology: &topology, side: &own, chosen, rigid: &[] };
/// let calm = relax(piece, beneath, Relaxing { strength: 0.9, times: 6, clear: 0.001 })?;
/// assert!(calm[0].distance(shirt.0[0]) < 0.2 * bumped[0].distance(shirt.0[0]));
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the system cannot be factored.
pub fn relax(piece: Relaxed, beneath: Covering, how: Relaxing) -> Result<Vec<Vec3>, BindError> {
    let Relaxed { positions, topology, side, chosen, rigid, .. } = piece;
    let mut now = positions.to_vec();
    if how.strength <= 0.0 || !chosen.contains(&true) {
        return Ok(now);
    }
    let shape = brought_over(piece.shape, positions);
    let edges = Edges::new(&shape, topology);
    let stay = f64::from((1.0 - how.strength.min(1.0)) / how.strength).max(1e-6);
    let wanted = gaps(side, beneath, positions);
    let wanted: Vec<Option<f32>> = wanted.iter().map(|g| g.map(|g| g.clearance.min(how.clear))).collect();
    for _ in 0..how.times {
        let anchor = now.clone();
        for _ in 0..ROUNDS {
            let turns = edges.turns(&shape, &now);
            now = edges.solved(&shape, &turns, &anchor, stay, chosen)?;
        }
        keep_rigid(rigid, positions, &mut now, f32::INFINITY);
    }
    let find = |at: &[Vec3]| gaps(side, beneath, at);
    let mut clear = now;
    lifted(PieceSurface { start: positions, side, topology, rigid }, &find, &wanted, chosen, &mut clear);
    Ok(clear)
}

fn gaps(side: &Side, beneath: Covering, positions: &[Vec3]) -> Vec<Option<Gap>> {
    let mut normals = vec![Vec3::ZERO; positions.len()];
    vertex_normals_into(positions, &side.topology.triangles, &side.topology.incident, &mut normals);
    beneath.gaps(positions, &normals, REACH)
}

/// The shape where the piece is: by the affine map that fits best where that fits well (a piece that was sized), else
/// by a turn, a size and a shift.
fn brought_over(shape: &[Vec3], to: &[Vec3]) -> Vec<Vec3> {
    let mean = |list: &[Vec3]| list.iter().map(|p| p.as_dvec3()).sum::<DVec3>() / list.len().max(1) as f64;
    let (a, b) = (mean(shape), mean(to));
    let (mut both, mut own) = (DMat3::ZERO, DMat3::ZERO);
    for (p, q) in shape.iter().zip(to) {
        let (p, q) = (p.as_dvec3() - a, q.as_dvec3() - b);
        both += DMat3::from_cols(q * p.x, q * p.y, q * p.z);
        own += DMat3::from_cols(p * p.x, p * p.y, p * p.z);
    }
    let size = (own.x_axis.x + own.y_axis.y + own.z_axis.z).max(f64::MIN_POSITIVE);
    // Flat pieces have no third direction: a hair of one keeps the map sound.
    let map = both * (own + DMat3::from_diagonal(DVec3::splat(size * 1e-9))).inverse();
    let affine = |p: &Vec3| (b + map * (p.as_dvec3() - a)).as_vec3();
    let off: f64 = shape.iter().zip(to).map(|(p, q)| f64::from(affine(p).distance_squared(*q))).sum();
    if map.is_finite() && off < size * FITS * FITS {
        return shape.iter().map(affine).collect();
    }
    let matrix = Alignment::between(shape, to).matrix();
    shape.iter().map(|p| matrix.transform_point3(*p)).collect()
}

/// The edges of a shape with their weights.
struct Edges<'a> {
    topology: &'a Topology,
    laplacian: Laplacian,
}

impl<'a> Edges<'a> {
    fn new(shape: &[Vec3], topology: &'a Topology) -> Self {
        let laplacian = Laplacian::new(shape, &topology.triangles, &topology.neighbours);
        Self { topology, laplacian }
    }

    /// The weight of each edge at a vertex: cotangents, none below a hair of the vertex's own.
    fn around(&self, v: usize) -> impl Iterator<Item = (usize, f64)> + '_ {
        let own = self.laplacian.matrix.row(v).find(|e| e.0 == v).map_or(1.0, |e| e.1.abs());
        let others = self.laplacian.matrix.row(v).filter(move |e| e.0 != v);
        others.map(move |(w, l)| (w, (-l).max(own * 1e-3).max(1e-12)))
    }

    /// How each ring is turned now.
    fn turns(&self, shape: &[Vec3], now: &[Vec3]) -> Vec<Quat> {
        let turn = |v: usize| {
            let ring = self.topology.neighbours.row(v).iter().map(|w| *w as usize).chain([v]);
            let (from, to): (Vec<Vec3>, Vec<Vec3>) = ring.map(|w| (shape[w], now[w])).unzip();
            Alignment::between(&from, &to).rotation
        };
        (0..now.len()).into_par_iter().with_min_len(256).map(turn).collect()
    }

    fn solved(
        &self,
        shape: &[Vec3],
        turns: &[Quat],
        anchor: &[Vec3],
        stay: f64,
        chosen: &[bool],
    ) -> Result<Vec<Vec3>, BindError> {
        let mut number = vec![usize::MAX; chosen.len()];
        let free: Vec<usize> = (0..chosen.len()).filter(|v| chosen[*v]).collect();
        free.iter().enumerate().for_each(|(n, v)| number[*v] = n);
        let mut lower = Vec::with_capacity(free.len() * 5);
        let mut right = vec![DVec3::ZERO; free.len()];
        let matrices: Vec<Mat3> = turns.iter().map(|q| Mat3::from_quat(*q)).collect();
        for (n, &v) in free.iter().enumerate() {
            let mut sum = 0.0;
            for (w, weight) in self.around(v) {
                // The two rings at an edge weigh it alike.
                let weight = 0.5 * (weight + self.weight_of(w, v));
                let edge = shape[v] - shape[w];
                let turned = (matrices[v] * edge + matrices[w] * edge).as_dvec3() * 0.5;
                right[n] += turned * weight;
                sum += weight;
                match number[w] {
                    usize::MAX => right[n] += anchor[w].as_dvec3() * weight,
                    m if m < n => lower.push(Triplet::new(n, m, -weight)),
                    _ => {}
                }
            }
            let held = stay * sum.max(1e-9);
            right[n] += anchor[v].as_dvec3() * held;
            lower.push(Triplet::new(n, n, sum + held));
        }
        let right = Mat::<f64>::from_fn(free.len(), 3, |n, k| right[n][k]);
        let solved = solve_positive(free.len(), &lower, &right)?;
        let mut next = anchor.to_vec();
        for (n, &v) in free.iter().enumerate() {
            next[v] = DVec3::new(solved[(n, 0)], solved[(n, 1)], solved[(n, 2)]).as_vec3();
        }
        Ok(next)
    }

    fn weight_of(&self, v: usize, to: usize) -> f64 {
        self.around(v).find(|e| e.0 == to).map_or(0.0, |e| e.1)
    }
}

/// How far cloth is from a shape.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ShapeChange {
    /// Mean change of an edge's length, as a share of it; of one size for all nothing is told.
    pub strain: f32,
    /// Mean turn of the surface from one end of an edge to the other that the shape has not, degrees: lumps.
    pub bend_degrees: f32,
}

/// How far cloth at `now` is from its `shape`, over the edges between vertices that are `chosen`.
///
/// ```
/// use tin_cloak_core::{mesh::Topology, seat::shape_change, shapes::sphere};
///
/// let (shape, triangles) = sphere(0.1, 24);
/// let topology = Topology::of_welded(shape.len(), &triangles);
/// let larger: Vec<_> = shape.iter().map(|p| *p * 1.5).collect();
/// let all = vec![true; shape.len()];
/// let change = shape_change(&topology, &shape, &larger, &all);
/// assert!(change.strain < 1e-5 && change.bend_degrees < 0.01, "{change:?}");
/// ```
pub fn shape_change(topology: &Topology, shape: &[Vec3], now: &[Vec3], chosen: &[bool]) -> ShapeChange {
    let normals = |at: &[Vec3]| crate::mesh::vertex_normals(at, &topology.triangles);
    let (before, after) = (normals(shape), normals(now));
    let scale = Alignment::between(shape, now).scale.max(f32::MIN_POSITIVE);
    let (mut strain, mut bend, mut count) = (0.0f64, 0.0f64, 0usize);
    for v in (0..now.len()).filter(|v| chosen[*v]) {
        for &w in topology.neighbours.row(v).iter().filter(|w| **w as usize > v) {
            let w = w as usize;
            let long = shape[v].distance(shape[w]) * scale;
            if long <= 0.0 {
                continue;
            }
            let angle = |n: &[Vec3]| n[v].dot(n[w]).clamp(-1.0, 1.0).acos();
            strain += f64::from((now[v].distance(now[w]) / long - 1.0).abs());
            bend += f64::from((angle(&after) - angle(&before)).abs());
            count += 1;
        }
    }
    let mean = |sum: f64| (sum / count.max(1) as f64) as f32;
    ShapeChange { strain: mean(strain), bend_degrees: mean(bend).to_degrees() }
}
