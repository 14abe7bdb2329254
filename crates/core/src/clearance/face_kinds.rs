//! Which faces of a piece have another wall behind them.

use super::BodySurface;
use crate::mesh::{face_normal, triangle_area, Topology};
use crate::query::Bvh;
use glam::Vec3;
use rayon::prelude::*;

/// Two walls further apart than this are two surfaces, not one piece with thickness (metres).
const THICKEST: f32 = 0.04;

/// The faces of a piece at rest.
pub(super) struct Faces<'a> {
    pub topology: &'a Topology,
    pub normals: Vec<Vec3>,
    /// Square metres.
    pub areas: Vec<f32>,
}

impl<'a> Faces<'a> {
    pub fn new(topology: &'a Topology, positions: &[Vec3]) -> Self {
        let normals = topology.triangles.iter().map(|&t| face_normal(positions, t)).collect();
        let areas = topology.triangles.iter().map(|&t| triangle_area(positions, t)).collect();
        Self { topology, normals, areas }
    }
}

/// What a face is part of.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum FaceKind {
    /// Cloth of one layer.
    Single,
    /// One of two walls.
    Wall,
    /// What joins two walls.
    Rim,
}

/// The kind of each face, and how its normal agrees with that of the nearest skin (−1 to 1).
pub(super) fn judge(faces: &Faces, positions: &[Vec3], body: &BodySurface) -> (Vec<FaceKind>, Vec<f32>) {
    let topology = faces.topology;
    let own = Bvh::build(positions, &topology.triangles);
    let one = |f: usize| {
        let [a, b, c] = topology.triangles[f].map(|v| positions[v as usize]);
        let centre = (a + b + c) / 3.0;
        let agreement = body.normal_near(centre).map_or(1.0, |n| n.dot(faces.normals[f]));
        (has_wall_behind(&own, &body.bvh, faces, f, centre), agreement)
    };
    let (behind, agreement): (Vec<bool>, Vec<f32>) =
        (0..topology.triangles.len()).into_par_iter().with_min_len(256).map(one).unzip();
    let thick_shell = mostly_thick_shells(faces, &behind);
    let shell_of = |f: usize| topology.shell_of_vertex[topology.triangles[f][0] as usize] as usize;
    let kind = |f: usize| match (behind[f], thick_shell[shell_of(f)]) {
        (_, false) => FaceKind::Single,
        (true, true) => FaceKind::Wall,
        (false, true) => FaceKind::Rim,
    };
    ((0..behind.len()).map(kind).collect(), agreement)
}

fn has_wall_behind(own: &Bvh, body: &Bvh, faces: &Faces, face: usize, centre: Vec3) -> bool {
    let normal = faces.normals[face];
    if normal == Vec3::ZERO {
        return false;
    }
    let behind = own.ray(centre, -normal, 1e-5, THICKEST, |t, _| t as usize != face);
    behind.is_some_and(|hit| {
        faces.normals[hit.triangle as usize].dot(normal) < -0.5
            && !body.is_hit(centre, -normal, 0.0, hit.distance, |_| true)
    })
}

fn mostly_thick_shells(faces: &Faces, behind: &[bool]) -> Vec<bool> {
    let mut areas = vec![(0.0f32, 0.0f32); faces.topology.shells];
    for (f, t) in faces.topology.triangles.iter().enumerate() {
        let shell = &mut areas[faces.topology.shell_of_vertex[t[0] as usize] as usize];
        shell.1 += faces.areas[f];
        if behind[f] {
            shell.0 += faces.areas[f];
        }
    }
    areas.iter().map(|(thick, all)| *thick > 0.5 * all).collect()
}
