//! The one move of a stiff thing that serves all demands best.

use super::kaczmarz::Demand;
use glam::Vec3;

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
    fn a_plate_between_two_demands_goes_where_both_are_met() {
        let demand = |g, need| Demand { vertices: [0; 3], gradients: [g, Vec3::ZERO, Vec3::ZERO], need };
        let shift = best_shift(&[demand(Vec3::Z, 0.01), demand(Vec3::X, 0.005), demand(-Vec3::Z, -0.05)]);
        assert!(shift.z > 0.0098 && shift.x > 0.0048, "{shift}");
    }
}
