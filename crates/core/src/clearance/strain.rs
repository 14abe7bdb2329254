//! Strain of cloth and stiffness error of plates.

use crate::mesh::{Alignment, Topology};
use glam::Vec3;

/// Edges shorter than this at rest say nothing about cloth (metres).
const SHORTEST: f32 = 1e-4;

/// The posed edge length over rest edge length that is furthest from 1 (by ratio), over all
/// edges; 1 when there are none.
///
/// ```
/// use tin_cloak_core::{clearance::worst_strain, mesh::Topology, shapes::sphere};
///
/// let (rest, triangles) = sphere(0.1, 8);
/// let topology = Topology::of_welded(rest.len(), &triangles);
/// let twice: Vec<_> = rest.iter().map(|p| *p * 2.0).collect();
/// assert!((worst_strain(&topology, &rest, &twice) - 2.0).abs() < 1e-5);
/// ```
pub fn worst_strain(topology: &Topology, rest: &[Vec3], posed: &[Vec3]) -> f32 {
    let length = |p: &[Vec3], [a, b]: [u32; 2]| p[a as usize].distance(p[b as usize]);
    let mut worst = (1.0f32, 1.0f32);
    for &edge in &topology.edges {
        let before = length(rest, edge);
        if before < SHORTEST {
            continue;
        }
        let ratio = length(posed, edge) / before;
        let off = ratio.max(1.0 / ratio.max(1e-3));
        if off > worst.0 {
            worst = (off, ratio);
        }
    }
    worst.1
}

/// For each vertex the strain of the edge at it that is furthest from 1 (by ratio), less 1: 0.2 where an edge
/// is stretched by a fifth, −0.2 where it is squashed to four fifths.
///
/// ```
/// use tin_cloak_core::{clearance::vertex_strains, mesh::Topology, shapes::sphere};
///
/// let (rest, triangles) = sphere(0.1, 8);
/// let topology = Topology::of_welded(rest.len(), &triangles);
/// let larger: Vec<_> = rest.iter().map(|p| *p * 1.25).collect();
/// assert!(vertex_strains(&topology, &rest, &larger).iter().all(|s| (s - 0.25).abs() < 1e-4));
/// ```
pub fn vertex_strains(topology: &Topology, rest: &[Vec3], posed: &[Vec3]) -> Vec<f32> {
    let mut worst = vec![1.0f32; rest.len()];
    let off = |ratio: f32| ratio.max(1.0 / ratio.max(1e-3));
    for &[a, b] in &topology.edges {
        let before = rest[a as usize].distance(rest[b as usize]);
        if before < SHORTEST {
            continue;
        }
        let ratio = posed[a as usize].distance(posed[b as usize]) / before;
        for v in [a, b] {
            let known = &mut worst[v as usize];
            if off(ratio) > off(*known) {
                *known = ratio;
            }
        }
    }
    worst.iter().map(|ratio| ratio - 1.0).collect()
}

/// The largest distance (metres) between posed vertices and their best rigid fit from rest
/// ([`Alignment`]): 0 for a plate that does not bend, shear or shrink.
///
/// ```
/// use tin_cloak_core::{clearance::stiffness_error, glam::{Quat, Vec3}, shapes::sphere};
///
/// let rest = sphere(0.1, 8).0;
/// let turned: Vec<_> = rest.iter().map(|p| Quat::from_rotation_x(1.0) * *p + Vec3::Y).collect();
/// assert!(stiffness_error(&rest, &turned) < 1e-6);
/// let squashed: Vec<_> = rest.iter().map(|p| *p * Vec3::new(1.0, 0.5, 1.0)).collect();
/// assert!(stiffness_error(&rest, &squashed) > 0.03);
/// ```
pub fn stiffness_error(rest: &[Vec3], posed: &[Vec3]) -> f32 {
    let fit = Alignment::between(rest, posed);
    rest.iter().zip(posed).map(|(r, p)| fit.rigid(*r).distance(*p)).fold(0.0, f32::max)
}
