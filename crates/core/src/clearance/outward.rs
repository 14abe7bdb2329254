//! Which way is out: faces that hang together vote by the skin that is nearest to each.

use super::face_kinds::{FaceKind, Faces};
use crate::mesh::{flood_fill, NO_TRIANGLE};

/// For each face whether its winding points away from the body, by the vote of the connected
/// faces of its kind: those wound alike and, on walls, meeting without a sharp bend.
pub(super) fn vote(faces: &Faces, kind: &[FaceKind], agreement: &[f32]) -> Vec<bool> {
    let topology = faces.topology;
    let count = topology.triangles.len();
    let joined = move |f: usize, g: usize, side: usize| {
        let (a, b) = (topology.triangles[f][side], topology.triangles[f][(side + 1) % 3]);
        let t = topology.triangles[g];
        let wound_alike = (0..3).any(|i| t[i] == b && t[(i + 1) % 3] == a);
        let bend = faces.normals[f].dot(faces.normals[g]);
        kind[f] == kind[g] && wound_alike && (kind[f] == FaceKind::Single || bend > 0.2)
    };
    let next = |f: u32| {
        let f = f as usize;
        let across = topology.across[f].into_iter().enumerate();
        across.filter(move |(side, g)| *g != NO_TRIANGLE && joined(f, *g as usize, *side)).map(|(_, g)| g)
    };
    let (group, groups) = flood_fill(count, next);
    let mut sums = vec![0.0f32; groups];
    group.iter().enumerate().for_each(|(f, g)| sums[*g as usize] += faces.areas[f] * agreement[f]);
    group.iter().map(|g| sums[*g as usize] >= 0.0).collect()
}
