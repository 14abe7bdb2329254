//! Faces of a piece that nobody will see while it is worn: its inside, where it lies on the body.

use crate::clearance::look_directions;
use crate::mesh::{face_normal, triangle_area, Topology, NO_TRIANGLE};
use crate::query::Bvh;
use glam::Vec3;
use rayon::prelude::*;

/// How far in front of a face it is asked who sees it, metres.
const PROBE: f32 = 0.001;
/// A face is unseen when less than this share of its sky is free: the outside of any garment has
/// more than a third, the inside wall of a plate 15 mm off the chest a tenth.
const FREE: f32 = 0.15;
/// Rings of faces next to what is seen, or to an open edge, that are kept, because poses open a view.
const RINGS_KEPT: usize = 2;

/// Faces (ascending) of a piece at rest (`positions` welded, metres) that the body and the piece
/// itself hide: of the sky over the face, weighed by the cosine to its normal and looked at in 64
/// directions, less than 15 % is free (Zhukov, Iones & Kronin, “An ambient light illumination
/// model”, 1998). The two rings next to what is seen, or to an open edge, are kept;
/// peepholes amid hidden faces are not.
///
/// ```
/// use tin_cloak_core::{intake::unseen_faces, mesh::Topology, shapes::{joined, sphere}};
///
/// // A ball inside a larger one: nobody sees it.
/// let body = sphere(0.02, 8);
/// let (positions, triangles) = joined(sphere(0.2, 16), sphere(0.1, 16));
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let hidden = unseen_faces(&topology, &positions, &body.0, &body.1);
/// assert_eq!(hidden.len(), triangles.len() / 2);
/// ```
pub fn unseen_faces(
    topology: &Topology,
    positions: &[Vec3],
    body: &[Vec3],
    body_triangles: &[[u32; 3]],
) -> Vec<u32> {
    let own = Bvh::build(positions, &topology.triangles);
    let body = Bvh::build(body, body_triangles);
    let directions = look_directions();
    let blocked = |p: Vec3, d: Vec3| {
        // The body is what mostly hides: it is asked first.
        [&body, &own].iter().any(|tree| tree.is_hit(p, d, 0.0, f32::INFINITY, |_| true))
    };
    let unseen = |t: &[u32; 3]| {
        let normal = face_normal(positions, *t);
        if normal == Vec3::ZERO {
            return false;
        }
        let [a, b, c] = t.map(|v| positions[v as usize]);
        let p = (a + b + c) / 3.0 + normal * PROBE;
        // Steepest looks first: what is seen at all is mostly seen from above.
        let mut sky: Vec<(f32, Vec3)> = directions.iter().map(|d| (d.dot(normal), *d)).collect();
        sky.retain(|s| s.0 > 0.0);
        sky.sort_by(|a, b| b.0.total_cmp(&a.0));
        let most = FREE * sky.iter().map(|s| s.0).sum::<f32>();
        let mut free = 0.0;
        sky.iter().all(|&(cosine, d)| {
            free += if blocked(p, d) { 0.0 } else { cosine };
            free < most
        })
    };
    let mut hidden: Vec<bool> = topology.triangles.par_iter().with_min_len(64).map(unseen).collect();
    for _ in 0..RINGS_KEPT {
        let seen_at = |v: &u32| {
            let beside = topology.incident.row(*v as usize).iter().any(|&g| !hidden[g as usize]);
            beside || topology.on_boundary[*v as usize]
        };
        let seen_beside = |f: usize| topology.triangles[f].iter().any(seen_at);
        hidden = (0..hidden.len()).map(|f| hidden[f] && !seen_beside(f)).collect();
    }
    drop_islands(topology, positions, &mut hidden);
    (0..hidden.len() as u32).filter(|&f| hidden[f as usize]).collect()
}

/// A seen patch of less than this share of its part, with hidden faces all round, is a peephole.
const PEEPHOLE: f32 = 0.02;

fn drop_islands(topology: &Topology, positions: &[Vec3], hidden: &mut [bool]) {
    let area = |f: usize| triangle_area(positions, topology.triangles[f]);
    let shell = |f: usize| topology.shell_of_vertex[topology.triangles[f][0] as usize] as usize;
    let mut areas = vec![0.0; topology.shells];
    (0..hidden.len()).for_each(|f| areas[shell(f)] += area(f));
    let mut reached = hidden.to_vec();
    for start in 0..hidden.len() {
        if reached[start] {
            continue;
        }
        reached[start] = true;
        let (mut patch, mut next) = (vec![start], 0);
        while next < patch.len() {
            for &g in topology.across[patch[next]].iter().filter(|&&g| g != NO_TRIANGLE) {
                if !std::mem::replace(&mut reached[g as usize], true) {
                    patch.push(g as usize);
                }
            }
            next += 1;
        }
        let size: f32 = patch.iter().map(|&f| area(f)).sum();
        if size < areas[shell(start)] * PEEPHOLE {
            patch.into_iter().for_each(|f| hidden[f] = true);
        }
    }
}
