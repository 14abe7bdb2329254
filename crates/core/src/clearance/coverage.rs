//! Which inner vertices an outer piece covers, found once in the bound rest pose.

use super::{PosedSide, Side};
use crate::mesh::face_normal;
use crate::query::RayHit;
use glam::Vec3;
use rayon::prelude::*;

/// How far coverage reaches.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CoverageSettings {
    /// Longest ray from one layer to the other, metres.
    pub reach: f32,
    /// Deepest poke-through at rest that still counts as covered, metres.
    pub poke: f32,
}

impl Default for CoverageSettings {
    fn default() -> Self {
        Self { reach: 0.08, poke: 0.02 }
    }
}

/// The vertices among `candidates` (of a layer at rest: `positions`, outward unit `normals`)
/// whose ray meets `other` looking the same way: within `ahead` metres along the normal, or
/// `behind` metres against it; with what the ray meets. Ascending when the candidates are.
///
/// The first face met decides: when it looks the other way (the near side of another limb's
/// sleeve) the vertex is not covered by it.
///
/// ```
/// use tin_cloak_core::clearance::{covered_vertices, Covering, Side};
/// use tin_cloak_core::{mesh::vertex_normals, shapes::sphere};
///
/// let (body, shell) = (sphere(0.1, 16), sphere(0.11, 16));
/// let side = Side::new(shell.0.len(), &shell.1);
/// let posed = side.pose(&shell.0);
/// let over = Covering { side: &side, posed: &posed, positions: &shell.0 };
/// let all: Vec<u32> = (0..body.0.len() as u32).collect();
/// let normals = vertex_normals(&body.0, &body.1);
/// let covered = covered_vertices(&all, &body.0, &normals, over, 0.08, 0.02);
/// assert_eq!(covered.len(), all.len());
/// ```
pub fn covered_vertices(
    candidates: &[u32],
    positions: &[Vec3],
    normals: &[Vec3],
    other: Covering,
    ahead: f32,
    behind: f32,
) -> Vec<(u32, RayHit)> {
    let covered: Vec<Option<RayHit>> = candidates
        .par_iter()
        .with_min_len(256)
        .map(|&v| {
            let (p, n) = (positions[v as usize], normals[v as usize]);
            if n == Vec3::ZERO {
                return None;
            }
            other.meets(p, n, n, ahead).or_else(|| other.meets(p, -n, n, behind))
        })
        .collect();
    candidates.iter().zip(covered).filter_map(|(v, hit)| Some((*v, hit?))).collect()
}

/// A layer at rest, as coverage sees it.
#[derive(Clone, Copy)]
pub struct Covering<'a> {
    /// Its measured side.
    pub side: &'a Side,
    /// That side at rest.
    pub posed: &'a PosedSide,
    /// Its vertices at rest, metres.
    pub positions: &'a [Vec3],
}

impl Covering<'_> {
    /// The nearest face looking the same way of each of `vertices` (of the other layer, at
    /// `positions` with unit `normals`); `u32::MAX` where there is none.
    pub(super) fn nearest(&self, vertices: &[u32], positions: &[Vec3], normals: &[Vec3]) -> Vec<u32> {
        let face = |&v: &u32| {
            let (p, n) = (positions[v as usize], normals[v as usize]);
            self.posed.tree.closest_facing(p, f32::INFINITY, n, 0.0).map_or(u32::MAX, |hit| hit.triangle)
        };
        vertices.par_iter().with_min_len(256).map(face).collect()
    }

    fn meets(&self, p: Vec3, direction: Vec3, normal: Vec3, length: f32) -> Option<RayHit> {
        self.posed.tree.ray(p, direction, 0.0, length, |_, _| true).filter(|hit| {
            let face = self.side.topology.triangles[hit.triangle as usize];
            face_normal(self.positions, face).dot(normal) > 0.0
        })
    }
}
