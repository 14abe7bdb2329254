//! Setting, adding, taking and scaling the weight of a joint; moving and exchanging it.

use super::{changed, weight_of, ByHand, Outcome};
use crate::bind::clean::{BoundMesh, Row};
use crate::skin::SkinError;
use crate::JointId;

/// How much of a joint a vertex shall have.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Amount {
    /// So much.
    Set(f32),
    /// So much more (below 0: less).
    Add(f32),
    /// So many times what it has.
    Times(f32),
}

impl Amount {
    fn applied_to(self, weight: f32) -> f32 {
        match self {
            Self::Set(to) => to,
            Self::Add(by) => weight + by,
            Self::Times(by) => weight * by,
        }
    }
}

/// Who has less when a joint gets more, and more when it gets less.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Rest {
    /// All others there, in proportion.
    Others,
    /// One joint.
    Joint(JointId),
}

/// A change of one joint's weight.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Given {
    /// The joint.
    pub joint: JointId,
    /// What it shall have.
    pub amount: Amount,
    /// Where that comes from and goes to.
    pub rest: Rest,
}

/// Changes the weight of a joint on the chosen vertices.
///
/// ```
/// use tin_cloak_core::bind::by_hand::{give, Amount, Given, Rest};
/// use tin_cloak_core::bind::clean::BoundMesh;
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// // A tenth more of the lower arm, wherever it has not all.
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (shares, topology) = (vec![1.0; positions.len()], &topology);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// let given = Given { joint: JointId(1), amount: Amount::Add(0.1), rest: Rest::Others };
/// let told = give(bound, given, &shares)?;
/// for (before, after) in skin.column(JointId(1)).iter().zip(told.skin.column(JointId(1))) {
///     assert!((after - (before + 0.1).min(1.0)).abs() < 1e-5);
/// }
/// assert!(told.full > 0 && told.nowhere == 0);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn give(bound: BoundMesh, given: Given, shares: &[f32]) -> Result<ByHand, SkinError> {
    changed(bound, shares, |_, row| given_row(row, given, bound.locked))
}

/// Sets the weight of a joint at each chosen vertex to its own amount, where it has one.
///
/// ```
/// use tin_cloak_core::bind::by_hand::{give_each, Rest};
/// use tin_cloak_core::bind::clean::BoundMesh;
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// // As much of the lower arm as a vertex is high in the list; the first keeps what it has.
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let amount = |v: usize| (v > 0).then(|| v as f32 / positions.len() as f32);
/// let told = give_each(bound, JointId(1), amount, Rest::Joint(JointId(0)), &shares)?.skin.column(JointId(1));
/// assert_eq!(told[0], skin.column(JointId(1))[0]);
/// assert!((1..told.len()).all(|v| (told[v] - amount(v).unwrap()).abs() < 1e-5));
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn give_each(
    bound: BoundMesh,
    joint: JointId,
    amount: impl Fn(usize) -> Option<f32> + Sync,
    rest: Rest,
    shares: &[f32],
) -> Result<ByHand, SkinError> {
    changed(bound, shares, |v, row| match amount(v) {
        Some(to) => given_row(row, Given { joint, amount: Amount::Set(to), rest }, bound.locked),
        None => Outcome::Same,
    })
}

fn given_row(row: &[(JointId, f32)], given: Given, locked: &[bool]) -> Outcome {
    let Given { joint, amount, rest } = given;
    if locked[joint.index()] {
        return Outcome::Nowhere;
    }
    let now = weight_of(row, joint);
    let wished = amount.applied_to(now).clamp(0.0, 1.0);
    let more = wished - now;
    if more.abs() < 1e-6 {
        return if now >= 1.0 - 1e-6 { Outcome::Full } else { Outcome::Same };
    }
    let may = |other: JointId| other != joint && !locked[other.index()];
    let pool: f32 = match rest {
        Rest::Others => row.iter().filter(|e| may(e.0)).map(|e| e.1).sum(),
        Rest::Joint(other) if may(other) => weight_of(row, other),
        Rest::Joint(_) => return Outcome::Nowhere,
    };
    if more > 0.0 {
        let more = more.min(pool);
        if more < 1e-6 {
            return if now >= 1.0 - 1e-6 { Outcome::Full } else { Outcome::Nowhere };
        }
        return Outcome::Row(shifted(row, joint, more, |e| match rest {
            Rest::Others if may(e.0) => e.1 * (1.0 - more / pool),
            Rest::Joint(other) if e.0 == other => e.1 - more,
            _ => e.1,
        }));
    }
    match rest {
        Rest::Others if pool <= f32::MIN_POSITIVE => Outcome::Nowhere,
        Rest::Others => Outcome::Row(shifted(row, joint, more, |e| match may(e.0) {
            true => e.1 * (1.0 - more / pool),
            false => e.1,
        })),
        Rest::Joint(other) => {
            let mut new = shifted(row, joint, more, |e| e.1);
            new.push((other, -more));
            Outcome::Row(new)
        }
    }
}

/// `row` with `more` of a joint, and the others as `other` says.
fn shifted(row: &[(JointId, f32)], joint: JointId, more: f32, other: impl Fn(&(JointId, f32)) -> f32) -> Row {
    let mut new: Row =
        row.iter().map(|e| (e.0, if e.0 == joint { e.1 } else { other(e).max(0.0) })).collect();
    match new.iter_mut().find(|e| e.0 == joint) {
        Some(entry) => entry.1 = (entry.1 + more).max(0.0),
        None => new.push((joint, more)),
    }
    new
}

/// What one joint has goes to another; `both` ways for an exchange.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::exchange, clean::BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let told = exchange(bound, JointId(0), JointId(1), true, &shares)?;
/// assert_eq!(told.skin.column(JointId(0)), skin.column(JointId(1)));
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn exchange(
    bound: BoundMesh,
    from: JointId,
    to: JointId,
    both: bool,
    shares: &[f32],
) -> Result<ByHand, SkinError> {
    changed(bound, shares, |_, row| {
        let (own, other) = (weight_of(row, from), weight_of(row, to));
        if own <= 0.0 && (!both || other <= 0.0) {
            return Outcome::Same;
        }
        if bound.locked[from.index()] || bound.locked[to.index()] {
            return Outcome::Nowhere;
        }
        let renamed = |&(j, w): &(JointId, f32)| match j {
            _ if j == from => (to, w),
            _ if j == to && both => (from, w),
            _ => (j, w),
        };
        Outcome::Row(row.iter().map(renamed).collect())
    })
}
