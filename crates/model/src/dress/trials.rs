//! The poses a dress is tried in.

use crate::dress::body::Body;
use crate::dress::derived::Weighed;
use crate::dress::figure_shapes::OwnShape;
use crate::dress::motions::{range_row, SaidRanges};
use crate::error::WorkshopError;
use crate::state::fitting::KeptPose;
use crate::state::trial_plan::{AtRandom, Frames, Target, TrialPlan};
use std::collections::HashSet;
use tin_cloak_core::deform::{driven_amounts, Morph};
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::trial::{
    combined_poses, random_poses, range_poses, retarget, swing_poses, Clip, MotionRanges, NamedPose, Swing,
    UNKNOWN,
};
use tin_cloak_core::JointId;
use tin_cloak_formats::Document;

/// One pose of a trial.
#[derive(Clone, Debug, PartialEq)]
pub struct Trial {
    /// Its name: a still pose's own, or the clip's.
    pub name: String,
    /// The group it is shown in: `rest`, `range`, `by hand`, or the clip's name.
    pub group: String,
    /// Seconds into the clip; 0 for a still pose.
    pub time: f32,
    /// The pose.
    pub pose: Pose,
    /// True for a pose that is no frame of a clip.
    pub is_still: bool,
    /// Joints that were held within their range of motion.
    pub held: Vec<String>,
    /// Shapes that are called up besides those the pose drives: number and amount.
    pub shapes: Vec<(usize, f32)>,
    /// True when the shapes that the pose drives stay off.
    pub driven_off: bool,
}

/// The group of poses set by hand.
const BY_HAND: &str = "by hand";

/// The groups of poses that are no frames of a clip; no clip is called so.
const STILL: [&str; 4] = ["rest", RANGE, BY_HAND, ON_THE_WAY];

/// The group of the built-in poses, and of those on the way to them.
pub const RANGE: &str = "range";
/// The group of poses on the way to built-in ones.
pub const ON_THE_WAY: &str = "on the way";
/// How far on the way to a pose it is tried too.
const ON_THE_WAY_AT: [(f32, &str); 2] = [(0.5, "half of"), (0.75, "three quarters of")];

impl Trial {
    /// What it is to how trials count: of a clip's frame that frame, else the pose by its name.
    pub fn target(&self) -> Target {
        let group = self.group.clone();
        match self.is_still {
            true => Target::Pose { group, name: self.name.clone() },
            false => Target::Frames { group, from_s: self.time, to_s: self.time },
        }
    }

    /// A pose that is no frame of a clip.
    pub fn still(group: &str, name: String, pose: Pose) -> Self {
        let group = group.to_owned();
        let (held, shapes) = (Vec::new(), Vec::new());
        Self { name, group, time: 0.0, pose, is_still: true, held, shapes, driven_off: false }
    }

    /// How far the body's shapes are called up in `pose`: this one, or this one with joints turned by hand.
    pub fn amounts(&self, body: &Body, pose: &Pose) -> Vec<f32> {
        let mut amounts = match self.driven_off {
            true => body.morphs.iter().map(|m| f32::from(m.is_always_on())).collect(),
            false => driven_amounts(&body.morphs, pose),
        };
        for &(shape, amount) in &self.shapes {
            amounts.resize(amounts.len().max(shape + 1), 0.0);
            amounts[shape] = amount;
        }
        amounts
    }

    /// True for the pose in which nothing has moved.
    pub fn is_rest(&self) -> bool {
        self.is_still && self.group == STILL[0]
    }

    /// Its name, with the time for a frame of a clip.
    pub fn label(&self) -> String {
        if self.is_still {
            return self.name.clone();
        }
        format!("{}, {:.2} s", self.name, self.time)
    }
}

/// All poses of a trial.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct TrialSet {
    /// The poses.
    pub trials: Vec<Trial>,
    /// Built-in poses the skeleton cannot do, and why.
    pub skipped: Vec<(String, String)>,
    /// Clips that leave the range of a joint: clip, joint, degrees beyond.
    pub beyond: Vec<(String, String, f32)>,
}

impl Weighed for TrialSet {
    fn bytes(&self) -> usize {
        self.trials.iter().map(|t| t.pose.rotations.len() * 28 + 128).sum()
    }
}

impl TrialSet {
    /// Skin matrices of every pose for `body`, and how far each calls up the body's shapes.
    pub fn poses(&self, body: &Body) -> Vec<TrialPose> {
        let trial = |t: &Trial| TrialPose {
            matrices: body.skeleton.skin_matrices(&t.pose),
            amounts: t.amounts(body, &t.pose),
        };
        self.trials.iter().map(trial).collect()
    }

