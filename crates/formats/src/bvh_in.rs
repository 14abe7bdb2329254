//! BVH in: a skeleton and its motion.
//!
//! The format has no standard beyond its first description (Biovision, 1990s; read from
//! memory): a HIERARCHY of joints with offsets and channels, then a MOTION of one line a frame.
//! Lengths have no unit; a figure taller than 20 is taken to be in centimetres.

use crate::budget::BudgetItem;
use crate::names::tidy;
use crate::{Document, ReadError};
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::skeleton::{LocalTransform, Skeleton};
use tin_cloak_core::trial::{Clip, Interpolation, Track, TrackValues};
use tin_cloak_core::JointId;

/// A frame is no longer than this, seconds.
const LONGEST_FRAME: f32 = 60.0;

#[derive(Clone, Copy)]
enum Channel {
    Move(usize),
    Turn(Vec3),
}

#[derive(Default)]
struct Hierarchy {
    names: Vec<String>,
    parents: Vec<Option<JointId>>,
    offsets: Vec<Vec3>,
    channels: Vec<(usize, Channel)>,
}

pub(crate) fn read_bvh(name: &str, bytes: &[u8]) -> Result<Document, ReadError> {
    let text = String::from_utf8_lossy(bytes);
    let mut words = WordReader { lines: text.lines().enumerate(), line: 0, rest: "" };
    let hierarchy = read_hierarchy(&mut words)?;
    let (times, values) = read_motion(&mut words, hierarchy.channels.len())?;
    let height = {
        let mut places: Vec<Vec3> = Vec::new();
        for (j, offset) in hierarchy.offsets.iter().enumerate() {
            let above = hierarchy.parents[j].map_or(Vec3::ZERO, |p| places[p.index()]);
            places.push(above + *offset);
        }
        let (low, high) = tin_cloak_core::mesh::bounds(&places);
        high.y - low.y
    };
    let scale = if height > 20.0 { 0.01 } else { 1.0 };
    let rest = hierarchy
        .offsets
        .iter()
        .map(|o| LocalTransform { translation: *o * scale, ..LocalTransform::IDENTITY })
        .collect();
    let tracks = tracks(&hierarchy, &times, &values, scale);
    let skeleton = Skeleton::at_rest(hierarchy.names, hierarchy.parents, rest)?;
    let stem = name.rsplit(['/', '\\']).next().unwrap_or(name);
    let clip = Clip { name: stem.trim_end_matches(".bvh").to_owned(), tracks, ..Clip::default() };
    Ok(Document { skeleton: Some(skeleton), clips: vec![clip], ..Document::default() })
}

struct WordReader<'a> {
    lines: std::iter::Enumerate<std::str::Lines<'a>>,
    line: usize,
    rest: &'a str,
}

impl<'a> WordReader<'a> {
    fn next(&mut self) -> Result<&'a str, ReadError> {
        loop {
            let trimmed = self.rest.trim_start();
            if let Some(word) = trimmed.split_whitespace().next() {
                self.rest = &trimmed[word.len()..];
                return Ok(word);
            }
            let Some((i, line)) = self.lines.next() else { return Err(self.bad("it ends too early")) };
            (self.line, self.rest) = (i + 1, line);
        }
    }

    fn number(&mut self) -> Result<f32, ReadError> {
        let word = self.next()?;
        let value: Option<f32> = word.parse().ok().filter(|v: &f32| v.is_finite());
        value.ok_or_else(|| self.bad(&format!("“{word}” is not a number")))
    }

    fn expect(&mut self, wanted: &str) -> Result<(), ReadError> {
        let word = self.next()?;
        if word.eq_ignore_ascii_case(wanted) {
            return Ok(());
        }
        Err(self.bad(&format!("“{word}” stands where “{wanted}” should")))
    }

    fn bad(&self, detail: &str) -> ReadError {
        ReadError::Bvh { line: self.line, detail: detail.to_owned() }
    }
}

