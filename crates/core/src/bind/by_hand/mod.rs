//! Weights changed by hand: a joint's weight set, added to, taken from and moved, on chosen vertices, each by its
//! share (1 for all of the change, less under the edge of a brush).
//!
//! Locked joints keep their weights to the bit. What a joint gains or loses the others lose or gain by a rule that
//! is named: in proportion, one joint, or its parent.

mod crease;
mod crease_along;
mod fade;
mod give;
mod gradient;
mod refill;
mod soften;
mod table;

pub use crease::{crease, Crease, FoldsOver};
pub use crease_along::{crease_along, CreaseAlong};
pub use fade::{fade, Along, Fade, Profile};
pub use give::{exchange, give, give_each, Amount, Given, Rest};
pub use gradient::{gradient, Gradient};
pub use refill::refill;
pub use soften::{harden, mean_of, smooth_joints, towards};
pub use table::tabled;

use super::clean::{BoundMesh, Row};
use crate::skin::{Skin, SkinError};
use crate::JointId;

/// What a change by hand came to.
#[derive(Clone, Debug, PartialEq)]
pub struct ByHand {
    /// The weights.
    pub skin: Skin,
    /// Vertices that had all of it already.
    pub full: usize,
    /// Vertices where the weight had nowhere to come from or to go to.
    pub nowhere: usize,
}

/// What a vertex gets.
enum Outcome {
    Row(Row),
    Full,
    Nowhere,
    Same,
}

/// The weights with every chosen row as `change` makes it, taken by the vertex's share.
fn changed(
    bound: BoundMesh,
    shares: &[f32],
    change: impl Fn(usize, &[(JointId, f32)]) -> Outcome + Sync,
) -> Result<ByHand, SkinError> {
    use rayon::prelude::*;
    let outcome = |v: usize| match bound.chosen[v] && shares[v] > 0.0 {
        true => change(v, &bound.row(v)),
        false => Outcome::Same,
    };
    let outcomes: Vec<Outcome> =
        (0..bound.positions.len()).into_par_iter().with_min_len(128).map(outcome).collect();
    let count = |is: fn(&Outcome) -> bool| outcomes.iter().filter(|o| is(o)).count();
    let (full, nowhere) = (count(|o| matches!(o, Outcome::Full)), count(|o| matches!(o, Outcome::Nowhere)));
    let skin = bound.changed(|v, old| match &outcomes[v] {
        Outcome::Row(new) => Some(mixed(&old, new, shares[v])),
        _ => None,
    })?;
    Ok(ByHand { skin, full, nowhere })
}

/// From one row to another by a share.
fn mixed(old: &[(JointId, f32)], new: &[(JointId, f32)], share: f32) -> Row {
    if share >= 1.0 {
        return new.to_vec();
    }
    let old = old.iter().map(|&(j, w)| (j, w * (1.0 - share)));
    old.chain(new.iter().map(|&(j, w)| (j, w * share))).collect()
}

fn weight_of(row: &[(JointId, f32)], joint: JointId) -> f32 {
    row.iter().filter(|e| e.0 == joint).map(|e| e.1).sum()
}

/// For each vertex whether its weights are others than they were, by more than a hundred-thousandth.
///
/// ```
/// use tin_cloak_core::{bind::by_hand::differing, skin::Skin, JointId};
///
/// let of = |w: f32| Skin::from_rows(&[vec![(JointId(0), 1.0)], vec![(JointId(0), w), (JointId(1), 1.0 - w)]], 2);
/// assert_eq!(differing(&of(0.25)?, &of(0.75)?), [false, true]);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn differing(before: &Skin, after: &Skin) -> Vec<bool> {
    let differs = |v: usize| {
        let (old, new): (Row, Row) = (before.row(v).collect(), after.row(v).collect());
        let mut joints = old.iter().chain(&new).map(|e| e.0);
        joints.any(|j| (weight_of(&old, j) - weight_of(&new, j)).abs() > 1e-5)
    };
    (0..before.vertices().min(after.vertices())).map(differs).collect()
}

/// What each joint gained and lost in all from `before` to `after` on all vertices; joints that did neither are
/// left out.
///
/// ```
/// use tin_cloak_core::{bind::by_hand::gains, skin::Skin, JointId};
///
/// let of = |w: f32| Skin::from_rows(&[vec![(JointId(0), w), (JointId(1), 1.0 - w)]], 2);
/// let told = gains(&of(0.25)?, &of(0.75)?, 2);
/// assert_eq!(told, [(JointId(0), 0.5), (JointId(1), -0.5)]);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn gains(before: &Skin, after: &Skin, joints: usize) -> Vec<(JointId, f32)> {
    let mut gained = vec![0.0f64; joints];
    for v in 0..before.vertices() {
        before.row(v).for_each(|(j, w)| gained[j.index()] -= f64::from(w));
        after.row(v).for_each(|(j, w)| gained[j.index()] += f64::from(w));
    }
    let all = gained.into_iter().enumerate().map(|(j, w)| (JointId(j as u16), w as f32));
    all.filter(|(_, w)| w.abs() > 1e-4).collect()
}
