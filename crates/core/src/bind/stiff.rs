//! Stiff pieces: one rigid motion for each shell.

use super::{match_surface, BindError, MatchSettings, Source, Target};
use crate::skin::Skin;
use crate::JointId;

/// What one stiff shell follows.
#[derive(Clone, Debug, PartialEq)]
pub struct StiffShell {
    /// The joint it follows.
    pub joint: JointId,
    /// The area-weighted mean of the weights beneath the shell, heaviest first: how clear the
    /// choice was.
    pub beneath: Vec<(JointId, f32)>,
}

/// Binds every shell in `stiff` (one flag a shell) of the target to one joint; `rows` of the
/// others are left to the caller (their rows come back as in `base`).
///
/// The joint is the heaviest in the mean of the weights beneath the shell, weighted by area.
/// A blend of several joints would keep weights equal too, but linear blending of two turned
/// joints shears and shrinks; one joint is exactly rigid in every viewer. `forced` names the
/// joint instead.
///
/// # Errors
/// When the source has no weights to give.
pub fn bind_stiff(
    source: &Source,
    target: &Target,
    stiff: &[bool],
    base: Option<&Skin>,
    forced: Option<JointId>,
) -> Result<(Skin, Vec<Option<StiffShell>>), BindError> {
    let topology = target.topology;
    let anywhere = MatchSettings { distance: f32::INFINITY, min_cosine: -1.0 };
    let beneath = match_surface(source, target, anywhere);
    let areas = topology.vertex_areas(target.positions);

    let mut sums = vec![vec![0.0f64; source.joints]; topology.shells];
    for (v, row) in beneath.rows.iter().enumerate() {
        let shell = topology.shell_of_vertex[v] as usize;
        for &(joint, weight) in row {
            sums[shell][joint.index()] += f64::from(weight) * f64::from(areas[v].max(1e-12));
        }
    }
    let shells: Vec<Option<StiffShell>> =
        (0..topology.shells).map(|s| stiff[s].then(|| choose(&sums[s], forced))).collect();
    let rows: Vec<Vec<(JointId, f32)>> = (0..topology.vertices())
        .map(|v| match (&shells[topology.shell_of_vertex[v] as usize], base) {
            (Some(shell), _) => vec![(shell.joint, 1.0)],
            (None, Some(base)) => base.row(v).collect(),
            (None, None) => beneath.rows[v].clone(),
        })
        .collect();
    Ok((Skin::from_rows(&rows, source.joints)?, shells))
}

fn choose(sums: &[f64], forced: Option<JointId>) -> StiffShell {
    let total: f64 = sums.iter().sum::<f64>().max(f64::MIN_POSITIVE);
    let mut beneath: Vec<(JointId, f32)> = sums
        .iter()
        .enumerate()
        .filter(|(_, s)| **s > 0.0)
        .map(|(j, s)| (JointId(j as u16), (s / total) as f32))
        .collect();
    beneath.sort_by(|x, y| y.1.total_cmp(&x.1).then(x.0.cmp(&y.0)));
    let joint = forced.or(beneath.first().map(|e| e.0)).unwrap_or(JointId(0));
    StiffShell { joint, beneath }
}