    /// The number of a pose, by its name or that with its time.
    ///
    /// # Errors
    /// When none is called so.
    pub fn number_of(&self, name: &str) -> Result<usize, WorkshopError> {
        let found = self.trials.iter().position(|t| t.name == name || t.label() == name);
        found.ok_or_else(|| {
            let some = self.trials.iter().filter(|t| t.is_still).map(|t| t.name.as_str());
            let poses = some.take(8).collect::<Vec<_>>().join(", ");
            WorkshopError::NoSuchTrial { name: name.to_owned(), poses }
        })
    }

    /// Both sets, one after the other. Of motions of one name the later gets a number: poses are known
    /// by their group.
    pub fn and(mut self, other: Self) -> Self {
        let taken: Vec<String> = self.trials.iter().map(|t| t.group.clone()).collect();
        let is_taken = |name: &str| taken.iter().any(|t| t == name);
        let theirs: Vec<String> = other.trials.iter().map(|t| t.group.clone()).collect();
        let free = |name: &str| {
            let numbered = (2..).map(|n| format!("{name} {n}"));
            let is_free = |n: &String| !is_taken(n) && !theirs.contains(n);
            { numbered }.find(is_free).unwrap_or_default()
        };
        let renamed = |mut trial: Trial| {
            if !trial.is_still && is_taken(&trial.group) {
                trial.group = free(&trial.group);
                trial.name.clone_from(&trial.group);
            }
            trial
        };
        self.trials.extend(other.trials.into_iter().map(renamed));
        self.skipped.extend(other.skipped);
        self.beyond.extend(other.beyond);
        self
    }
}

/// Rest and the built-in range poses.
pub fn range_trials(body: &Body) -> TrialSet {
    let found = range_poses(&body.skeleton);
    let trials = found
        .poses
        .into_iter()
        .enumerate()
        .map(|(i, p)| {
            let group = if i == 0 { STILL[0] } else { RANGE };
            Trial::still(group, p.name, p.pose)
        })
        .collect();
    TrialSet { trials, skipped: found.skipped, ..TrialSet::default() }
}

/// The way to each of the built-in poses of a set.
pub fn trials_on_the_way(set: &TrialSet) -> Vec<Trial> {
    let whole = set.trials.iter().filter(|t| t.is_still && t.group == RANGE);
    let at = |t: &Trial| {
        let t = t.clone();
        ON_THE_WAY_AT.map(|(share, of)| Trial {
            driven_off: t.driven_off,
            ..Trial::still(ON_THE_WAY, format!("{of} {}", t.name), t.pose.on_the_way(share))
        })
    };
    whole.flat_map(at).collect()
}

/// More frames of a clip than this are not tried: they are spread evenly then.
const MOST_FRAMES: usize = 5000;

/// How many frames of a clip are tried.
fn frames_of(clip: &Clip, frames: Frames) -> usize {
    let at = |rate: f32| ((clip.duration() * rate).round() as usize + 1).min(MOST_FRAMES);
    match frames {
        Frames::Some(count) => count,
        Frames::All => at(clip.rate()),
        Frames::Rate(rate) => at(rate as f32),
    }
}

/// The body's own clips, as many poses each, with the shapes that they key.
pub fn clip_trials(body: &Body, own: &[OwnShape], frames: Frames) -> TrialSet {
    let of = |clip: &Clip| -> Vec<Trial> {
        let poses = clip.frames(&body.skeleton, frames_of(clip, frames));
        let trial = |p: NamedPose| {
            let shapes = keyed_shapes(body, own, clip, p.time);
            Trial { shapes, ..of_clip(p) }
        };
        poses.into_iter().map(trial).collect()
    };
    let trials = body.clips.iter().flat_map(of).collect();
    let skipped = body.unsound_clips.iter().map(|c| (c.name.clone(), c.why.clone())).collect();
    TrialSet { trials, skipped, ..TrialSet::default() }
}

/// The body's own clips once more with each of its free shapes in turn, whole: those that a clip moves by itself are
/// not tried in it.
pub fn shaped_clip_trials(body: &Body, own: &[OwnShape], frames: Frames) -> Vec<Trial> {
    let (worn, bare) = (body.worn_amounts(), clip_trials(body, own, frames).trials);
    let free = body.own_shapes().iter().enumerate().filter(|(_, m)| m.driver.is_none());
    let of_shape = |(shape, m): (usize, &Morph)| {
        let moved = |t: &&Trial| t.shapes.iter().any(|s| s.0 == shape && s.1 != 0.0);
        let moving: HashSet<&str> = bare.iter().filter(moved).map(|t| t.group.as_str()).collect();
        let whole = (shape, 1.0 - worn[shape]);
        let in_frame = |t: &Trial| {
            let group = format!("{}, {}", t.group, m.name);
            let others = t.shapes.iter().copied().filter(|s| s.0 != shape);
            let shapes = others.chain([whole]).collect();
            Trial { name: group.clone(), group, shapes, ..t.clone() }
        };
        let tried = bare.iter().filter(|t| !moving.contains(t.group.as_str()));
        tried.map(in_frame).collect::<Vec<_>>()
    };
    free.flat_map(of_shape).collect()
}

