//! Clips: motions as keyed tracks, sampled to poses.

use super::NamedPose;
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::{Quat, Vec3};
use serde::{Deserialize, Serialize};

/// How values between two keys are found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Interpolation {
    /// The earlier key's.
    Step,
    /// On a straight line (rotations on the sphere).
    Linear,
    /// Cubic Hermite; each key holds in-tangent, value, out-tangent.
    Cubic,
}

/// The values of a track, absolute in the parent's frame (not relative to rest).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum TrackValues {
    /// Unit quaternions.
    Rotation(Vec<Quat>),
    /// Metres.
    Translation(Vec<Vec3>),
    /// Factors along the joint's own axes.
    Scale(Vec<Vec3>),
}

/// One joint's rotation, translation or size over time.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Track {
    /// The joint.
    pub joint: JointId,
    /// Key times, seconds, ascending.
    pub times: Vec<f32>,
    /// One value a key (three with cubic interpolation).
    pub values: TrackValues,
    /// Between the keys.
    pub interpolation: Interpolation,
}

/// Amounts of a mesh's shapes over time, as a file has them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ShapeTrack {
    /// Name of the mesh.
    pub mesh: String,
    /// Key times, seconds, ascending.
    pub times: Vec<f32>,
    /// One amount a shape for each key (three times as many with cubic interpolation).
    pub amounts: Vec<f32>,
    /// Between the keys.
    pub interpolation: Interpolation,
}

impl ShapeTrack {
    /// How many shapes it has amounts of.
    pub fn shapes(&self) -> usize {
        self.amounts.len() / (self.times.len() * self.per_key()).max(1)
    }

    fn per_key(&self) -> usize {
        if self.interpolation == Interpolation::Cubic {
            3
        } else {
            1
        }
    }

    /// The amount of each shape at `time` seconds.
    ///
    /// ```
    /// use tin_cloak_core::trial::{Interpolation, ShapeTrack};
    ///
    /// let (times, amounts) = (vec![0.0, 1.0], vec![0.0, 1.0, 1.0, 0.5]);
    /// let track = ShapeTrack { mesh: "coat".into(), times, amounts, interpolation: Interpolation::Linear };
    /// assert_eq!(track.at(0.5), [0.5, 0.75]);
    /// ```
    pub fn at(&self, time: f32) -> Vec<f32> {
        let (shapes, per_key) = (self.shapes(), self.per_key());
        let (key, share, span) = around(&self.times, time);
        let value = |row: usize, shape: usize| self.amounts.get(row * shapes + shape).copied().unwrap_or(0.0);
        let next = (key + 1).min(self.times.len().saturating_sub(1));
        let between = |s: usize| match self.interpolation {
            Interpolation::Step => value(if share >= 1.0 { next } else { key }, s),
            Interpolation::Linear => value(key, s) + (value(next, s) - value(key, s)) * share,
            // Of tangent, value, tangent.
            Interpolation::Cubic if next == key => value(per_key * key + 1, s),
            Interpolation::Cubic => {
                let w = hermite(share, span);
                value(3 * key + 1, s) * w[0]
                    + value(3 * key + 2, s) * w[1]
                    + value(3 * next + 1, s) * w[2]
                    + value(3 * next, s) * w[3]
            }
        };
        (0..shapes).map(between).collect()
    }
}

/// A named motion.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Clip {
    /// Its name.
    pub name: String,
    /// Its tracks.
    pub tracks: Vec<Track>,
    /// What it does with shapes.
    pub shapes: Vec<ShapeTrack>,
}

impl Clip {
    /// The motion of a body whose every point is multiplied by `scale` and then turned by `turn`:
    /// see [`Skeleton::placed`].
    pub fn placed(&self, skeleton: &Skeleton, scale: f32, turn: Quat) -> Self {
        let mut clip = self.clone();
        for track in &mut clip.tracks {
            let is_root = skeleton.parents[track.joint.index()].is_none();
            let turn = if is_root { turn } else { Quat::IDENTITY };
            match &mut track.values {
                TrackValues::Rotation(list) => list.iter_mut().for_each(|q| *q = turn * *q),
                TrackValues::Translation(list) => list.iter_mut().for_each(|p| *p = turn * (*p * scale)),
                TrackValues::Scale(_) => {}
            }
        }
        clip
    }

    /// Times of the keys, track by track.
    fn keys(&self) -> impl Iterator<Item = &Vec<f32>> {
        self.tracks.iter().map(|t| &t.times).chain(self.shapes.iter().map(|s| &s.times))
    }

    /// Time of the last key, seconds.
    pub fn duration(&self) -> f32 {
        self.keys().filter_map(|times| times.last()).fold(0.0, |a, b| a.max(*b))
    }

    /// The key times of all tracks, ascending, each once.
    pub fn key_times(&self) -> Vec<f32> {
        let mut times: Vec<f32> = self.keys().flatten().copied().collect();
        times.sort_by(f32::total_cmp);
        times.dedup();
        times
    }

