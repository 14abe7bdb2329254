//! Which way is out: faces that hang together vote by the skin that is nearest to each.

use super::face_kinds::{FaceKind, Faces};
use crate::mesh::NO_TRIANGLE;

/// For each face whether its winding points away from the body, by the vote of the connected
/// faces of its kind: those wound alike and, on walls, meeting without a sharp bend.
pub(super) fn vote(faces: &Faces, kind: &[FaceKind], agreement: &[f32]) -> Vec<bool> {
    let topology = faces.topology;
    let count = topology.triangles.len();
    let joined = |f: usize, g: usize, side: usize| {
        let (a, b) = (topology.triangles[f][side], topology.triangles[f][(side + 1) % 3]);
        let t = topology.triangles[g];
        let wound_alike = (0..3).any(|i| t[i] == b && t[(i + 1) % 3] == a);
        let bend = faces.normals[f].dot(faces.normals[g]);
        kind[f] == kind[g] && wound_alike && (kind[f] == FaceKind::Single || bend > 0.2)
    };
    let mut agrees = vec![true; count];
    let mut seen = vec![false; count];
    for start in 0..count {
        if seen[start] {
            continue;
        }
        seen[start] = true;
        let (mut group, mut next, mut sum) = (vec![start], 0, 0.0);
        while next < group.len() {
            let f = group[next];
            next += 1;
            sum += faces.areas[f] * agreement[f];
            for side in 0..3 {
                let g = topology.across[f][side];
                if g != NO_TRIANGLE && !seen[g as usize] && joined(f, g as usize, side) {
                    seen[g as usize] = true;
                    group.push(g as usize);
                }
            }
        }
        for f in group {
            agrees[f] = sum >= 0.0;
        }
    }
    agrees
}
