//! A hose or strap whose two ends belong to different joints.

use super::laplacian::solve_positive;
use super::{match_surface, BindError, BindTarget, Laplacian, MatchSettings, Source};
use crate::mesh::{along_edges, distances_along_edges, Topology};
use crate::skin::{merge, Skin};
use crate::JointId;
use glam::Vec3;
use tin_cloak_solve::{Mat, Triplet};

/// The vertices of the two ends of a shell: its open loops when it has two, else all that lies
/// within a twentieth of its length of the two vertices furthest from each other along it.
/// Nothing for a shell of a few vertices.
///
/// ```
/// use tin_cloak_core::{bind::two_ends, mesh::Topology, shapes::tube};
///
/// let (positions, triangles) = tube(0.02, 0.0, 0.5, 12, 20, 1.0);
/// let hose = Topology::of_welded(positions.len(), &triangles);
/// let ends = two_ends(&hose, &positions, 0).unwrap();
/// assert_eq!(ends.map(|e| e.len()), [12, 12], "its two openings");
/// ```
pub fn two_ends(topology: &Topology, positions: &[Vec3], shell: u32) -> Option<[Vec<u32>; 2]> {
    let of_shell = |v: &u32| topology.shell_of_vertex[*v as usize] == shell;
    let mut loops = topology.boundary_loops();
    loops.retain(|l| of_shell(&l[0]));
    if let Ok([a, b]) = <[Vec<u32>; 2]>::try_from(loops) {
        return Some([a, b]);
    }
    let any = (0..positions.len() as u32).find(of_shell)?;
    let furthest = |from: u32| {
        let all = distances_along_edges(positions, &topology.neighbours, &[from]);
        let finite = (0u32..).zip(all).filter(|e| e.1.is_finite());
        finite.max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0)))
    };
    let a = furthest(any)?.0;
    let (b, length) = furthest(a)?;
    let near = |v| -> Vec<u32> {
        along_edges(positions, &topology.neighbours, &[v], length * 0.05).into_iter().map(|e| e.0).collect()
    };
    (length > 0.0).then(|| [near(a), near(b)])
}

/// How far along from the first end (0) to the second (1) each vertex of their shell lies, by the
/// harmonic function with these values on the ends: even along a straight hose of any section.
/// Vertices of other shells have 0.
///
/// ```
/// use tin_cloak_core::bind::{share_of_way, two_ends, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::tube};
///
/// let (positions, triangles) = tube(0.02, 0.0, 0.5, 12, 20, 1.0);
/// let hose = Topology::of_welded(positions.len(), &triangles);
/// let ends = two_ends(&hose, &positions, 0).unwrap();
/// let upward = positions[ends[0][0] as usize].y < 0.25;
/// let share = share_of_way(&BindTarget::new(&positions, &hose), &ends)?;
/// for (p, share) in positions.iter().zip(share) {
///     let along = if upward { p.y / 0.5 } else { 1.0 - p.y / 0.5 };
///     assert!((share - along).abs() < 0.01);
/// }
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the system cannot be factored.
pub fn share_of_way(target: &BindTarget, ends: &[Vec<u32>; 2]) -> Result<Vec<f32>, BindError> {
    let topology = target.topology;
    let laplacian = Laplacian::new(target.positions, &topology.triangles, &topology.neighbours);
    share_by(&laplacian, target, ends)
}

fn share_by(laplacian: &Laplacian, target: &BindTarget, ends: &[Vec<u32>; 2]) -> Result<Vec<f32>, BindError> {
    let topology = target.topology;
    let mut way = vec![f32::NAN; target.positions.len()];
    ends[0].iter().for_each(|&v| way[v as usize] = 0.0);
    ends[1].iter().for_each(|&v| way[v as usize] = 1.0);
    let shell = ends[0].first().map(|&v| topology.shell_of_vertex[v as usize]);
    for (w, s) in way.iter_mut().zip(&topology.shell_of_vertex) {
        *w = if Some(*s) == shell { *w } else { 0.0 };
    }
    let free: Vec<usize> = (0..way.len()).filter(|&v| way[v].is_nan()).collect();
    let mut place = vec![usize::MAX; way.len()];
    free.iter().enumerate().for_each(|(i, &v)| place[v] = i);
    let mut triplets = Vec::with_capacity(free.len() * 5);
    let mut right = Mat::<f64>::zeros(free.len(), 1);
    for (i, &v) in free.iter().enumerate() {
        for (u, l) in laplacian.matrix.row(v) {
            match place[u] {
                usize::MAX => right[(i, 0)] -= l * f64::from(way[u]),
                j if j <= i => triplets.push(Triplet::new(i, j, l)),
                _ => {}
            }
        }
    }
    if !free.is_empty() {
        let solved = solve_positive(free.len(), &triplets, &right)?;
        free.iter().enumerate().for_each(|(i, &v)| way[v] = solved[(i, 0)].clamp(0.0, 1.0) as f32);
    }
    Ok(way)
}