/// What a clip's keys add to the shapes that are worn at rest, `time` seconds into it: numbers and amounts. What a pose
/// calls up by itself is not among them.
fn keyed_shapes(body: &Body, own: &[OwnShape], clip: &Clip, time: f32) -> Vec<(usize, f32)> {
    let worn = body.worn_amounts();
    let mut all: Vec<(usize, f32)> = Vec::new();
    for track in &clip.shapes {
        let amounts = track.at(time);
        let of_body = body.meshes.iter().find(|m| m.part.mesh == track.mesh);
        for (name, amount) in of_body.iter().flat_map(|m| &m.shapes).zip(&amounts) {
            let number = body.own_shapes().iter().position(|s| s.name == *name && s.driver.is_none());
            if let Some(n) = number.filter(|n| all.iter().all(|known| known.0 != *n)) {
                all.push((n, amount - worn[n]));
            }
        }
        let of_piece =
            (body.morphs.len()..).zip(own).filter(|(_, o)| of_body.is_none() && o.mesh == track.mesh);
        all.extend(of_piece.filter_map(|(n, o)| Some((n, amounts.get(o.shape)? - o.worn))));
    }
    all
}

/// What a plan adds: joints swung through their ranges, and poses at random within them.
pub fn plan_trials(body: &Body, own: &[OwnShape], plan: &TrialPlan, said: &SaidRanges) -> TrialSet {
    let skeleton = &body.skeleton;
    let ranges = MotionRanges::new(skeleton);
    let worn = |joint: JointId| range_row(&ranges, skeleton, said, joint).map(|row| row.worn);
    let still = |group: &str| {
        let group = group.to_owned();
        move |p: NamedPose| Trial::still(&group, p.name, p.pose)
    };
    let mut trials = Vec::new();
    for sweep in &plan.sweeps {
        let Some(joint) = skeleton.find(&sweep.joint) else { continue };
        let degrees = worn(joint).map_or(UNKNOWN, |range| sweep.axis.angles_in(range));
        let partner = mirror_partner(skeleton, joint).filter(|_| sweep.both_sides);
        let (axis, steps, coupled) = (sweep.axis, sweep.steps, sweep.coupled);
        let swing = Swing { joint, partner, axis, degrees, steps, coupled };
        trials.extend(swing_poses(skeleton, swing).into_iter().map(still(&sweep.group())));
    }
    let all = (0..skeleton.len()).map(|j| JointId(j as u16));
    let limits: Vec<_> = all.filter_map(|j| Some((j, worn(j)?))).collect();
    if let Some(AtRandom { poses, seed }) = plan.random {
        let poses = random_poses(skeleton, &limits, poses, seed);
        trials.extend(poses.into_iter().map(still(AT_RANDOM)));
    }
    if let Some(AtRandom { poses, seed }) = plan.combined {
        let poses = combined_poses(skeleton, &limits, poses, seed);
        trials.extend(poses.into_iter().map(still(COMBINED)));
    }
    if plan.body_shapes {
        trials.extend(shape_trials(body, own));
    }
    TrialSet { trials, ..TrialSet::default() }
}

/// Built-in poses in which every free shape of the body is tried besides rest.
const SHAPED: [&str; 4] = ["arms across", "squat", "bow", "step"];

/// Bodies of no more free shapes are tried in all pairs of them; others in each with the next.
const ALL_PAIRS: usize = 8;
/// The group of pairs of shapes.
const PAIRS: &str = "two shapes";

