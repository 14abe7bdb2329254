//! Hand work on chosen vertices: moved, turned, sized and taken off along their normals, less and less about them.

use crate::bind::clean::{mirror_image, NO_IMAGE};
use crate::mesh::{vertex_normals, Topology};
use crate::query::Bvh;
use glam::{Quat, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// How a move falls off beyond what is chosen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fade {
    /// Without an edge at either end.
    #[default]
    Soft,
    /// Evenly.
    Even,
    /// Steep at what is chosen, flat further out.
    Pointed,
}

impl Fade {
    /// The share at so much of the way out: 1 at 0, 0 at 1 and beyond.
    pub fn share_at(self, way: f32) -> f32 {
        let t = (1.0 - way).clamp(0.0, 1.0);
        match self {
            Self::Soft => t * t * (3.0 - 2.0 * t),
            Self::Even => t,
            Self::Pointed => t * t,
        }
    }
}

/// A move of what is chosen. Metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Move {
    /// How far.
    pub by: Vec3,
    /// About the middle of what is chosen.
    pub turn: Quat,
    /// An axis each, about the same middle, before the turn.
    pub size: Vec3,
    /// Off the surface, along each vertex's own normal.
    pub off: f32,
}

/// How far each vertex goes, metres: by its share of the move, 0 to 1. The middle is that of the vertices, each as
/// much as it is moved.
///
/// ```
/// use tin_cloak_core::glam::{Quat, Vec3};
/// use tin_cloak_core::seat::{moved_by, Move};
/// use tin_cloak_core::{mesh::Topology, shapes::sphere};
///
/// let (positions, triangles) = sphere(0.1, 24);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let off = Move { by: Vec3::X * 0.01, turn: Quat::IDENTITY, size: Vec3::ONE, off: 0.002 };
/// let moves = moved_by(&positions, &topology, &vec![0.5; positions.len()], &off);
/// for (p, m) in positions.iter().zip(&moves) {
///     let off_radius = (*m - Vec3::X * 0.005 - p.normalize() * 0.001).length();
///     assert!(off_radius < 1.4e-4, "normals of a coarse sphere lie within 8 degrees of its radius");
/// }
/// ```
pub fn moved_by(positions: &[Vec3], topology: &Topology, shares: &[f32], by: &Move) -> Vec<Vec3> {
    let sum: f32 = shares.iter().sum();
    if sum <= 0.0 {
        return vec![Vec3::ZERO; positions.len()];
    }
    let middle = positions.iter().zip(shares).map(|(p, s)| *p * *s).sum::<Vec3>() / sum;
    let normals = vertex_normals(positions, &topology.triangles);
    let one = |((p, normal), share): ((&Vec3, &Vec3), &f32)| {
        let there = middle + by.turn * (by.size * (*p - middle)) + by.by + *normal * by.off;
        (there - *p) * *share
    };
    positions.iter().zip(&normals).zip(shares).map(one).collect()
}

/// For each vertex the corners of the face at its mirror image across the plane x = `plane` and how much of each it
/// has; none where nothing is there.
pub fn mirror_places(rest: &[Vec3], topology: &Topology, plane: f32) -> Vec<ImagePlace> {
    places_across(rest, rest, &topology.triangles, plane)
}

/// Where the mirror image of a vertex lies: corners of a face, and how much of each it has.
pub type ImagePlace = Option<([u32; 3], [f32; 3])>;

/// The same between two surfaces: for each of `points` the place on the other one.
pub fn places_across(points: &[Vec3], other: &[Vec3], faces: &[[u32; 3]], plane: f32) -> Vec<ImagePlace> {
    let tree = Bvh::build(other, faces);
    let one = |p: &Vec3| {
        let there = tree.closest(mirror_image(*p, plane), NO_IMAGE)?;
        Some((faces[there.triangle as usize], there.barycentric))
    };
    points.par_iter().with_min_len(128).map(one).collect()
}

/// What moves do at the mirror image of each vertex, in a mirror.
pub fn in_a_mirror(places: &[ImagePlace], moves: &[Vec3]) -> Vec<Vec3> {
    let one = |place: &ImagePlace| {
        let Some((corners, parts)) = place else { return Vec3::ZERO };
        let Vec3 { x, y, z } = corners.iter().zip(parts).map(|(v, part)| moves[*v as usize] * *part).sum();
        Vec3::new(-x, y, z)
    };
    places.iter().map(one).collect()
}

/// Moves with their mirror image: where both are there each counts as much as its share.
pub fn with_mirror_image(places: &[ImagePlace], shares: &[f32], moves: &[Vec3]) -> Vec<Vec3> {
    let share_there = |place: &ImagePlace| {
        let parts = place.iter().flat_map(|(corners, parts)| corners.iter().zip(parts));
        parts.map(|(v, part)| shares[*v as usize] * part).sum::<f32>()
    };
    let images = in_a_mirror(places, moves);
    let both = |v: usize| match (shares[v], share_there(&places[v])) {
        (own, other) if own + other > 0.0 => (moves[v] * own + images[v] * other) / (own + other),
        _ => Vec3::ZERO,
    };
    (0..moves.len()).map(both).collect()
}
