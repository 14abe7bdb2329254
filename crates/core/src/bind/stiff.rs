//! Stiff shells: each follows one blend of joints as a whole.

use super::{match_surface, BindError, MatchSettings, Source, Target};
use crate::skin::{merge, Skin};
use crate::JointId;
use glam::Vec3;

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

/// Joints of a blend at most.
const BLENDED: usize = 4;

/// Binds every shell with a `Follow` in `follows` (one entry a shell) as a whole; the vertices of
/// the others have their row of `base`, or of the closest surface when there is none.
///
/// # Errors
/// When the source has no weights to give.
pub fn bind_stiff(
    source: &Source,
    target: &Target,
    follows: &[Option<Follow>],
    base: Option<&Skin>,
) -> Result<(Skin, Vec<Option<StiffShell>>), BindError> {
    let topology = target.topology;
    let anywhere = MatchSettings { distance: f32::INFINITY, min_cosine: -1.0 };
    let beneath = match_surface(source, target, anywhere);
    let areas = topology.vertex_areas(target.positions);

    let mut sums = vec![Vec::new(); topology.shells];
    let mut middles = vec![(Vec3::ZERO, 0.0f32); topology.shells];
    for (v, row) in beneath.rows.iter().enumerate() {
        let (shell, area) = (topology.shell_of_vertex[v] as usize, areas[v].max(1e-12));
        if follows[shell].is_none() {
            continue;
        }
        sums[shell].extend(row.iter().map(|&(j, w)| (j, w * area)));
        middles[shell].0 += target.positions[v] * area;
        middles[shell].1 += area;
    }
    let shells: Vec<Option<StiffShell>> = (0..topology.shells)
        .map(|s| {
            let beneath = normalised(std::mem::take(&mut sums[s]));
            follows[s].map(|follow| {
                let middle = middles[s].0 / middles[s].1.max(f32::MIN_POSITIVE);
                StiffShell { row: blend_of(source, follow, &beneath, middle), beneath }
            })
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
