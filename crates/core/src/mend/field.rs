//! Displacement fields on a mesh that must reach certain offsets.

use crate::mesh::Csr;
use glam::Vec3;

/// One demand: Σ gₖ·dₖ ≥ need over up to three vertices k (d in rest space, metres).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Demand {
    /// Vertices; unused places repeat the first with a zero gradient.
    pub vertices: [u32; 3],
    /// Gradient for each vertex: how much a move of it in rest space counts.
    pub gradients: [Vec3; 3],
    /// Metres still needed.
    pub need: f32,
}

impl Demand {
    fn met(&self, field: &[Vec3]) -> f32 {
        self.vertices.iter().zip(&self.gradients).map(|(&v, g)| g.dot(field[v as usize])).sum()
    }

    fn size(&self) -> f32 {
        self.gradients.iter().map(|g| g.length_squared()).sum()
    }
}

/// Small moves that meet all `demands` as far as they agree: each unmet demand is projected
/// on in turn (Kaczmarz's method for inequalities: Agmon, “The relaxation method for linear
/// inequalities”, 1954), starting from `field`.
pub fn meet(demands: &[Demand], field: &mut [Vec3], sweeps: usize) {
    for _ in 0..sweeps {
        let mut worst = 0.0f32;
        for demand in demands {
            let short = demand.need - demand.met(field);
            if short <= 0.0 {
                continue;
            }
            worst = worst.max(short);
            let scale = short / demand.size().max(1e-6);
            for (&v, g) in demand.vertices.iter().zip(&demand.gradients) {
                field[v as usize] += *g * scale;
            }
        }
        if worst < 1e-6 {
            return;
        }
    }
}

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
pub fn smooth(neighbours: &Csr, field: &mut Vec<Vec3>, times: usize) {
    let mut next = field.clone();
    for _ in 0..times {
        for (v, out) in next.iter_mut().enumerate() {
            let around = neighbours.row(v);
            if around.is_empty() {
                continue;
            }
            let mean = around.iter().map(|&n| field[n as usize]).sum::<Vec3>() / around.len() as f32;
            *out = field[v].lerp(mean, 0.5);
        }
        std::mem::swap(field, &mut next);
    }
}

/// The one move of a whole stiff shell that leaves the least squared shortfall over all
/// demands (Newton steps on a piecewise quadratic in three unknowns, lightly damped).
pub fn best_shift(demands: &[Demand]) -> Vec3 {
    let mut shift = Vec3::ZERO;
    for _ in 0..30 {
        let mut normal = glam::Mat3::from_diagonal(Vec3::splat(1e-3 * demands.len().max(1) as f32));
        let mut right = -shift * normal.x_axis.x;
        for demand in demands {
            let g: Vec3 = demand.gradients.iter().copied().sum();
            let short = demand.need - g.dot(shift);
            if short > 0.0 {
                normal += glam::Mat3::from_cols(g * g.x, g * g.y, g * g.z);
                right += g * short;
            }
        }
        let step = normal.inverse() * right;
        shift += step;
        if step.length() < 1e-6 {
            break;
        }
    }
    shift
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn demands_are_met_and_nothing_else_moves() {
        let demand =
            |v: u32, need| Demand { vertices: [v; 3], gradients: [Vec3::X, Vec3::ZERO, Vec3::ZERO], need };
        let mut field = vec![Vec3::ZERO; 3];
        meet(&[demand(0, 0.01), demand(0, 0.004), demand(2, -0.1)], &mut field, 10);
        assert!((field[0].x - 0.01).abs() < 1e-6);
        assert_eq!(field[1], Vec3::ZERO);
        assert_eq!(field[2], Vec3::ZERO);
    }

    #[test]
    fn a_plate_between_two_demands_goes_where_both_are_met() {
        let demand = |g, need| Demand { vertices: [0; 3], gradients: [g, Vec3::ZERO, Vec3::ZERO], need };
        let shift = best_shift(&[demand(Vec3::Z, 0.01), demand(Vec3::X, 0.005), demand(-Vec3::Z, -0.05)]);
        assert!(shift.z > 0.0098 && shift.x > 0.0048, "{shift}");
    }
}
