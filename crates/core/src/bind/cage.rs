//! Through a cage: layers that follow a simple mesh round them.

use crate::mesh::mix;
use crate::mesh::{vertex_normals, Topology};
use crate::query::{Bvh, WindingField};
use crate::skin::Skin;
use crate::JointId;
use glam::{Mat4, Vec3};
use rayon::prelude::*;

/// How one vertex hangs on the cage: nearby triangles with the place over each, weights sum to 1.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Tie {
    /// Triangle of the cage, barycentric coordinates of the foot, distance along the smooth normal
    /// (metres), share.
    pub places: Vec<(u32, [f32; 3], f32, f32)>,
}

/// Triangles a vertex is tied to, at most.
const TIES: usize = 12;

/// Ties each of `points` (metres, at rest) to the triangles of a cage that lie around its nearest
/// place on it, each by the foot on that triangle and the offset along the normal there, weighted
/// by the inverse fourth power of the distance, so that it fades from triangle to triangle without a jump.
///
/// After Singh & Kokkevis, “Skinning characters using surface-oriented free-form deformations”, 2000.
fn tie_to_cage(points: &[Vec3], cage: &[Vec3], topology: &Topology) -> Vec<Tie> {
    let tree = Bvh::build(cage, &topology.triangles);
    let one = |p: &Vec3| {
        let Some(hit) = tree.closest(*p, f32::INFINITY) else { return Tie::default() };
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
        let mut places: Vec<(u32, [f32; 3], f32, f32)> = near
            .into_iter()
            .map(|t| {
                let triangle = topology.triangles[t as usize].map(|v| cage[v as usize]);
                let (foot, barycentric, _) = crate::query::closest_on_triangle(*p, triangle);
                (t, barycentric, p.distance(foot), 0.0)
            })
            .collect();
        places.sort_by(|a, b| a.2.total_cmp(&b.2).then(a.0.cmp(&b.0)));
        // The first that is left out has no share, so that none jumps in or out.
        let edge = places.get(TIES).map_or(f32::INFINITY, |e| e.2);
        places.truncate(TIES);
        let nearest = places[0].2.max(1e-4);
        let mut sum = 0.0;
        for place in &mut places {
            let fade = if edge.is_finite() { (1.0 - place.2 / edge.max(1e-9)).max(0.0) } else { 1.0 };
            place.3 = (nearest / place.2.max(1e-4)).powi(4) * fade;
            sum += place.3;
        }
        if sum <= 0.0 {
            places[0].3 = 1.0;
            sum = 1.0;
        }
        places.iter_mut().for_each(|place| place.3 /= sum);
        Tie { places }
    };
    let mut ties: Vec<Tie> = points.par_iter().with_min_len(128).map(one).collect();
    let normals = vertex_normals(cage, &topology.triangles);
    for (tie, p) in ties.iter_mut().zip(points) {
        for place in &mut tie.places {
            let (foot, normal) =
                foot_and_normal(cage, &normals, topology.triangles[place.0 as usize], place.1);
            place.2 = (*p - foot).dot(normal);
        }
    }
    // What is not along the normal is kept as an offset within the triangle: see `Caged`.
    ties
}

/// Points tied to a cage, with what the ties alone miss at rest.
pub struct Caged<'a> {
    topology: &'a Topology,
    ties: Vec<Tie>,
    /// In the frame of each vertex's first triangle.
    missed: Vec<Vec3>,
}

impl<'a> Caged<'a> {
    /// Ties `points` to the cage (both at rest, metres).
    pub fn new(points: &[Vec3], cage: &[Vec3], topology: &'a Topology) -> Self {
        let ties = tie_to_cage(points, cage, topology);
        let mut caged = Self { topology, ties, missed: Vec::new() };
        let normals = vertex_normals(cage, &topology.triangles);
        caged.missed = (0..points.len())
            .map(|v| {
                let miss = points[v] - caged.tied(v, cage, &normals);
                caged.frame(v, cage, &normals).map_or(Vec3::ZERO, |f| f.transpose() * miss)
            })
            .collect();
        caged
    }