    /// The pose at `time` seconds.
    ///
    /// ```
    /// use tin_cloak_core::trial::{Clip, Interpolation, Track, TrackValues};
    /// use tin_cloak_core::{glam::Quat, shapes::Arm, JointId};
    ///
    /// let quarter = Quat::from_rotation_x(1.6);
    /// let track = Track {
    ///     joint: JointId(1),
    ///     times: vec![0.0, 2.0],
    ///     values: TrackValues::Rotation(vec![Quat::IDENTITY, quarter]),
    ///     interpolation: Interpolation::Linear,
    /// };
    /// let clip = Clip { name: "bend".into(), tracks: vec![track], ..Clip::default() };
    /// let pose = clip.sample(&Arm::new().skeleton, 1.0);
    /// assert!(pose.rotations[1].angle_between(Quat::from_rotation_x(0.8)) < 1e-3);
    /// ```
    pub fn sample(&self, skeleton: &Skeleton, time: f32) -> Pose {
        let mut pose = Pose::rest(skeleton.len());
        for track in &self.tracks {
            let j = track.joint.index();
            let Some(rest) = skeleton.rest.get(j) else { continue };
            match &track.values {
                TrackValues::Rotation(v) => {
                    let value = track.rotation(v, time);
                    pose.rotations[j] = (rest.rotation.inverse() * value).normalize();
                }
                TrackValues::Translation(v) => {
                    pose.translations[j] = track.translation(v, time) - rest.translation;
                }
                TrackValues::Scale(v) => {
                    let size = track.translation(v, time) / rest.scale;
                    // A joint without a size at rest keeps it.
                    let size = Vec3::select(size.is_finite_mask(), size, Vec3::ONE);
                    pose.set_scale(j, skeleton.len(), size);
                }
            }
        }
        pose
    }

    /// Keys a second, as most of them lie apart; 30 where that says nothing sensible.
    pub fn rate(&self) -> f32 {
        let mut apart: Vec<f32> = self.keys().flat_map(|t| t.windows(2)).map(|w| w[1] - w[0]).collect();
        apart.sort_unstable_by(f32::total_cmp);
        let usual = apart.get(apart.len() / 2).copied().unwrap_or(0.0);
        Some((1.0 / usual).round()).filter(|rate| (10.0..=240.0).contains(rate)).unwrap_or(30.0)
    }

    /// `frames` poses from start to end, named after the clip.
    pub fn frames(&self, skeleton: &Skeleton, frames: usize) -> Vec<NamedPose> {
        let duration = self.duration();
        (0..frames)
            .map(|i| {
                let time = duration * i as f32 / (frames.max(2) - 1) as f32;
                NamedPose { name: self.name.clone(), time, pose: self.sample(skeleton, time) }
            })
            .collect()
    }
}

/// The keys round a time: index of the earlier, share of the way to the next, seconds between.
fn around(times: &[f32], time: f32) -> (usize, f32, f32) {
    let next = times.partition_point(|t| *t <= time);
    if next == 0 || times.len() < 2 {
        return (0, 0.0, 0.0);
    }
    if next == times.len() {
        return (next - 2, 1.0, times[next - 1] - times[next - 2]);
    }
    let span = times[next] - times[next - 1];
    (next - 1, if span > 0.0 { (time - times[next - 1]) / span } else { 0.0 }, span)
}

/// Cubic Hermite weights of (value, out-tangent, next value, next in-tangent); glTF 2.0
/// specification, appendix C.
fn hermite(t: f32, span: f32) -> [f32; 4] {
    let (t2, t3) = (t * t, t * t * t);
    [2.0 * t3 - 3.0 * t2 + 1.0, span * (t3 - 2.0 * t2 + t), -2.0 * t3 + 3.0 * t2, span * (t3 - t2)]
}

impl Track {
    fn rotation(&self, values: &[Quat], time: f32) -> Quat {
        let (i, t, span) = around(&self.times, time);
        let at = |k: usize| values.get(k).copied().unwrap_or(Quat::IDENTITY);
        let last = self.times.len() < 2;
        match self.interpolation {
            Interpolation::Step => at(if t >= 1.0 { i + 1 } else { i }),
            Interpolation::Linear if last => at(0),
            Interpolation::Linear => at(i).slerp(at(i + 1), t),
            Interpolation::Cubic if last => at(1),
            Interpolation::Cubic => {
                let w = hermite(t, span);
                let sum =
                    at(3 * i + 1) * w[0] + at(3 * i + 2) * w[1] + at(3 * i + 4) * w[2] + at(3 * i + 3) * w[3];
                if sum.length() > 0.0 {
                    sum.normalize()
                } else {
                    Quat::IDENTITY
                }
            }
        }
    }

    fn translation(&self, values: &[Vec3], time: f32) -> Vec3 {
        let (i, t, span) = around(&self.times, time);
        let at = |k: usize| values.get(k).copied().unwrap_or(Vec3::ZERO);
        let last = self.times.len() < 2;
        match self.interpolation {
            Interpolation::Step => at(if t >= 1.0 { i + 1 } else { i }),
            Interpolation::Linear if last => at(0),
            Interpolation::Linear => at(i).lerp(at(i + 1), t),
            Interpolation::Cubic if last => at(1),
            Interpolation::Cubic => {
                let w = hermite(t, span);
                at(3 * i + 1) * w[0] + at(3 * i + 2) * w[1] + at(3 * i + 4) * w[2] + at(3 * i + 3) * w[3]
            }
        }
    }
}
