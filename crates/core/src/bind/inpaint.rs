//! Filling weights in between matched vertices.

use super::laplacian::solve_positive;
use super::{BindError, BindTarget, Laplacian, Match};
use crate::mesh::Csr;
use crate::skin::Skin;
use crate::JointId;
use glam::Vec3;
use rayon::prelude::*;
use tin_cloak_solve::{Mat, Triplet};

/// Weights and how they came about.
#[derive(Clone, Debug)]
pub struct Filled {
    /// One row a target vertex.
    pub skin: Skin,
    /// True where the weights were matched, false where they were filled in.
    pub matched: Vec<bool>,
    /// Vertices of shells with no matched vertex at all: they keep the closest surface's weights.
    pub unmatched_shells: usize,
}

/// Completes `matched` over the target: accepted rows stay as they are, the others minimise
/// the energy Σ wᵀ (L + L M⁻¹ L) w with the accepted ones fixed, factored once for all
/// joints; then each row is clamped to [0, 1], limited to `most` influences and normalised.
///
/// Abdrashitov, Raichstat, Monsen & Hill, “Robust Skin Weights Transfer via Weight
/// Inpainting”, SIGGRAPH Asia 2023 Technical Communications.
///
/// ```
/// use tin_cloak_core::bind::{fill, match_surface, MatchSettings, Source, BindTarget};
/// use tin_cloak_core::shapes::{tube, Arm};
/// use tin_cloak_core::{mesh::Topology, JointId};
///
/// // A sleeve that goes on 0.2 m further than the arm: what is beyond it is filled in.
/// let (arm, sleeve) = (Arm::new(), tube(0.055, 0.2, 0.8, 16, 24, 1.0));
/// let topology = Topology::of_welded(sleeve.0.len(), &sleeve.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let target = BindTarget::new(&sleeve.0, &topology);
/// let settings = MatchSettings { distance: 0.02, min_cosine: 0.8 };
/// let filled = fill(&target, match_surface(&source, &target, settings), 2, 4)?;
/// let last = sleeve.0.len() - 1;
/// assert!(filled.matched[0] && !filled.matched[last]);
/// assert!(filled.skin.column(JointId(1))[last] > 0.99);
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the system cannot be factored or a row ends without weight.
pub fn fill(target: &BindTarget, matched: Match, joints: usize, most: usize) -> Result<Filled, BindError> {
    let Match { mut accepted, mut rows } = matched;
    let unmatched_shells = accept_lonely_islands(&target.topology.neighbours, &mut accepted);
    let unknown: Vec<usize> = (0..accepted.len()).filter(|&v| !accepted[v]).collect();
    if !unknown.is_empty() {
        let laplacian =
            Laplacian::new(target.positions, &target.topology.triangles, &target.topology.neighbours);
        solve_unknown(&laplacian, &unknown, &accepted, &mut rows, joints)?;
    }
    let skin = Skin::from_rows(&rows, joints)?.limit(most);
    Ok(Filled { skin, matched: accepted, unmatched_shells })
}

/// A connected group of unmatched vertices that touches no matched one has nothing to be
/// filled from (and would make the system singular): its closest matches are accepted after
/// all. Returns how many vertices that concerns.
fn accept_lonely_islands(neighbours: &Csr, accepted: &mut [bool]) -> usize {
    let mut seen = accepted.to_vec();
    let mut lonely = 0;
    for start in 0..accepted.len() {
        if seen[start] {
            continue;
        }
        seen[start] = true;
        let (mut island, mut touches, mut next) = (vec![start], false, 0);
        while next < island.len() {
            for &n in neighbours.row(island[next]) {
                let n = n as usize;
                touches |= accepted[n];
                if !seen[n] {
                    seen[n] = true;
                    island.push(n);
                }
            }
            next += 1;
        }
        if !touches {
            lonely += island.len();
            island.iter().for_each(|&v| accepted[v] = true);
        }
    }
    lonely
}

