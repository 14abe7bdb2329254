//! Motions in a glTF: joints by tracks, shapes by what drives them or as they came.

use crate::gltf_out::{GlbPart, Writer};
use gltf_json as json;
use json::accessor::{ComponentType, Type};
use json::validation::Checked;
use json::Accessor;
use tin_cloak_core::deform::{driven_amounts, Morph};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::trial::{Clip, Interpolation, ShapeTrack, Track, TrackValues};

impl Writer {
    /// Writes a clip. Shapes that the pose drives are keyed too, so that they play anywhere.
    pub fn clip(
        &mut self,
        clip: &Clip,
        skeleton: Option<&Skeleton>,
        shaped: &[(json::Index<json::Node>, &GlbPart)],
    ) {
        let mut animation = Animation::default();
        for track in clip.tracks.iter().filter(|t| !t.times.is_empty()) {
            let input = self.times(&track.times);
            let (output, path) = match &track.values {
                TrackValues::Translation(v) => {
                    (self.vec3(v, None, false), json::animation::Property::Translation)
                }
                TrackValues::Scale(v) => (self.vec3(v, None, false), json::animation::Property::Scale),
                TrackValues::Rotation(v) => {
                    let bytes: Vec<u8> =
                        v.iter().flat_map(|q| q.to_array()).flat_map(f32::to_le_bytes).collect();
                    let turns = self.accessor(&bytes, ComponentType::F32, Type::Vec4, v.len(), None, None);
                    (turns, json::animation::Property::Rotation)
                }
            };
            let node = json::Index::new(u32::from(track.joint.0));
            animation.add(node, path, input, output, interpolation(track.interpolation));
        }
        for &(node, part) in shaped {
            let Some(keys) = shape_keys(clip, skeleton, part) else { continue };
            let (times, amounts) = (self.times(&keys.times), self.scalars(&keys.amounts, None));
            let path = json::animation::Property::MorphTargetWeights;
            animation.add(node, path, times, amounts, interpolation(keys.interpolation));
        }
        if !animation.channels.is_empty() {
            self.root.push(json::Animation {
                name: Some(clip.name.clone()),
                channels: animation.channels,
                samplers: animation.samplers,
                extensions: None,
                extras: Default::default(),
            });
        }
    }
}

#[derive(Default)]
struct Animation {
    channels: Vec<json::animation::Channel>,
    samplers: Vec<json::animation::Sampler>,
}

impl Animation {
    fn add(
        &mut self,
        node: json::Index<json::Node>,
        path: json::animation::Property,
        input: json::Index<Accessor>,
        output: json::Index<Accessor>,
        interpolation: json::animation::Interpolation,
    ) {
        self.channels.push(json::animation::Channel {
            sampler: json::Index::new(self.samplers.len() as u32),
            target: json::animation::Target {
                node,
                path: Checked::Valid(path),
                extensions: None,
                extras: Default::default(),
            },
            extensions: None,
            extras: Default::default(),
        });
        self.samplers.push(json::animation::Sampler {
            input,
            output,
            interpolation: Checked::Valid(interpolation),
            extensions: None,
            extras: Default::default(),
        });
    }
}

fn interpolation(of: Interpolation) -> json::animation::Interpolation {
    match of {
        Interpolation::Step => json::animation::Interpolation::Step,
        Interpolation::Linear => json::animation::Interpolation::Linear,
        Interpolation::Cubic => json::animation::Interpolation::CubicSpline,
    }
}

