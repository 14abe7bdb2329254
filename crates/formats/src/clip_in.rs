//! Motions of a glTF file: all of a clip is read, or it is told what is wrong with it.

use crate::names::or_number;
use crate::scene_graph::JointNodes;
use crate::UnsoundClip;
use gltf::accessor::{DataType, Dimensions};
use gltf::animation::util::ReadOutputs;
use gltf::animation::{Channel, Property};
use std::collections::BTreeMap;
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::trial::{Clip, Interpolation, ShapeTrack, Track, TrackValues};

/// No motion is longer, seconds.
const LONGEST: f32 = 86_400.0;

/// The tracks of joints, and of the shapes of meshes; none when it has neither. `parts` has the name of
/// the mesh of each node.
///
/// # Errors
/// When a key cannot be played.
pub(crate) fn read_clip(
    animation: &gltf::Animation,
    joints: &JointNodes,
    parts: &BTreeMap<usize, String>,
    buffers: &[Vec<u8>],
) -> Result<Option<Clip>, UnsoundClip> {
    let name = or_number(animation.name(), "clip", animation.index() + 1);
    let (mut tracks, mut shapes) = (Vec::new(), Vec::new());
    for channel in animation.channels() {
        let node = channel.target().node().index();
        if channel.target().property() == Property::MorphTargetWeights {
            let Some(mesh) = parts.get(&node) else { continue };
            let mesh = mesh.clone();
            match read_track(&channel, Dimensions::Scalar, buffers) {
                Ok((times, Values::Amounts(amounts), interpolation)) => {
                    shapes.push(ShapeTrack { mesh, times, amounts, interpolation });
                }
                Ok(_) => {}
                Err(why) => {
                    return Err(UnsoundClip {
                        name,
                        why: format!("what it does with shapes of “{mesh}” {why}"),
                    })
                }
            }
            continue;
        }
        let Some(&joint) = joints.of_node.get(&node) else { continue };
        let (what, wanted) = match channel.target().property() {
            Property::Translation => ("translation", Dimensions::Vec3),
            Property::Rotation => ("rotation", Dimensions::Vec4),
            _ => ("size", Dimensions::Vec3),
        };
        match read_track(&channel, wanted, buffers) {
            Ok((times, Values::OfJoint(values), interpolation)) => {
                tracks.push(Track { joint, times, values, interpolation });
            }
            Ok(_) => {}
            Err(why) => {
                let joint = &joints.skeleton.names[joint.index()];
                return Err(UnsoundClip { name, why: format!("the {what} of “{joint}” {why}") });
            }
        }
    }
    Ok((!(tracks.is_empty() && shapes.is_empty())).then_some(Clip { name, tracks, shapes }))
}

/// What the keys of a channel hold.
enum Values {
    OfJoint(TrackValues),
    Amounts(Vec<f32>),
}

type Keys = (Vec<f32>, Values, Interpolation);

/// The keys of a channel, or what is wrong with them.
fn read_track(channel: &Channel, wanted: Dimensions, buffers: &[Vec<u8>]) -> Result<Keys, String> {
    let sampler = channel.sampler();
    let (input, output) = (sampler.input(), sampler.output());
    if input.data_type() != DataType::F32 || input.dimensions() != Dimensions::Scalar {
        return Err("has times that are no numbers".to_owned());
    }
    if output.dimensions() != wanted {
        return Err(format!("has values of type {:?}", output.dimensions()));
    }
    let reader = channel.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
    let (Some(times), Some(outputs)) = (reader.read_inputs(), reader.read_outputs()) else {
        return Err("has no data".to_owned());
    };
    let times: Vec<f32> = times.collect();
    let (interpolation, per_key) = match sampler.interpolation() {
        gltf::animation::Interpolation::Step => (Interpolation::Step, 1),
        gltf::animation::Interpolation::Linear => (Interpolation::Linear, 1),
        gltf::animation::Interpolation::CubicSpline => (Interpolation::Cubic, 3),
    };
    let values = match outputs {
        ReadOutputs::Translations(t) => TrackValues::Translation(t.map(Vec3::from).collect()),
        ReadOutputs::Rotations(r) => TrackValues::Rotation(r.into_f32().map(Quat::from_array).collect()),
        ReadOutputs::Scales(s) => TrackValues::Scale(s.map(Vec3::from).collect()),
        ReadOutputs::MorphTargetWeights(w) => {
            check_times(&times)?;
            let amounts: Vec<f32> = w.into_f32().collect();
            check_amounts(&times, &amounts, per_key)?;
            return Ok((times, Values::Amounts(amounts), interpolation));
        }
    };
    check_times(&times)?;
    check_values(&times, &values, per_key)?;
    Ok((times, Values::OfJoint(of_unit_length(values, per_key)), interpolation))
}

/// Rotations of unit length; tangents go with the value that they are of.
fn of_unit_length(values: TrackValues, per_key: usize) -> TrackValues {
    let TrackValues::Rotation(mut list) = values else { return values };
    for key in list.chunks_mut(per_key) {
        let length = key[per_key / 2].length();
        // What is one within rounding stays to the bit.
        if (length - 1.0).abs() > 1e-5 && length > 0.0 {
            key.iter_mut().for_each(|q| *q /= length);
        }
    }
    TrackValues::Rotation(list)
}

/// Whole rows of finite amounts for every key.
fn check_amounts(times: &[f32], amounts: &[f32], per_key: usize) -> Result<(), String> {
    let rows = times.len() * per_key;
    if amounts.is_empty() || !amounts.len().is_multiple_of(rows) {
        return Err(format!("has {} amounts for {} keys", amounts.len(), times.len()));
    }
    match amounts.iter().position(|a| !a.is_finite() || a.abs() > 1e6) {
        Some(i) => Err(format!("at {} s is endless or no number", times[i * times.len() / amounts.len()])),
        None => Ok(()),
    }
}

fn check_times(times: &[f32]) -> Result<(), String> {
    if times.is_empty() {
        return Err("has no key".to_owned());
    }
    if let Some(bad) = times.iter().find(|t| !(0.0..=LONGEST).contains(*t)) {
        return Err(format!("has a key at {bad} s"));
    }
    match times.windows(2).find(|w| w[1] < w[0]) {
        Some(w) => Err(format!("has a key at {} s after one at {} s", w[1], w[0])),
        None => Ok(()),
    }
}

fn check_values(times: &[f32], values: &TrackValues, per_key: usize) -> Result<(), String> {
    let count = match values {
        TrackValues::Translation(v) | TrackValues::Scale(v) => v.len(),
        TrackValues::Rotation(v) => v.len(),
    };
    if count < times.len() * per_key {
        return Err(format!("has {count} values for {} keys", times.len()));
    }
    // With cubic interpolation a key is tangent, value, tangent.
    let is_value = |i: usize| per_key == 1 || i % 3 == 1;
    let far = 1e6;
    let bad = (0..times.len() * per_key).find(|&i| match values {
        TrackValues::Translation(v) | TrackValues::Scale(v) => {
            !(v[i].is_finite() && v[i].abs().max_element() < far)
        }
        TrackValues::Rotation(v) => {
            let length = v[i].length();
            !length.is_finite() || length > far || (is_value(i) && length < 1e-6)
        }
    });
    match bad {
        Some(i) => Err(format!("at {} s is zero, endless or no number", times[i / per_key])),
        None => Ok(()),
    }
}
