//! Hand work: one dab of a brush on cloth.

use crate::mesh::{over_surface, vertex_normal, Topology};
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// What a dab does.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stroke {
    /// Out along the surface's own normal.
    #[default]
    PullOut,
    /// In against it.
    PushIn,
    /// Towards the mean of the neighbours.
    Smooth,
}

/// A brush.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Brush {
    /// What it does.
    pub stroke: Stroke,
    /// How far it reaches along the surface, metres.
    pub radius: f32,
    /// In the middle of a dab: metres moved, or the share of the way when smoothing (0 to 1).
    pub strength: f32,
    /// Share of the radius that gets the whole strength, 0 to 1; from there it falls off.
    pub firm: f32,
}

impl Brush {
    /// The strength at `distance` (metres, along the surface) from the middle of a dab: whole
    /// within the firm part, then (1 − t²)² of it, so that it ends without an edge.
    pub fn strength_at(&self, distance: f32) -> f32 {
        let t = (distance / self.radius - self.firm) / (1.0 - self.firm).max(f32::EPSILON);
        let t = t.clamp(0.0, 1.0);
        self.strength * (1.0 - t * t).powi(2)
    }
}

/// One dab at welded vertex `centre`: moves `positions` (metres) and answers which vertices
/// moved. Distances are measured along the cloth, so that the other side of a fold is not touched.
///
/// ```
/// use tin_cloak_core::{mesh::Topology, seat::{dab, Brush, Stroke}, shapes::sphere};
///
/// let (mut positions, triangles) = sphere(0.1, 24);
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let brush = Brush { stroke: Stroke::PullOut, radius: 0.03, strength: 0.005, firm: 0.0 };
/// let moved = dab(&mut positions, &topology, 0, brush);
/// assert!(moved.contains(&0) && (positions[0].y - 0.105).abs() < 1e-5);
/// ```
pub fn dab(positions: &mut [Vec3], topology: &Topology, centre: u32, brush: Brush) -> Vec<u32> {
    if centre as usize >= positions.len() || brush.radius <= 0.0 {
        return Vec::new();
    }
    let reach = over_surface(positions, topology, &[centre], brush.radius);
    let moved: Vec<(u32, Vec3)> = reach
        .iter()
        .map(|&(v, distance)| {
            let share = brush.strength_at(distance);
            let at = v as usize;
            let step = match brush.stroke {
                Stroke::PullOut => vertex_normal(positions, topology, at) * share,
                Stroke::PushIn => vertex_normal(positions, topology, at) * -share,
                Stroke::Smooth => (mean_around(positions, topology, at) - positions[at]) * share.min(1.0),
            };
            (v, positions[at] + step)
        })
        .collect();
    for &(v, p) in &moved {
        positions[v as usize] = p;
    }
    moved.into_iter().map(|m| m.0).collect()
}

/// Mean of the neighbours; along an open edge only of those on it, so that hems keep their line.
fn mean_around(positions: &[Vec3], topology: &Topology, v: usize) -> Vec3 {
    let edge = topology.on_boundary[v];
    let around = topology.neighbours.row(v).iter().filter(|&&n| !edge || topology.on_boundary[n as usize]);
    let (sum, count) = around.fold((Vec3::ZERO, 0), |(s, c), &n| (s + positions[n as usize], c + 1));
    if count == 0 {
        return positions[v];
    }
    sum / count as f32
}
