//! From a solid to an even mesh of quads, left and right exactly alike.

use crate::sdf::project;
use fast_surface_nets::ndshape::{RuntimeShape, Shape};
use fast_surface_nets::{surface_nets, SurfaceNetsBuffer};
use glam::{IVec3, Vec3};
use rayon::prelude::*;
use std::collections::HashMap;
use tin_cloak_core::mesh::Topology;

/// Positions and triangles (pairs of them are quads).
pub(crate) struct Shape3 {
    pub positions: Vec<Vec3>,
    pub triangles: Vec<[u32; 3]>,
}

/// Meshes the solid `f` within the box (which must be symmetric about x = 0) at about `cell`
/// metres: surface nets (Gibson, “Constrained elastic surface nets”, 1998), evened out along
/// the surface, the right half replaced by the mirrored left.
pub(crate) fn mesh_of(f: &(impl Fn(Vec3) -> f32 + Sync), low: Vec3, high: Vec3, cell: f32) -> Shape3 {
    // Samples at odd half cells either side of x = 0: a column of cells lies on the plane.
    let half = (high.x / cell).ceil();
    let origin = Vec3::new(-(half + 0.5) * cell, low.y - cell, low.z - cell);
    let count = ((high - origin) / cell).ceil().as_uvec3() + 3;
    let count = glam::UVec3::new(2 * half as u32 + 2, count.y, count.z);
    let shape = RuntimeShape::<u32, 3>::new(count.to_array());
    let at = |i: [u32; 3]| origin + Vec3::new(i[0] as f32, i[1] as f32, i[2] as f32) * cell;
    let samples: Vec<f32> =
        (0..shape.size()).into_par_iter().map(|i| f(at(shape.delinearize(i))) / cell).collect();
    let mut buffer = SurfaceNetsBuffer::default();
    surface_nets(&samples, &shape, [0; 3], (count - 1).to_array(), &mut buffer);
    let positions = buffer.positions.iter().map(|p| origin + Vec3::from_array(*p) * cell).collect();
    let triangles = buffer.indices.chunks_exact(3).map(|t| [t[0], t[1], t[2]]).collect();
    mirror_left(Shape3 { positions, triangles }, cell)
}

/// Keeps the left half (x ≥ 0) and mirrors it; vertices on the plane are shared.
pub(crate) fn mirror_left(shape: Shape3, cell: f32) -> Shape3 {
    let on_plane = cell * 0.25;
    let mut map: HashMap<(u32, bool), u32> = HashMap::new();
    let mut out = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    for mirrored in [false, true] {
        for t in &shape.triangles {
            let corners = t.map(|v| shape.positions[v as usize]);
            if corners.iter().any(|p| p.x < -on_plane) {
                continue;
            }
            let mut place = |v: u32| {
                let p = shape.positions[v as usize];
                let flat = p.x.abs() <= on_plane;
                *map.entry((v, mirrored && !flat)).or_insert_with(|| {
                    let x = if flat {
                        0.0
                    } else if mirrored {
                        -p.x
                    } else {
                        p.x
                    };
                    out.positions.push(Vec3::new(x, p.y, p.z));
                    out.positions.len() as u32 - 1
                })
            };
            let [a, b, c] = t.map(&mut place);
            out.triangles.push(if mirrored { [a, c, b] } else { [a, b, c] });
        }
    }
    out
}

/// Evens out the edges along the surface `f = level`, so many rounds, put back on the surface every so many;
/// `hold` answers where a vertex that may not move freely goes instead.
pub(crate) fn relax(
    shape: &mut Shape3,
    f: &(impl Fn(Vec3) -> f32 + Sync),
    level: &(impl Fn(Vec3) -> f32 + Sync),
    rounds: usize,
    put_back: usize,
    hold: &(impl Fn(usize, Vec3) -> Vec3 + Sync),
) {
    let topology = Topology::of_welded(shape.positions.len(), &shape.triangles);
    for round in 0..rounds {
        // Projecting costs most: in between, a few rounds of evening out drift hardly at all.
        let steps = if round + 3 > rounds { 4 } else { usize::from((round + 1) % put_back == 0) * 2 };
        let old = &shape.positions;
        let next: Vec<Vec3> = (0..old.len())
            .into_par_iter()
            .map(|v| {
                let around = topology.neighbours.row(v);
                let mean = around.iter().map(|&n| old[n as usize]).sum::<Vec3>() / around.len().max(1) as f32;
                let wished = hold(v, old[v].lerp(mean, 0.6));
                hold(v, project(f, wished, level(wished), steps))
            })
            .collect();
        shape.positions = next;
    }
}

/// Makes the right half the mirror image of the left again, after moves that rounding may
/// have made differ.
pub(crate) fn symmetrise(positions: &mut [Vec3]) {
    let key = |p: Vec3| (p * 2000.0).round().as_ivec3();
    let mut left: HashMap<IVec3, Vec<usize>> = HashMap::new();
    for (v, p) in positions.iter().enumerate().filter(|(_, p)| p.x > 0.0) {
        left.entry(key(*p)).or_default().push(v);
    }
    for v in 0..positions.len() {
        let p = positions[v];
        if p.x >= 0.0 {
            continue;
        }
        let mirror = Vec3::new(-p.x, p.y, p.z);
        let k = key(mirror);
        let mut best = (0.002f32, None);
        for offset in (0..27).map(|i| IVec3::new(i % 3 - 1, i / 3 % 3 - 1, i / 9 - 1)) {
            for &candidate in left.get(&(k + offset)).into_iter().flatten() {
                let distance = positions[candidate].distance(mirror);
                if distance < best.0 {
                    best = (distance, Some(candidate));
                }
            }
        }
        if let Some(other) = best.1 {
            let q = positions[other];
            positions[v] = Vec3::new(-q.x, q.y, q.z);
        }
    }
}