fn solve_unknown(
    laplacian: &Laplacian,
    unknown: &[usize],
    accepted: &[bool],
    rows: &mut [Vec<(JointId, f32)>],
    joints: usize,
) -> Result<(), BindError> {
    let energy = energy_rows(laplacian, unknown, accepted.len());
    // Only joints that some touched matched vertex carries can appear in the filled part.
    let mut column_of = vec![u32::MAX; joints];
    let mut columns = Vec::new();
    for &(v, _) in energy.iter().flatten().filter(|(v, _)| accepted[*v]) {
        for &(joint, _) in &rows[v] {
            if column_of[joint.index()] == u32::MAX {
                column_of[joint.index()] = columns.len() as u32;
                columns.push(joint);
            }
        }
    }
    let known = |v: usize, give: &mut dyn FnMut(usize, f64)| {
        for &(joint, weight) in &rows[v] {
            give(column_of[joint.index()] as usize, f64::from(weight));
        }
    };
    let solved = completed(unknown, accepted, &energy, columns.len(), &known)?;
    for (i, &v) in unknown.iter().enumerate() {
        let filled: Vec<(JointId, f32)> = columns
            .iter()
            .enumerate()
            .map(|(c, &joint)| (joint, solved[(i, c)].clamp(0.0, 1.0) as f32))
            .filter(|e| e.1 > 1e-4)
            .collect();
        // Nothing left after clamping: the closest surface is still a better guess than none.
        if !filled.is_empty() {
            rows[v] = filled;
        }
    }
    Ok(())
}

/// The same for offsets: `fields` hold one offset a vertex each; those of accepted vertices stay, and those of parts
/// with none.
///
/// # Errors
/// When the system cannot be factored.
pub(crate) fn fill_offsets(
    target: &BindTarget,
    mut accepted: Vec<bool>,
    fields: &mut [Vec<Vec3>],
) -> Result<(), BindError> {
    accept_lonely_islands(&target.topology.neighbours, &mut accepted);
    let unknown: Vec<usize> = (0..accepted.len()).filter(|&v| !accepted[v]).collect();
    if unknown.is_empty() {
        return Ok(());
    }
    let laplacian = Laplacian::new(target.positions, &target.topology.triangles, &target.topology.neighbours);
    let energy = energy_rows(&laplacian, &unknown, accepted.len());
    let known = |v: usize, give: &mut dyn FnMut(usize, f64)| {
        for (f, field) in fields.iter().enumerate() {
            (0..3).for_each(|axis| give(3 * f + axis, f64::from(field[v][axis])));
        }
    };
    let solved = completed(&unknown, &accepted, &energy, 3 * fields.len(), &known)?;
    for (f, field) in fields.iter_mut().enumerate() {
        for (i, &v) in unknown.iter().enumerate() {
            field[v] = Vec3::from_array([0, 1, 2].map(|axis| solved[(i, 3 * f + axis)] as f32));
        }
    }
    Ok(())
}

fn energy_rows(laplacian: &Laplacian, unknown: &[usize], vertices: usize) -> Vec<Vec<(usize, f64)>> {
    let row = |scratch: &mut Vec<f64>, &v: &usize| laplacian.energy_row(v, scratch);
    unknown.par_iter().map_init(|| vec![0.0; vertices], row).collect()
}

/// Hands the values of an accepted vertex on, by column.
type Known<'a> = &'a dyn Fn(usize, &mut dyn FnMut(usize, f64));

/// The values of the unknown vertices, a column each, of which the energy is least.
fn completed(
    unknown: &[usize],
    accepted: &[bool],
    energy: &[Vec<(usize, f64)>],
    columns: usize,
    known: Known,
) -> Result<Mat<f64>, BindError> {
    let mut place = vec![0; accepted.len()];
    unknown.iter().enumerate().for_each(|(i, &v)| place[v] = i);
    let n = unknown.len();
    let mut triplets = Vec::with_capacity(n * 12);
    let mut right = Mat::<f64>::zeros(n, columns);
    for (i, entries) in energy.iter().enumerate() {
        for &(v, value) in entries {
            if accepted[v] {
                known(v, &mut |column, given| right[(i, column)] -= value * given);
            } else if place[v] <= i {
                triplets.push(Triplet::new(i, place[v], value));
            }
        }
    }
    solve_positive(n, &triplets, &right)
}
