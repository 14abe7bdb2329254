//! This program's marks in a mesh node's extras: role, layer and kind, and what drives shapes.
//!
//! ```json
//! {"tin_cloak": {"role": "body",
//!                "shapes": [{"name": "elbow bent", "joint": "lower_arm", "axis": [1, 0, 0],
//!                            "from_degrees": 20, "full_degrees": 120}]}}
//! ```

use crate::Mark;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::skeleton::Skeleton;

/// A [`Driver`] as the file has it: the joint by name, its own axis, angles in degrees.
#[derive(Serialize, Deserialize)]
struct DrivenShape {
    name: String,
    joint: String,
    axis: [f32; 3],
    from_degrees: f32,
    full_degrees: f32,
}

/// The extras of a mesh node, if there is anything to say.
pub(crate) fn write(mark: Option<&Mark>, morphs: &[Morph], skeleton: Option<&Skeleton>) -> Option<Value> {
    let mut own = match mark {
        Some(mark) => serde_json::to_value(mark).ok()?,
        None => serde_json::json!({}),
    };
    let shapes: Vec<DrivenShape> =
        skeleton.map_or_else(Vec::new, |s| morphs.iter().filter_map(|m| driven(m, s)).collect());
    if !shapes.is_empty() {
        own["shapes"] = serde_json::to_value(shapes).ok()?;
    }
    let empty = own.as_object().is_some_and(|o| o.is_empty());
    (!empty).then(|| serde_json::json!({ "tin_cloak": own }))
}

fn driven(morph: &Morph, skeleton: &Skeleton) -> Option<DrivenShape> {
    let driver = morph.driver?;
    Some(DrivenShape {
        name: morph.name.clone(),
        joint: skeleton.names.get(driver.joint.index())?.clone(),
        axis: driver.axis.to_array(),
        from_degrees: driver.from.to_degrees(),
        full_degrees: driver.full.to_degrees(),
    })
}

fn own(node: &gltf::Node) -> Option<Value> {
    let value: Value = serde_json::from_str(node.extras().as_ref()?.get()).ok()?;
    value.get("tin_cloak").cloned()
}

/// The mark of a node, if it carries one.
pub(crate) fn read_mark(node: &gltf::Node) -> Option<Mark> {
    serde_json::from_value(own(node)?).ok()
}

/// Gives the shapes of a node's mesh their drivers. One that names no joint of `skeleton`, or
/// has no usable axis, drives nothing.
pub(crate) fn read_drivers(node: &gltf::Node, morphs: &mut [Morph], skeleton: &Skeleton) {
    let Some(own) = own(node) else { return };
    let list = own.get("shapes").cloned().unwrap_or_default();
    let shapes: Vec<DrivenShape> = serde_json::from_value(list).unwrap_or_default();
    for shape in shapes {
        let Some(joint) = skeleton.find(&shape.joint) else { continue };
        let Some(axis) = Vec3::from(shape.axis).try_normalize() else { continue };
        let (from, full) = (shape.from_degrees.to_radians(), shape.full_degrees.to_radians());
        if from.is_finite() && full.is_finite() {
            let of_name = morphs.iter_mut().filter(|m| m.name == shape.name);
            of_name.for_each(|m| m.driver = Some(Driver { joint, axis, from, full }));
        }
    }
}
