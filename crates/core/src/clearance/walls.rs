//! Which way is out, and which wall of a double-walled piece is which; settled once at rest.

use super::Side;
use crate::mesh::{face_normal, triangle_area, vertex_normals, Topology, NO_TRIANGLE};
use crate::query::Tree;
use glam::Vec3;
use rayon::prelude::*;

/// Two walls further apart than this are two surfaces, not one piece with thickness (metres).
const THICKEST: f32 = 0.04;

/// The faces of a layer by what they face.
#[derive(Clone, Debug)]
pub struct Walls {
    /// What is measured against the layer beneath: single cloth, and the inside wall of
    /// double-walled parts turned to point outward.
    pub towards_body: Side,
    /// What lies beneath further layers: single cloth, and the outside wall. `None` when it is
    /// the same as `towards_body`.
    pub away_from_body: Option<Side>,
    /// Share of the area that is double-walled, 0 to 1.
    pub double_walled: f32,
}

impl Walls {
    /// The side that further layers lie on.
    pub fn outside(&self) -> &Side {
        self.away_from_body.as_ref().unwrap_or(&self.towards_body)
    }

    /// All faces as they are wound, for a body.
    pub fn as_wound(topology: &Topology) -> Self {
        Self {
            towards_body: Side::new(topology.vertices(), &topology.triangles),
            away_from_body: None,
            double_walled: 0.0,
        }
    }
}

struct Faces<'a> {
    topology: &'a Topology,
    normals: Vec<Vec3>,
    areas: Vec<f32>,
}

/// Settles the walls of a piece at rest (welded `positions`, metres) against the surface
/// beneath it.
///
/// A face is part of a double wall when straight behind it, within 40 mm and with nothing of
/// the body in between, another face of the piece looks the other way. Which of the two is
/// the inside wall, and whether single cloth is wound inside out, is put to the vote of
/// connected faces: each votes by whether its normal agrees with that of the nearest skin.
pub fn settle_walls(
    topology: &Topology,
    positions: &[Vec3],
    body_positions: &[Vec3],
    body_triangles: &[[u32; 3]],
) -> Walls {
    let faces = Faces {
        topology,
        normals: topology.triangles.iter().map(|&t| face_normal(positions, t)).collect(),
        areas: topology.triangles.iter().map(|&t| triangle_area(positions, t)).collect(),
    };
    let body = Tree::build(body_positions, body_triangles);
    let own = Tree::build(positions, &topology.triangles);
    let body_normals = vertex_normals(body_positions, body_triangles);

    let judged: Vec<(bool, f32)> = (0..topology.triangles.len())
        .into_par_iter()
        .with_min_len(256)
        .map(|f| {
            let [a, b, c] = topology.triangles[f].map(|v| positions[v as usize]);
            let centre = (a + b + c) / 3.0;
            let thick = has_wall_behind(&own, &body, &faces, f, centre);
            let agreement = body.closest(centre, f32::INFINITY).map_or(1.0, |hit| {
                let corners = body_triangles[hit.triangle as usize];
                let normal: Vec3 =
                    corners.iter().zip(hit.barycentric).map(|(&v, w)| body_normals[v as usize] * w).sum();
                normal.dot(faces.normals[f])
            });
            (thick, agreement)
        })
        .collect();

    let thick_shell = mostly_thick_shells(&faces, &judged);
    let shell_of = |f: usize| topology.shell_of_vertex[topology.triangles[f][0] as usize] as usize;
    let kind = |f: usize| match (judged[f].0, thick_shell[shell_of(f)]) {
        (_, false) => FaceKind::Single,
        (true, true) => FaceKind::Wall,
        (false, true) => FaceKind::Rim,
    };
    let agrees = vote(&faces, &judged, &kind);

    let (mut towards, mut away) = (Vec::new(), Vec::new());
    let mut any_wall = false;
    for (f, &t) in topology.triangles.iter().enumerate() {
        let turned = [t[0], t[2], t[1]];
        match (kind(f), agrees[f]) {
            (FaceKind::Single, out) => {
                towards.push(if out { t } else { turned });
                away.push(if out { t } else { turned });
            }
            (FaceKind::Wall, true) => away.push(t),
            (FaceKind::Wall, false) => towards.push(turned),
            (FaceKind::Rim, _) => {}
        }
        any_wall |= !matches!(kind(f), FaceKind::Single);
    }
    // A plate seen from one side only (nothing voted the other way) is measured by what it has.
    if towards.is_empty() {
        towards.clone_from(&away);
    }
    if away.is_empty() {
        away.clone_from(&towards);
    }
    let total: f32 = faces.areas.iter().sum();
    let thick: f32 =
        (0..judged.len()).filter(|&f| !matches!(kind(f), FaceKind::Single)).map(|f| faces.areas[f]).sum();
    Walls {
        towards_body: Side::new(positions.len(), &towards),
        away_from_body: any_wall.then(|| Side::new(positions.len(), &away)),
        double_walled: thick / total.max(f32::MIN_POSITIVE),
    }
}

#[derive(Clone, Copy, PartialEq)]
enum FaceKind {
    Single,
    Wall,
    Rim,
}

fn has_wall_behind(own: &Tree, body: &Tree, faces: &Faces, face: usize, centre: Vec3) -> bool {
    let normal = faces.normals[face];
    if normal == Vec3::ZERO {
        return false;
    }
    let behind = own.ray(centre, -normal, (1e-5, THICKEST), |t, _| t as usize != face);
    behind.is_some_and(|hit| {
        faces.normals[hit.triangle as usize].dot(normal) < -0.5
            && body.ray(centre, -normal, (0.0, hit.distance), |_, _| true).is_none()
    })
}

fn mostly_thick_shells(faces: &Faces, judged: &[(bool, f32)]) -> Vec<bool> {
    let mut areas = vec![(0.0f32, 0.0f32); faces.topology.shells];
    for (f, t) in faces.topology.triangles.iter().enumerate() {
        let shell = &mut areas[faces.topology.shell_of_vertex[t[0] as usize] as usize];
        shell.1 += faces.areas[f];
        if judged[f].0 {
            shell.0 += faces.areas[f];
        }
    }
    areas.iter().map(|(thick, all)| *thick > 0.5 * all).collect()
}

/// For each face whether its winding points away from the body, by the vote of the connected
/// faces of its kind: those wound alike and, on walls, meeting without a sharp bend.
fn vote(faces: &Faces, judged: &[(bool, f32)], kind: &impl Fn(usize) -> FaceKind) -> Vec<bool> {
    let topology = faces.topology;
    let count = topology.triangles.len();
    let joined = |f: usize, g: usize, side: usize| {
        let (a, b) = (topology.triangles[f][side], topology.triangles[f][(side + 1) % 3]);
        let t = topology.triangles[g];
        let wound_alike = (0..3).any(|i| t[i] == b && t[(i + 1) % 3] == a);
        let bend = faces.normals[f].dot(faces.normals[g]);
        kind(f) == kind(g) && wound_alike && (kind(f) == FaceKind::Single || bend > 0.2)
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
            sum += faces.areas[f] * judged[f].1;
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
