//! Weight for joints that a piece brings itself: coat tails, a visor, a swing.

use super::Bone;
use crate::skin::{Skin, SkinError};
use crate::JointId;
use glam::Vec3;

/// What a joint of a piece's own takes: everything near its bone, fading out at `reach`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Falloff {
    /// The joint.
    pub joint: JointId,
    /// Its place, metres in model space at rest.
    pub from: Vec3,
    /// The end of its bone.
    pub to: Vec3,
    /// How far from the bone the last of it is taken, metres; the first half is taken whole.
    pub reach: f32,
}

impl Falloff {
    /// How far `p` is from its bone, metres.
    pub fn distance(&self, p: Vec3) -> f32 {
        Bone { joint: self.joint, from: self.from, to: self.to }.nearest(p).distance(p)
    }

    /// What it takes at `p`, 0 to 1.
    fn at(&self, p: Vec3) -> f32 {
        let x = (2.0 - 2.0 * self.distance(p) / self.reach.max(1e-6)).clamp(0.0, 1.0);
        x * x * (3.0 - 2.0 * x)
    }
}

/// Gives the joints of `falloffs` what they take of each vertex at `rest`; what they leave stays
/// with the others in proportion. Where two overlap they share.
///
/// ```
/// use tin_cloak_core::bind::{add_falloffs, Falloff};
/// use tin_cloak_core::{glam::Vec3, skin::Skin, JointId};
///
/// // A flap's own joint takes what is near its bone whole, and less up to its reach.
/// let rest = [Vec3::ZERO, Vec3::X * 0.075, Vec3::X * 0.2];
/// let skin = Skin::uniform(3, &[(JointId(0), 1.0)], 2)?;
/// let flap = Falloff { joint: JointId(1), from: Vec3::ZERO, to: Vec3::NEG_Y * 0.1, reach: 0.1 };
/// let taken = add_falloffs(&skin, &rest, &[flap], 2, 4)?.column(JointId(1));
/// assert!(taken[0] == 1.0 && taken[1] > 0.0 && taken[1] < 1.0 && taken[2] == 0.0);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn add_falloffs(
    skin: &Skin,
    rest: &[Vec3],
    falloffs: &[Falloff],
    joints: usize,
    most: usize,
) -> Result<Skin, SkinError> {
    let row = |v: usize| {
        let taken: Vec<(JointId, f32)> =
            falloffs.iter().map(|f| (f.joint, f.at(rest[v]))).filter(|e| e.1 > 0.0).collect();
        let sum: f32 = taken.iter().map(|e| e.1).sum();
        if sum <= 0.0 {
            return None;
        }
        let (left, scale) = ((1.0 - sum).max(0.0), 1.0 / sum.max(1.0));
        let mut kept: Vec<(JointId, f32)> = skin.row(v).map(|(j, w)| (j, w * left)).collect();
        kept.extend(taken.iter().map(|&(j, w)| (j, w * scale)));
        crate::skin::merge(&mut kept);
        kept.truncate(most);
        Some(kept)
    };
    skin.replaced((0..rest.len()).map(row).collect(), joints)
}
