//! The boots: left and right in one mesh, open at the top, with a sole.

use crate::body::smooth;
use crate::figure::{foot, leg};
use crate::remesh::{mesh_of, mirror_left, relax, Shape3};
use crate::sdf::{cut, ellipsoid, flat_cone, join};
use crate::tunic::keep_off;
use glam::Vec3;

/// Height of the shaft's rim above the floor.
const RIM: f32 = 0.345;
const CELL: f32 = 0.0105;

fn boot(p: Vec3) -> f32 {
    let q = Vec3::new(p.x.abs(), p.y, p.z);
    let shaft = leg(p) - 0.010 - 0.004 * smooth(0.26, RIM, p.y);
    let upper = join(shaft, foot(Vec3::new(p.x, p.y.max(0.012), p.z)) - 0.009, 0.03);
    let upper = cut(upper, -p.y - 0.012, 0.01);
    let toe_cap = ellipsoid(q, Vec3::new(0.118, 0.030, 0.140), Vec3::new(0.056, 0.040, 0.078));
    let body = join(upper, toe_cap, 0.02);
    let sole = flat_cone(
        q,
        Vec3::new(0.107, -0.004, -0.045),
        Vec3::new(0.119, -0.004, 0.135),
        0.050,
        0.060,
        Vec3::new(1.0, 0.6, 1.0),
    );
    let sole = cut(cut(sole, -p.y - 0.020, 0.006), p.y - 0.012, 0.006);
    join(body, sole, 0.008)
}

/// The boots, unbound, at rest.
pub(crate) fn boots(body: &Shape3, coarser: f32) -> Shape3 {
    let cell = CELL * coarser;
    let low = Vec3::new(-0.22, -0.05, -0.14);
    let solid = mesh_of(&boot, low, Vec3::new(0.22, RIM + 0.05, 0.25), cell);
    let kept: Vec<[u32; 3]> = solid
        .triangles
        .iter()
        .copied()
        .filter(|t| t.iter().all(|&v| solid.positions[v as usize].y < RIM + cell * 0.5))
        .collect();
    let mut shape = mirror_left(Shape3 { positions: solid.positions, triangles: kept }, cell);
    let topology = tin_cloak_core::mesh::Topology::of_welded(shape.positions.len(), &shape.triangles);
    let hold = |v: usize, p: Vec3| if topology.on_boundary[v] { Vec3::new(p.x, RIM, p.z) } else { p };
    relax(&mut shape, &boot, &|_| 0.0, 30, 4, &hold);
    keep_off(&mut shape, body, 0.004);
    shape
}