fn read_hierarchy(words: &mut WordReader) -> Result<Hierarchy, ReadError> {
    let mut h = Hierarchy::default();
    words.expect("HIERARCHY")?;
    let mut open: Vec<Option<JointId>> = Vec::new();
    loop {
        let word = words.next()?.to_ascii_uppercase();
        match word.as_str() {
            "ROOT" | "JOINT" => {
                let name = tidy(words.next()?);
                words.expect("{")?;
                if h.names.len() >= usize::from(u16::MAX) {
                    return Err(words.bad("there are too many joints"));
                }
                h.parents.push(open.last().copied().flatten());
                h.names.push(name);
                h.offsets.push(Vec3::ZERO);
                open.push(Some(JointId(h.names.len() as u16 - 1)));
            }
            "END" => {
                words.next()?;
                words.expect("{")?;
                open.push(None);
            }
            "OFFSET" => {
                let offset = Vec3::new(words.number()?, words.number()?, words.number()?);
                if let Some(Some(joint)) = open.last() {
                    h.offsets[joint.index()] = offset;
                }
            }
            "CHANNELS" => {
                let count = words.number()? as usize;
                let Some(Some(joint)) = open.last().copied() else {
                    return Err(words.bad("channels stand outside a joint"));
                };
                for _ in 0..count.min(6) {
                    let channel = channel(words)?;
                    h.channels.push((joint.index(), channel));
                }
            }
            "}" => {
                open.pop();
            }
            "MOTION" if open.is_empty() && !h.names.is_empty() => return Ok(h),
            other => return Err(words.bad(&format!("“{other}” is not expected here"))),
        }
    }
}

fn channel(words: &mut WordReader) -> Result<Channel, ReadError> {
    Ok(match words.next()?.to_ascii_lowercase().as_str() {
        "xposition" => Channel::Move(0),
        "yposition" => Channel::Move(1),
        "zposition" => Channel::Move(2),
        "xrotation" => Channel::Turn(Vec3::X),
        "yrotation" => Channel::Turn(Vec3::Y),
        "zrotation" => Channel::Turn(Vec3::Z),
        other => return Err(words.bad(&format!("“{other}” is not a channel"))),
    })
}

fn read_motion(words: &mut WordReader, channels: usize) -> Result<(Vec<f32>, Vec<f32>), ReadError> {
    words.expect("Frames:")?;
    let frames = words.number()?.max(0.0) as usize;
    words.expect("Frame")?;
    words.expect("Time:")?;
    let step = words.number()?;
    if !(step > 0.0 && step <= LONGEST_FRAME) {
        return Err(words.bad(&format!("a frame of {step} s is not a motion: a frame takes up to 60 s")));
    }
    if frames == 0 || channels == 0 {
        return Err(words.bad(&format!("{frames} frames of {channels} channels are not a motion")));
    }
    // Times and values, each of which a track has again.
    BudgetItem::Values.check((frames as u64).saturating_mul(channels as u64).saturating_mul(2))?;
    let mut values = Vec::new();
    for _ in 0..frames * channels {
        values.push(words.number()?);
    }
    Ok(((0..frames).map(|f| f as f32 * step).collect(), values))
}

fn tracks(h: &Hierarchy, times: &[f32], values: &[f32], scale: f32) -> Vec<Track> {
    let per_frame = h.channels.len();
    let mut tracks = Vec::new();
    let mut of_joint: Vec<Vec<(usize, Channel)>> = vec![Vec::new(); h.names.len()];
    h.channels.iter().enumerate().for_each(|(i, (joint, channel))| of_joint[*joint].push((i, *channel)));
    for (j, own) in of_joint.iter().enumerate() {
        let frame = |f: usize, i: usize| values[f * per_frame + i];
        let turn = |f: usize| {
            own.iter().fold(Quat::IDENTITY, |q, (i, c)| match c {
                Channel::Turn(axis) => q * Quat::from_axis_angle(*axis, frame(f, *i).to_radians()),
                Channel::Move(_) => q,
            })
        };
        let place = |f: usize| {
            own.iter().fold(h.offsets[j] * scale, |mut p, (i, c)| {
                if let Channel::Move(axis) = c {
                    p[*axis] = frame(f, *i) * scale;
                }
                p
            })
        };
        let joint = JointId(j as u16);
        let mut push = |values| {
            tracks.push(Track { joint, times: times.to_vec(), values, interpolation: Interpolation::Linear });
        };
        if own.iter().any(|(_, c)| matches!(c, Channel::Turn(_))) {
            push(TrackValues::Rotation((0..times.len()).map(turn).collect()));
        }
        if own.iter().any(|(_, c)| matches!(c, Channel::Move(_))) {
            push(TrackValues::Translation((0..times.len()).map(place).collect()));
        }
    }
    tracks
}
