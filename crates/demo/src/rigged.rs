//! Pieces that bring joints of their own.

use crate::skeleton::{BodyJoints, BodySide};
use crate::{lantern, pauldron, DemoError, Handed};
use glam::Vec3;
use tin_cloak_core::skeleton::{LocalTransform, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;
use tin_cloak_formats::PieceKind;

/// A joint of the body, one of the piece's own under it, and the end of that one's bone.
fn chain(body_joint: &str, own: &str, place: Vec3, tip: Vec3) -> Result<Skeleton, DemoError> {
    let joints = BodyJoints::new().skeleton;
    let places = joints.rest_positions();
    let above = joints.find(body_joint).map_or(Vec3::ZERO, |j| places[j.index()]);
    let at = |t: Vec3| LocalTransform { translation: t, ..LocalTransform::IDENTITY };
    Ok(Skeleton::at_rest(
        vec![body_joint.to_owned(), own.to_owned(), format!("{own}_end")],
        vec![None, Some(JointId(0)), Some(JointId(1))],
        vec![at(above), at(place - above), at(tip - place)],
    )?)
}

/// The lantern swings from its ring.
pub(crate) fn lantern() -> Result<Handed, DemoError> {
    let hook = lantern::hook();
    let skeleton = chain("hips", "lantern_swing", hook, hook - Vec3::Y * 0.18)?;
    let skin = Skin::uniform(lantern::lantern().positions.len(), &[(JointId(1), 1.0)], 3)?;
    Ok(Handed { kind: Some(PieceKind::Stiff), rig: Some((skeleton, skin)), ..Handed::default() })
}

/// The lame of a pauldron hangs from a hinge; the cop is left to the binding.
pub(crate) fn pauldron(side: BodySide) -> Result<Handed, DemoError> {
    let (place, tip) = pauldron::hinge();
    let (name, sign) = if side == BodySide::Left { ("left", 1.0) } else { ("right", -1.0) };
    let there = |p: Vec3| Vec3::new(p.x * sign, p.y, p.z);
    let skeleton =
        chain(&format!("upper_arm_{name}"), &format!("pauldron_hinge_{name}"), there(place), there(tip))?;
    let rows: Vec<Vec<(JointId, f32)>> =
        (0..2 * pauldron::COP).map(|v| vec![(JointId(u16::from(v >= pauldron::COP)), 1.0)]).collect();
    let rig = Some((skeleton, Skin::from_rows(&rows, 3)?));
    Ok(Handed { kind: Some(PieceKind::Stiff), rig, ..Handed::default() })
}
