//! What a change does to the look of cloth: how far it turns faces, and what it folds.

use crate::mesh::{face_normal, Topology, NO_TRIANGLE};
use glam::Vec3;

/// The look of a change, of the faces that it moves.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Look {
    /// Faces with a vertex that moved by more than 0.1 mm.
    pub faces: usize,
    /// 95 of a hundred of them turned by no more than this, degrees.
    pub turned: f32,
    /// The most that one turned, degrees.
    pub most: f32,
    /// How many lie turned over: by more than a right angle.
    pub over: usize,
    /// How far the angle between two faces at an edge changed, on the mean of their edges, degrees.
    pub folds: f32,
}

/// What moves less does not count, metres.
const MOVED: f32 = 1e-4;

/// The look of a change of a surface's places from `before` to `after` (welded, metres).
///
/// ```
/// use tin_cloak_core::mend::look_of_change;
/// use tin_cloak_core::{mesh::Topology, shapes::sphere};
///
/// let (before, triangles) = sphere(0.1, 32);
/// let topology = Topology::of_welded(before.len(), &triangles);
/// let grown: Vec<_> = before.iter().map(|p| *p * 1.05).collect();
/// let look = look_of_change(&topology, &before, &grown);
/// assert!(look.faces == triangles.len() && look.most < 0.1 && look.folds < 0.1, "{look:?}");
/// let mut dented = before.clone();
/// dented[0] *= 0.5;
/// let look = look_of_change(&topology, &before, &dented);
/// assert!(look.faces == 32 && look.turned > 60.0 && look.folds > 10.0, "{look:?}");
/// ```
pub fn look_of_change(topology: &Topology, before: &[Vec3], after: &[Vec3]) -> Look {
    let moved = |t: &[u32; 3]| t.iter().any(|v| before[*v as usize].distance(after[*v as usize]) > MOVED);
    let faces: Vec<usize> =
        (0..topology.triangles.len()).filter(|f| moved(&topology.triangles[*f])).collect();
    let turn = |f: &usize| {
        let [a, b] = [before, after].map(|p| face_normal(p, topology.triangles[*f]));
        degrees_between(a, b)
    };
    let mut turns: Vec<f32> = faces.iter().map(turn).collect();
    turns.sort_unstable_by(f32::total_cmp);
    let at = (turns.len() * 95).div_ceil(100).saturating_sub(1);
    let folds: Vec<f32> = faces.iter().flat_map(|f| fold_changes(topology, *f, before, after)).collect();
    Look {
        faces: faces.len(),
        turned: turns.get(at).copied().unwrap_or(0.0),
        most: turns.last().copied().unwrap_or(0.0),
        over: turns.iter().filter(|t| **t > 90.0).count(),
        folds: folds.iter().sum::<f32>() / folds.len().max(1) as f32,
    }
}

/// How far the fold at each edge of a face changed, degrees; of two faces that both moved each tells of their edge.
fn fold_changes(topology: &Topology, f: usize, before: &[Vec3], after: &[Vec3]) -> Vec<f32> {
    let fold = |places: &[Vec3], g: usize| {
        let [a, b] = [f, g].map(|face| face_normal(places, topology.triangles[face]));
        // Signed: a ridge that becomes a valley has changed by both.
        let to_other = middle(places, topology.triangles[g]) - middle(places, topology.triangles[f]);
        degrees_between(a, b) * if a.dot(to_other) > 0.0 { -1.0 } else { 1.0 }
    };
    let beside = topology.across[f].iter().filter(|g| **g != NO_TRIANGLE).map(|g| *g as usize);
    beside.map(|g| (fold(after, g) - fold(before, g)).abs()).collect()
}

fn middle(places: &[Vec3], t: [u32; 3]) -> Vec3 {
    t.iter().map(|v| places[*v as usize]).sum::<Vec3>() / 3.0
}

/// Between two unit normals; a face without area has none, and has not turned.
fn degrees_between(a: Vec3, b: Vec3) -> f32 {
    match a == Vec3::ZERO || b == Vec3::ZERO {
        true => 0.0,
        false => a.dot(b).clamp(-1.0, 1.0).acos().to_degrees(),
    }
}
