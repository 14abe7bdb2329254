//! Which joint is to blame.

use crate::skin::Skin;
use crate::JointId;
use glam::{Mat4, Vec3};

/// A joint and how far it pulls a piece away from what lies beneath.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cause {
    /// The joint.
    pub joint: JointId,
    /// Metres that the difference in its weight moves the vertex.
    pub metres: f32,
}

/// For each joint: weight on the piece minus weight on the layer beneath, times how far that
/// joint's motion carries the vertex from where it is held; largest first, below 0.1 mm left
/// out.
///
/// `rest` and `posed` are the vertex of the piece (metres), `skin` the weights of its layer, `beneath` those
/// of the nearest covered layer, `matrices` the skin matrices of the pose.
///
/// ```
/// use tin_cloak_core::{clearance::rank_causes, glam::Vec3, shapes::Arm, skin::Skin, JointId};
///
/// // The cloth follows the shoulder where the arm beneath follows the elbow.
/// let (arm, hand) = (Arm::new(), Vec3::new(0.0, 0.5, 0.05));
/// let skin = Skin::uniform(1, &[(JointId(0), 1.0)], 2)?;
/// let causes = rank_causes(hand, hand, &skin, 0, &[(JointId(1), 1.0)], &arm.bent(90.0));
/// assert_eq!(causes[0].joint, JointId(1));
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn rank_causes(
    rest: Vec3,
    posed: Vec3,
    skin: &Skin,
    vertex: u32,
    beneath: &[(JointId, f32)],
    matrices: &[Mat4],
) -> Vec<Cause> {
    let mut difference: Vec<(JointId, f32)> = skin.row(vertex as usize).collect();
    for &(joint, weight) in beneath {
        match difference.iter_mut().find(|e| e.0 == joint) {
            Some(entry) => entry.1 -= weight,
            None => difference.push((joint, -weight)),
        }
    }
    let mut causes: Vec<Cause> = difference
        .into_iter()
        .map(|(joint, weight)| {
            let carried = matrices[joint.index()].transform_point3(rest).distance(posed);
            Cause { joint, metres: weight.abs() * carried }
        })
        .filter(|c| c.metres >= 1e-4)
        .collect();
    causes.sort_by(|a, b| b.metres.total_cmp(&a.metres).then(a.joint.cmp(&b.joint)));
    causes
}
