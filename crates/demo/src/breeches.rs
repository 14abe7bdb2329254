//! The breeches, next to the skin: from the waist to below the knees.

use crate::figure::{leg, trunk};
use crate::remesh::{mesh_of, mirror_left, relax, Shape3};
use crate::sdf::join;
use crate::tunic::keep_off;
use glam::Vec3;

const WAIST: f32 = 1.015;
const CUFF: f32 = 0.425;
const CELL: f32 = 0.0105;

fn form(p: Vec3) -> f32 {
    join(trunk(p), leg(p), 0.03) - 0.0045
}

/// The breeches, unbound, at rest.
pub(crate) fn breeches(body: &Shape3, coarser: f32) -> Shape3 {
    let cell = CELL * coarser;
    let (low, high) = (Vec3::new(-0.24, CUFF - 0.06, -0.2), Vec3::new(0.24, WAIST + 0.06, 0.2));
    let solid = mesh_of(&form, low, high, cell);
    let within = |v: &u32| (CUFF..WAIST).contains(&solid.positions[*v as usize].y);
    let kept = solid.triangles.iter().copied().filter(|t| t.iter().all(&within)).collect();
    let mut shape = mirror_left(Shape3 { positions: solid.positions.clone(), triangles: kept }, cell);
    let topology = tin_cloak_core::mesh::Topology::of_welded(shape.positions.len(), &shape.triangles);
    let hold = |v: usize, p: Vec3| match topology.on_boundary[v] {
        true => Vec3::new(p.x, if p.y > 0.7 { WAIST } else { CUFF }, p.z),
        false => p,
    };
    relax(&mut shape, &form, &|_| 0.0, 30, 4, &hold);
    keep_off(&mut shape, body, 0.003);
    shape
}
