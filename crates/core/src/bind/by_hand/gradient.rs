//! One joint from one weight to another along a line.

use super::fade::progress;
use super::{give_each, Along, ByHand, Profile, Rest};
use crate::bind::clean::BoundMesh;
use crate::skin::SkinError;
use crate::JointId;

/// A gradient of one joint.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gradient {
    /// The joint.
    pub joint: JointId,
    /// Its weight at the first vertex, and at the second, 0 to 1.
    pub amounts: [f32; 2],
    /// From which vertex to which.
    pub ends: [u32; 2],
    /// Along what it is measured.
    pub along: Along,
    /// How it begins and ends.
    pub profile: Profile,
    /// Where that comes from and goes to.
    pub rest: Rest,
}

/// Sets a joint's weight at each chosen vertex by how far it is from one end to the other; before the first end it is
/// the first amount, beyond the second the second.
///
/// ```
/// use tin_cloak_core::bind::{by_hand::{gradient, Along, Gradient, Profile, Rest}, clean::BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::tube, skin::Skin, JointId};
///
/// // A tube that two joints share evenly; the second is to have from 0.2 below to 0.9 above.
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let skin = Skin::uniform(positions.len(), &[(JointId(0), 0.5), (JointId(1), 0.5)], 2)?;
/// let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let (joint, amounts, ends) = (JointId(1), [0.2, 0.9], [0, 64]);
/// let (along, profile, rest) = (Along::Axis, Profile::Linear, Rest::Others);
/// let told = gradient(bound, Gradient { joint, amounts, ends, along, profile, rest }, &shares)?;
/// for (p, w) in positions.iter().zip(told.skin.column(joint)) {
///     assert!((w - (0.2 + 0.7 * p.y / 0.4)).abs() < 1e-5);
/// }
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn gradient(bound: BoundMesh, wish: Gradient, shares: &[f32]) -> Result<ByHand, SkinError> {
    let along = progress(&bound, wish.ends, wish.along);
    let [first, second] = wish.amounts;
    let amount = |v: usize| Some(first + (second - first) * wish.profile.at(along[v]));
    give_each(bound, wish.joint, amount, wish.rest, shares)
}
