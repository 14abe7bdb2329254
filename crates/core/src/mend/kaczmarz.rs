//! Kaczmarz’s method for inequalities: demands on a field of moves, projected on in turn.

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
    pub(super) fn met(&self, field: &[Vec3]) -> f32 {
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
}
