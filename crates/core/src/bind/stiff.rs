//! Stiff shells: each follows one blend of joints as a whole.

use super::{match_surface, BindError, BindTarget, MatchSettings, Source};
use crate::mesh::Topology;
use crate::query::Bvh;
use crate::skin::{merge, Skin};
use crate::JointId;
use glam::Vec3;
use rayon::prelude::*;

/// What a stiff shell follows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Follow {
    /// The joint that is heaviest beneath it: exactly rigid in every viewer.
    Main,
    /// A joint that was named.
    Joint(JointId),
    /// The mean of the weights beneath it, at most four joints. Linear blending of joints turned
    /// against each other shears and shrinks: its stiffness error is to be looked at.
    Blend,
    /// The place of the source that is nearest to its middle, and its turn: a button on cloth.
    Patch,
}

/// What became of one stiff shell.
#[derive(Clone, Debug, PartialEq)]
pub struct StiffShell {
    /// The weights of all its vertices.
    pub row: Vec<(JointId, f32)>,
    /// The area-weighted mean of the weights beneath the shell, heaviest first: how clear the
    /// choice was.
    pub beneath: Vec<(JointId, f32)>,
}

/// Shells no further than `near` metres from each other are one assembly: a lantern of base, posts
/// and roof. The number of each shell's assembly, by first shell.
///
/// ```
/// use tin_cloak_core::bind::assemblies;
/// use tin_cloak_core::shapes::{joined, moved, sphere};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology};
///
/// let ball = |x: f32| moved(sphere(0.05, 8), Vec3::X * x);
/// let (positions, triangles) = joined(joined(ball(0.0), ball(0.101)), ball(0.5));
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let groups = assemblies(&topology, &positions, 0.005);
/// assert!(groups[0] == groups[1] && groups[0] != groups[2]);
/// ```
pub fn assemblies(topology: &Topology, positions: &[Vec3], near: f32) -> Vec<u32> {
    let mut vertices: Vec<Vec<Vec3>> = vec![Vec::new(); topology.shells];
    let mut triangles: Vec<Vec<[u32; 3]>> = vec![Vec::new(); topology.shells];
    for (p, &s) in positions.iter().zip(&topology.shell_of_vertex) {
        vertices[s as usize].push(*p);
    }
    for t in &topology.triangles {
        triangles[topology.shell_of_vertex[t[0] as usize] as usize].push(*t);
    }
    let boxes: Vec<(Vec3, Vec3)> = vertices.iter().map(|v| crate::mesh::bounds(v)).collect();
    let trees: Vec<Bvh> = triangles.par_iter().map(|t| Bvh::build(positions, t)).collect();
    let touching = |a: usize, b: usize| vertices[a].iter().any(|p| trees[b].closest(*p, near).is_some());
    let pairs: Vec<(usize, usize)> = (0..topology.shells)
        .into_par_iter()
        .flat_map_iter(|a| (a + 1..topology.shells).map(move |b| (a, b)))
        .filter(|&(a, b)| {
            let apart = (boxes[a].0 - boxes[b].1).max(boxes[b].0 - boxes[a].1);
            apart.max_element() <= near && (touching(a, b) || touching(b, a))
        })
        .collect();
    let mut of: Vec<u32> = (0..topology.shells as u32).collect();
    for (a, b) in pairs {
        let (a, b) = (root(&of, a as u32), root(&of, b as u32));
        of[a.max(b) as usize] = a.min(b);
    }
    (0..topology.shells as u32).map(|s| root(&of, s)).collect()
}

fn root(of: &[u32], mut shell: u32) -> u32 {
    while of[shell as usize] != shell {
        shell = of[shell as usize];
    }
    shell
}

/// Joints of a blend at most.
const BLENDED: usize = 4;