/// Each free shape of the body and of pieces, half and whole at rest, and whole in a few poses; then pairs of them,
/// both whole.
fn shape_trials(body: &Body, own: &[OwnShape]) -> Vec<Trial> {
    let range = range_poses(&body.skeleton).poses;
    let rest = Pose::rest(body.skeleton.len());
    let mut trials = Vec::new();
    let free = body.morphs.iter().enumerate().filter(|(_, m)| m.driver.is_none());
    let worn = body.worn_amounts();
    let of_body = free.map(|(shape, m)| (shape, m.name.as_str(), worn.get(shape).copied().unwrap_or(0.0)));
    let of_pieces = (body.morphs.len()..).zip(own).map(|(shape, own)| (shape, own.label.as_str(), own.worn));
    let all: Vec<(usize, &str, f32)> = of_body.chain(of_pieces).collect();
    for &(shape, name, worn) in &all {
        let mut add = |label: String, pose: &Pose, amount: f32| {
            let still = Trial::still(name, label, pose.clone());
            trials.push(Trial { shapes: vec![(shape, amount - worn)], ..still });
        };
        add(format!("half {name}"), &rest, 0.5);
        add(name.to_owned(), &rest, 1.0);
        for p in range.iter().filter(|p| SHAPED.contains(&p.name.as_str())) {
            add(format!("{name}, {}", p.name), &p.pose, 1.0);
        }
    }
    let is_tried = |a: usize, b: usize| all.len() <= ALL_PAIRS || b == a + 1;
    for (b, two) in all.iter().enumerate() {
        for one in (0..b).filter(|a| is_tried(*a, b)).map(|a| &all[a]) {
            let still = Trial::still(PAIRS, format!("{} and {}", one.1, two.1), rest.clone());
            trials.push(Trial { shapes: vec![(one.0, 1.0 - one.2), (two.0, 1.0 - two.2)], ..still });
        }
    }
    trials
}

/// The group of poses of an arm, a leg and the trunk at once.
const COMBINED: &str = "combined";
/// The group of poses at random.
const AT_RANDOM: &str = "at random";

/// A pose set by hand, in a group of its own kind.
///
/// It may have been kept before a piece brought its own joints: those stay at rest.
pub fn kept_trial(kept: &KeptPose, joints: usize) -> Trial {
    let mut pose = kept.pose.clone();
    let rest = Pose::rest(joints);
    pose.rotations.extend_from_slice(rest.rotations.get(pose.rotations.len()..).unwrap_or_default());
    pose.translations.extend_from_slice(rest.translations.get(pose.translations.len()..).unwrap_or_default());
    Trial::still(BY_HAND, kept.name.clone(), pose)
}

/// True of a frame of a clip of that name.
pub fn is_of_clip(trial: &Trial, clip: &str) -> bool {
    !trial.is_still && trial.group == group_of_clip(clip)
}

/// Clips called as groups of ours are told apart.
fn group_of_clip(clip: &str) -> String {
    let own = STILL.contains(&clip);
    if own {
        format!("{clip} (motion)")
    } else {
        clip.to_owned()
    }
}

fn of_clip(p: NamedPose) -> Trial {
    let group = group_of_clip(&p.name);
    let name = group.clone();
    Trial { time: p.time, is_still: false, ..Trial::still(&group, name, p.pose) }
}

/// The joints of a motion.
///
/// # Errors
/// When the file has no motion, or one that cannot be played.
pub fn skeleton_of<'a>(file: &str, document: &'a Document) -> Result<&'a Skeleton, WorkshopError> {
    if let Some(clip) = document.unsound_clips.first() {
        let (file, clip, why) = (file.to_owned(), clip.name.clone(), clip.why.clone());
        return Err(WorkshopError::UnsoundClip { file, clip, why });
    }
    let skeleton = document.skeleton.as_ref().filter(|_| !document.clips.is_empty());
    skeleton.ok_or_else(|| WorkshopError::NoClips { file: file.to_owned() })
}

/// The clips of another file on this body, joint by joint.
///
/// # Errors
/// When the file has no clips or none of its joints is one of the body's.
pub fn retarget_trials(
    body: &Body,
    file: &str,
    document: &Document,
    frames: Frames,
) -> Result<TrialSet, WorkshopError> {
    let from = skeleton_of(file, document)?;
    let Some(map) = retarget::JointMap::between(from, &body.skeleton) else {
        return Err(WorkshopError::NoMatchingJoints { file: file.to_owned() });
    };
    Ok(carried(body, from, document, &map, frames))
}

/// The clips of another file on this body, by pairs of joints (its own, the body's).
pub fn matched_trials(
    body: &Body,
    document: &Document,
    pairs: &[(JointId, JointId)],
    frames: Frames,
) -> TrialSet {
    let Some(from) = &document.skeleton else { return TrialSet::default() };
    match retarget::JointMap::of_pairs(from, &body.skeleton, pairs) {
        Some(map) => carried(body, from, document, &map, frames),
        None => TrialSet::default(),
    }
}

fn carried(
    body: &Body,
    from: &Skeleton,
    document: &Document,
    map: &retarget::JointMap,
    frames: Frames,
) -> TrialSet {
    let poses = document.clips.iter().flat_map(|c| c.frames(from, frames_of(c, frames)));
    let carry = |p: NamedPose| {
        let pose = map.carry(from, &body.skeleton, &p.pose);
        of_clip(NamedPose { pose, ..p })
    };
    TrialSet { trials: poses.map(carry).collect(), ..TrialSet::default() }
}
