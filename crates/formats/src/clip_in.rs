//! Motions of a glTF file: all of a clip is read, or it is told what is wrong with it.

use crate::names::or_number;
use crate::scene_graph::Joints;
use crate::UnsoundClip;
use gltf::accessor::{DataType, Dimensions};
use gltf::animation::util::ReadOutputs;
use gltf::animation::{Channel, Property};
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::trial::{Clip, Interpolation, Track, TrackValues};

/// No motion is longer, seconds.
const LONGEST: f32 = 86_400.0;

/// The rotations and translations of joints; none when nothing of it moves a joint.
///
/// # Errors
/// When a key cannot be played.
pub(crate) fn read_clip(
    animation: &gltf::Animation,
    joints: &Joints,
    buffers: &[Vec<u8>],
) -> Result<Option<Clip>, UnsoundClip> {
    let name = or_number(animation.name(), "clip", animation.index() + 1);
    let mut tracks = Vec::new();
    for channel in animation.channels() {
        let Some(&joint) = joints.of_node.get(&channel.target().node().index()) else { continue };
        let (what, wanted) = match channel.target().property() {
            Property::Translation => ("translation", Dimensions::Vec3),
            Property::Rotation => ("rotation", Dimensions::Vec4),
            _ => continue,
        };
        match read_track(&channel, wanted, buffers) {
            Ok((times, values, interpolation)) => tracks.push(Track { joint, times, values, interpolation }),
            Err(why) => {
                let joint = &joints.skeleton.names[joint.index()];
                return Err(UnsoundClip { name, why: format!("the {what} of “{joint}” {why}") });
            }
        }
    }
    Ok((!tracks.is_empty()).then_some(Clip { name, tracks }))
}

type Keys = (Vec<f32>, TrackValues, Interpolation);

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
        _ => return Err("has values of another sort".to_owned()),
    };
    check_times(&times)?;
    check_values(&times, &values, per_key)?;
    Ok((times, values, interpolation))
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
        TrackValues::Translation(v) => v.len(),
        TrackValues::Rotation(v) => v.len(),
    };
    if count < times.len() * per_key {
        return Err(format!("has {count} values for {} keys", times.len()));
    }
    // With cubic interpolation a key is tangent, value, tangent.
    let is_value = |i: usize| per_key == 1 || i % 3 == 1;
    let far = 1e6;
    let bad = (0..times.len() * per_key).find(|&i| match values {
        TrackValues::Translation(v) => !(v[i].is_finite() && v[i].abs().max_element() < far),
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