/// Binds every shell with a `Follow` in `follows` (one entry a shell) as a whole; the vertices of
/// the others have their row of `base`, or of the closest surface when there is none. Shells of one
/// group (`groups`, one number a shell) that follow what is beneath follow the same.
///
/// ```
/// use tin_cloak_core::bind::{bind_stiff, Follow, Source, BindTarget};
/// use tin_cloak_core::shapes::{moved, sphere, Arm};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology, JointId};
///
/// // A knob beside the lower arm follows the elbow alone.
/// let (arm, knob) = (Arm::new(), moved(sphere(0.02, 8), Vec3::new(0.075, 0.5, 0.0)));
/// let topology = Topology::of_welded(knob.0.len(), &knob.1);
/// let source = Source::new(&arm.surface.0, &arm.surface.1, &arm.skin, 2);
/// let target = BindTarget::new(&knob.0, &topology);
/// let (skin, shells) = bind_stiff(&source, &target, &[Some(Follow::Main)], &[0], None)?;
/// assert_eq!(shells[0].as_ref().unwrap().row, [(JointId(1), 1.0)]);
/// assert_eq!(skin.max_influences(), 1);
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the source has no weights to give.
pub fn bind_stiff(
    source: &Source,
    target: &BindTarget,
    follows: &[Option<Follow>],
    groups: &[u32],
    base: Option<&Skin>,
) -> Result<(Skin, Vec<Option<StiffShell>>), BindError> {
    let topology = target.topology;
    let anywhere = MatchSettings { distance: f32::INFINITY, min_cosine: -1.0 };
    let beneath = match_surface(source, target, anywhere);
    let areas = topology.vertex_areas(target.positions);

    let mut sums: Vec<Vec<(JointId, f32)>> = vec![Vec::new(); topology.shells];
    let mut middles = vec![(Vec3::ZERO, 0.0f32); topology.shells];
    for (v, row) in beneath.rows.iter().enumerate() {
        let (shell, area) = (topology.shell_of_vertex[v] as usize, areas[v].max(1e-12));
        if follows[shell].is_none() {
            continue;
        }
        let shell = groups[shell] as usize;
        sums[shell].extend(row.iter().map(|&(j, w)| (j, w * area)));
        middles[shell].0 += target.positions[v] * area;
        middles[shell].1 += area;
    }
    let means: Vec<Vec<(JointId, f32)>> = sums.into_iter().map(normalised).collect();
    let shells: Vec<Option<StiffShell>> = (0..topology.shells)
        .map(|s| {
            let group = groups[s] as usize;
            let middle = middles[group].0 / middles[group].1.max(f32::MIN_POSITIVE);
            let beneath = means[group].clone();
            Some(StiffShell { row: blend_of(source, follows[s]?, &beneath, middle), beneath })
        })
        .collect();
    let rows: Vec<Vec<(JointId, f32)>> = (0..topology.vertices())
        .map(|v| match (&shells[topology.shell_of_vertex[v] as usize], base) {
            (Some(shell), _) => shell.row.clone(),
            (None, Some(base)) => base.row(v).collect(),
            (None, None) => beneath.rows[v].clone(),
        })
        .collect();
    Ok((Skin::from_rows(&rows, source.joints)?, shells))
}

fn normalised(mut row: Vec<(JointId, f32)>) -> Vec<(JointId, f32)> {
    merge(&mut row);
    let sum: f32 = row.iter().map(|e| e.1).sum();
    row.iter_mut().for_each(|e| e.1 /= sum.max(f32::MIN_POSITIVE));
    row
}

fn blend_of(
    source: &Source,
    follow: Follow,
    beneath: &[(JointId, f32)],
    middle: Vec3,
) -> Vec<(JointId, f32)> {
    let few = |row: &[(JointId, f32)]| normalised(row.iter().take(BLENDED).copied().collect());
    match follow {
        Follow::Joint(joint) => vec![(joint, 1.0)],
        Follow::Main => vec![(beneath.first().map_or(JointId(0), |e| e.0), 1.0)],
        Follow::Blend => few(beneath),
        Follow::Patch => match source.tree.closest(middle, f32::INFINITY) {
            Some(hit) => few(&source.skin.at(source.triangles[hit.triangle as usize], hit.barycentric)),
            None => few(beneath),
        },
    }
}