/// The amounts of a part's shapes over a clip: as they came, or, where the pose drives one of them, at every key of
/// either and as often between as it takes, so that all of them play anywhere as they should: what is held from key to
/// key jumps, what runs on a curve keeps to it.
fn shape_keys(clip: &Clip, skeleton: Option<&Skeleton>, part: &GlbPart) -> Option<ShapeTrack> {
    let shapes = part.morphs.len();
    // What was added to the shapes that its file keys stands behind them.
    let came = clip.shapes.iter().find(|s| s.mesh == part.name && s.shapes() <= shapes);
    let is_driven =
        part.morphs.iter().any(|m| m.driver.is_some()) || came.is_some_and(|c| c.shapes() < shapes);
    let Some(skeleton) = skeleton.filter(|_| is_driven) else { return came.cloned() };
    let mut times = clip.key_times();
    let jumps: Vec<f32> = held(clip, came, part.morphs).collect();
    times.extend(jumps.iter().map(|at| at.next_down()).filter(|before| *before >= 0.0));
    times.sort_by(f32::total_cmp);
    times.dedup();
    if times.is_empty() {
        return None;
    }
    let amounts = |time: f32| {
        let driven = driven_amounts(part.morphs, &clip.sample(skeleton, time));
        let mut own = came.map_or_else(Vec::new, |c| c.at(time));
        own.extend(part.amounts.iter().skip(own.len()));
        let one = |(i, m): (usize, &Morph)| match m.driver {
            Some(_) => driven[i],
            None => own.get(i).copied().unwrap_or(0.0),
        };
        part.morphs.iter().enumerate().map(one).collect::<Vec<f32>>()
    };
    let times = dense_enough(&times, &most_offsets(part.morphs), &amounts);
    let amounts = times.iter().flat_map(|time| amounts(*time)).collect();
    Some(ShapeTrack { mesh: part.name.to_owned(), times, amounts, interpolation: Interpolation::Linear })
}

/// Key times at which an amount jumps: its own, held from key to key, or the turn that calls it up.
fn held<'a>(
    clip: &'a Clip,
    came: Option<&'a ShapeTrack>,
    morphs: &'a [Morph],
) -> impl Iterator<Item = f32> + 'a {
    let steps = |interpolation: Interpolation| interpolation == Interpolation::Step;
    let calls_up = move |t: &&Track| {
        let turns = matches!(t.values, TrackValues::Rotation(_)) && steps(t.interpolation);
        turns && morphs.iter().filter_map(|m| m.driver).any(|d| d.joint == t.joint)
    };
    let joints = clip.tracks.iter().filter(calls_up).flat_map(|t| &t.times);
    let shapes = came.into_iter().filter(move |s| steps(s.interpolation)).flat_map(|s| &s.times);
    joints.chain(shapes).copied()
}

/// Between two keys no vertex may be so far from where its shapes would have it, metres.
const KEYED_WITHIN: f32 = 4e-6;
/// The way between two keys is halved so often at most.
const HALVED: usize = 12;

/// How far each shape moves any vertex, metres.
fn most_offsets(morphs: &[Morph]) -> Vec<f32> {
    morphs.iter().map(|m| m.offsets.iter().map(|o| o.length()).fold(0.0, f32::max)).collect()
}

/// Key times with so many between them that amounts on a straight line from key to key are those of the clip.
fn dense_enough(times: &[f32], most: &[f32], amounts: &dyn Fn(f32) -> Vec<f32>) -> Vec<f32> {
    let mut dense = Vec::with_capacity(times.len());
    for pair in times.windows(2) {
        let (from, to) = (amounts(pair[0]), amounts(pair[1]));
        let ends = [Keyed { time: pair[0], amounts: &from }, Keyed { time: pair[1], amounts: &to }];
        dense.push(pair[0]);
        halve(ends, most, amounts, HALVED, &mut dense);
    }
    dense.extend(times.last());
    dense
}

/// The amounts at a time, seconds.
#[derive(Clone, Copy)]
struct Keyed<'a> {
    time: f32,
    amounts: &'a [f32],
}

fn halve(
    [from, to]: [Keyed; 2],
    most: &[f32],
    amounts: &dyn Fn(f32) -> Vec<f32>,
    left: usize,
    dense: &mut Vec<f32>,
) {
    let at = |share: f32| from.time + (to.time - from.time) * share;
    // At a jump nothing lies between.
    if left == 0 || at(0.5) <= from.time || at(0.5) >= to.time {
        return;
    }
    let off = |share: f32, there: &[f32]| -> f32 {
        let straight = |m: usize| from.amounts[m] + (to.amounts[m] - from.amounts[m]) * share;
        (0..most.len()).map(|m| (there[m] - straight(m)).abs() * most[m]).sum()
    };
    let middle = amounts(at(0.5));
    let is_straight = |share: f32| off(share, &amounts(at(share))) <= KEYED_WITHIN;
    if off(0.5, &middle) <= KEYED_WITHIN && is_straight(0.25) && is_straight(0.75) {
        return;
    }
    let between = Keyed { time: at(0.5), amounts: &middle };
    halve([from, between], most, amounts, left - 1, dense);
    dense.push(at(0.5));
    halve([between, to], most, amounts, left - 1, dense);
}
