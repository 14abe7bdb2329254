//! Spikes of a field of moves turned into smooth swellings.

use super::kaczmarz::Demand;
use crate::mesh::{even_out, Csr};
use glam::Vec3;

/// Turns the spikes of `field` into smooth swellings that still meet the demands: the field is
/// evened out, and where that falls short it is scaled up, by a factor that itself changes
/// smoothly over the cloth.
pub fn swell(neighbours: &Csr, demands: &[Demand], field: &mut Vec<Vec3>) {
    const RINGS: usize = 8;
    const MOST: f32 = 6.0;
    smooth(neighbours, field, RINGS);
    let mut factor = vec![0.0f32; field.len()];
    for demand in demands.iter().filter(|d| d.need > 0.0) {
        let met = demand.met(field);
        let wanted = if met > demand.need / MOST { demand.need / met } else { MOST };
        for (v, g) in demand.vertices.iter().zip(&demand.gradients) {
            if *g != Vec3::ZERO {
                let f = &mut factor[*v as usize];
                *f = f.max(wanted);
            }
        }
    }
    for _ in 0..RINGS / 2 {
        let last = factor.clone();
        for (v, f) in factor.iter_mut().enumerate() {
            *f = neighbours.row(v).iter().fold(*f, |most, &n| most.max(last[n as usize]));
        }
    }
    let mut even: Vec<Vec3> = factor.into_iter().map(|f| Vec3::splat(f.max(1.0))).collect();
    smooth(neighbours, &mut even, RINGS / 2);
    for (d, f) in field.iter_mut().zip(even) {
        *d *= f.x;
    }
}

/// Evens the field out over the cloth, `times` rings far: each vertex goes half-way to the
/// mean of its neighbours. What lies further from any move than that stays exactly where it is.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mend::smooth_field, mesh::Topology, shapes::sphere};
///
/// let (positions, triangles) = sphere(0.1, 16);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let mut field = vec![Vec3::ZERO; positions.len()];
/// field[0] = Vec3::Y;
/// smooth_field(&topology.neighbours, &mut field, 2);
/// assert!(field[0].y < 1.0 && field[1].y > 0.0);
/// assert_eq!(field[positions.len() - 1], Vec3::ZERO, "further than two rings away");
/// ```
pub fn smooth(neighbours: &Csr, field: &mut Vec<Vec3>, times: usize) {
    even_out(neighbours, field, &vec![0.5; times]);
}