/// Weights for a vertex at a share of the way from the first end to the second; `beneath` are those
/// of the source beneath each vertex.
fn between(
    beneath: &[Vec<(JointId, f32)>],
    ends: &[Vec<u32>; 2],
    joints: [Option<JointId>; 2],
    stretch: f32,
) -> impl Fn(f32) -> Vec<(JointId, f32)> {
    let row_of = |end: usize| -> Vec<(JointId, f32)> {
        if let Some(joint) = joints[end] {
            return vec![(joint, 1.0)];
        }
        let mut mean: Vec<(JointId, f32)> =
            ends[end].iter().flat_map(|&v| beneath[v as usize].iter().copied()).collect();
        merge(&mut mean);
        mean.truncate(2);
        let sum: f32 = mean.iter().map(|e| e.1).sum();
        mean.into_iter().map(|(j, w)| (j, w / sum.max(f32::MIN_POSITIVE))).collect()
    };
    let (first, second) = (row_of(0), row_of(1));
    let width = stretch.clamp(0.02, 1.0);
    move |way: f32| {
        let t = ((way - 0.5) / width + 0.5).clamp(0.0, 1.0);
        let part = |row: &[(JointId, f32)], by: f32| -> Vec<(JointId, f32)> {
            row.iter().map(|&(j, w)| (j, w * by)).collect()
        };
        let mut mixed = part(&first, 1.0 - t);
        mixed.extend(part(&second, t));
        merge(&mut mixed);
        mixed
    }
}

/// Weights that run from those of each shell's lower end to those of its upper one; a shell without
/// ends to find follows what is beneath it. The weights of an end are the mean of those beneath it
/// on the source, or the joint named for it. With the joints comes the share of the length over
/// which weights change, 0 to 1: all of it stretches evenly; little of it leaves two stiff ends that
/// slide past each other in the middle.
///
/// ```
/// use tin_cloak_core::bind::{bind_between_ends, Source, BindTarget};
/// use tin_cloak_core::shapes::{moved, tube, Arm};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology, JointId};
///
/// let arm = Arm::new();
/// let hose = moved(tube(0.01, 0.1, 0.5, 12, 20, 1.0), Vec3::X * 0.07);
/// let topology = Topology::of_welded(hose.0.len(), &hose.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let target = BindTarget::new(&hose.0, &topology);
/// // Both ends named; weights change over the whole length.
/// let skin = bind_between_ends(&source, &target, [Some(JointId(0)), Some(JointId(1))], 1.0)?;
/// let middle = hose.0.iter().position(|p| (p.y - 0.3).abs() < 1e-4).unwrap();
/// assert!((skin.column(JointId(1))[middle] - 0.5).abs() < 0.01);
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the system cannot be factored or the source has no weights to give.
pub fn bind_between_ends(
    source: &Source,
    target: &BindTarget,
    joints: [Option<JointId>; 2],
    stretch: f32,
) -> Result<Skin, BindError> {
    let anywhere = MatchSettings { distance: f32::INFINITY, min_cosine: -1.0 };
    let beneath = match_surface(source, target, anywhere).rows;
    let topology = target.topology;
    let laplacian = Laplacian::new(target.positions, &topology.triangles, &topology.neighbours);
    let mut rows = beneath.clone();
    for shell in 0..target.topology.shells as u32 {
        let Some(ends) = two_ends(target.topology, target.positions, shell) else { continue };
        let ends = ordered(ends, target.positions);
        let ways = share_by(&laplacian, target, &ends)?;
        let row = between(&beneath, &ends, joints, stretch);
        for v in (0..rows.len()).filter(|&v| topology.shell_of_vertex[v] == shell) {
            rows[v] = row(ways[v]);
        }
    }
    Ok(Skin::from_rows(&rows, source.joints)?)
}

/// The lower end first (of equals the one further back), so that “first” means something.
fn ordered([a, b]: [Vec<u32>; 2], positions: &[Vec3]) -> [Vec<u32>; 2] {
    let middle =
        |end: &[u32]| end.iter().map(|&v| positions[v as usize]).sum::<Vec3>() / end.len().max(1) as f32;
    let (x, y) = (middle(&a), middle(&b));
    let later = if (x.y - y.y).abs() > 1e-3 { x.y > y.y } else { x.z > y.z };
    if later {
        [b, a]
    } else {
        [a, b]
    }
}