    /// Where the points go when the cage is at `moved`.
    pub fn follow(&self, moved: &[Vec3]) -> Vec<Vec3> {
        let normals = vertex_normals(moved, &self.topology.triangles);
        (0..self.ties.len())
            .into_par_iter()
            .with_min_len(256)
            .map(|v| {
                let miss = self.frame(v, moved, &normals).map_or(Vec3::ZERO, |f| f * self.missed[v]);
                self.tied(v, moved, &normals) + miss
            })
            .collect()
    }

    fn tied(&self, v: usize, cage: &[Vec3], normals: &[Vec3]) -> Vec3 {
        let place = |&(t, barycentric, offset, share): &(u32, [f32; 3], f32, f32)| {
            let (foot, normal) =
                foot_and_normal(cage, normals, self.topology.triangles[t as usize], barycentric);
            (foot + normal * offset) * share
        };
        self.ties[v].places.iter().map(place).sum()
    }

    /// A frame of unit axes on the nearest triangle.
    fn frame(&self, v: usize, cage: &[Vec3], normals: &[Vec3]) -> Option<glam::Mat3> {
        let &(t, barycentric, ..) = self.ties[v].places.first()?;
        let corners = self.topology.triangles[t as usize];
        let (_, z) = foot_and_normal(cage, normals, corners, barycentric);
        let edge = cage[corners[1] as usize] - cage[corners[0] as usize];
        let x = (edge - z * edge.dot(z)).normalize_or(z.any_orthonormal_vector());
        Some(glam::Mat3::from_cols(x, z.cross(x), z))
    }

    /// The joints of the cage round each point with their weight there: of the corners it is tied
    /// to, heaviest first, no more than `most`.
    pub fn joints_near(&self, skin: &Skin, most: usize) -> Vec<Vec<(JointId, f32)>> {
        let one = |tie: &Tie| {
            let corners = tie.places.iter().flat_map(|p| {
                let corners = self.topology.triangles[p.0 as usize];
                corners.into_iter().zip(p.1).map(move |(v, b)| (v, (b + 0.005) * (p.3 + 0.001)))
            });
            let mut row: Vec<(JointId, f32)> =
                corners.flat_map(|(v, by)| skin.row(v as usize).map(move |(j, w)| (j, w * by))).collect();
            crate::skin::merge(&mut row);
            row.truncate(most);
            row
        };
        self.ties.par_iter().with_min_len(256).map(one).collect()
    }
}

fn foot_and_normal(cage: &[Vec3], normals: &[Vec3], t: [u32; 3], barycentric: [f32; 3]) -> (Vec3, Vec3) {
    let mix = |list: &[Vec3]| mix(t, barycentric, |v| list[v as usize]);
    (mix(cage), mix(normals).normalize_or_zero())
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

/// The cage under each of `poses`, linear blending by its weights.
///
/// ```
/// use tin_cloak_core::{bind::cage::posed_cage, shapes::Arm};
///
/// let arm = Arm::new();
/// let posed = posed_cage(&arm.surface.0, &arm.skin, &[arm.bent(0.0), arm.bent(90.0)]);
/// assert!(posed[0].iter().zip(&arm.surface.0).all(|(a, b)| a.abs_diff_eq(*b, 1e-6)));
/// assert!(posed[1][383].z > 0.2, "the far end went forward");
/// ```
pub fn posed_cage(cage: &[Vec3], skin: &Skin, poses: &[Vec<Mat4>]) -> Vec<Vec<Vec3>> {
    let posed = |matrices: &Vec<Mat4>| {
        let mut out = vec![Vec3::ZERO; cage.len()];
        crate::deform::linear_blend(cage, skin, matrices, &mut out);
        out
    };
    poses.iter().map(posed).collect()
}
