//! What a fitting is tried in besides its own poses, and how what is found counts: a set that is kept with
//! the fitting, taken over by others and read from a file.

use crate::error::WorkshopError;
use serde::{Deserialize, Serialize};
use tin_cloak_core::trial::SwingAxis;

/// How something that is tried counts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Counts {
    /// For the verdict.
    #[default]
    Counted,
    /// Measured and told apart.
    Stress,
    /// Never seen by anybody.
    Aside,
}

impl Counts {
    /// On the page.
    pub fn word(self) -> &'static str {
        match self {
            Self::Counted => "counted",
            Self::Stress => "stress only",
            Self::Aside => "left aside",
        }
    }
}

/// What a rule is about.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Target {
    /// A pose by its group and name.
    Pose { group: String, name: String },
    /// Poses of a group (a clip's frames) from one second to another.
    Frames { group: String, from_s: f32, to_s: f32 },
    /// All of a group: a clip, the built-in poses.
    Group { group: String },
    /// What is through between two layers, by name.
    Pair { outer: String, inner: String },
}

impl Target {
    /// On the page.
    pub fn words(&self) -> String {
        match self {
            Self::Pose { name, .. } => name.clone(),
            Self::Group { group } => format!("all of {group}"),
            Self::Frames { group, from_s, to_s } if from_s == to_s => format!("{group}, {from_s:.2} s"),
            Self::Frames { group, from_s, to_s } => format!("{group}, {from_s:.2} to {to_s:.2} s"),
            Self::Pair { outer, inner } if outer == inner => format!("{outer} in itself"),
            Self::Pair { outer, inner } => format!("{outer} over {inner}"),
        }
    }
}

/// How something counts, and why.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CountRule {
    /// What.
    pub target: Target,
    /// How.
    pub counts: Counts,
    /// Why, in a person's words.
    #[serde(default)]
    pub note: String,
}

/// A tolerance of its own for two layers, by name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PairTolerance {
    pub outer: String,
    pub inner: String,
    pub tolerance_mm: f32,
}

/// How many frames of each clip are tried.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Frames {
    /// So many, spread evenly.
    Some(usize),
    /// Every one, at the clip's own rate.
    All,
    /// Every one, so many a second.
    Rate(u32),
}

impl Frames {
    /// On the page.
    pub fn words(self) -> String {
        match self {
            Self::Some(count) => format!("{count} of each clip"),
            Self::All => "every one".to_owned(),
            Self::Rate(rate) => format!("{rate} a second"),
        }
    }
}

impl Default for Frames {
    fn default() -> Self {
        Self::Some(12)
    }
}

/// A joint swung through its range.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sweep {
    /// By name.
    pub joint: String,
    /// About which axis.
    pub axis: SwingAxis,
    /// In so many poses.
    pub steps: usize,
    /// True to swing its partner of the other side with it.
    #[serde(default)]
    pub both_sides: bool,
    /// True for what goes along by nature: the shoulder blade with the arm, the spine as a whole.
    #[serde(default = "yes")]
    pub coupled: bool,
}

impl Sweep {
    /// The group its poses are shown in.
    pub fn group(&self) -> String {
        let both = if self.both_sides { ", both sides" } else { "" };
        format!("{} {}{both}", self.joint, self.axis.word())
    }
}

/// Poses at random within the ranges of all joints.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct AtRandom {
    pub poses: usize,
    pub seed: u64,
}

fn yes() -> bool {
    true
}

/// Where poses come from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Tries {
    /// Rest, and the built-in range of motion.
    BuiltIn,
    /// The body's own clips.
    Clips,
    /// Motions of other files.
    Motions,
    /// What a plan adds: swings, poses at random, shapes.
    Planned,
    /// Poses set by hand.
    ByHand,
}

impl Tries {
    /// All there are.
    pub const ALL: [Self; 5] = [Self::BuiltIn, Self::Clips, Self::Motions, Self::Planned, Self::ByHand];
}

/// What is tried, and how it counts.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct TrialPlan {
    /// Frames of clips.
    pub frames: Frames,
    /// What is not tried.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub left_out: Vec<Tries>,
    /// Joints swung through their ranges.
    pub sweeps: Vec<Sweep>,
    /// Poses at random.
    pub random: Option<AtRandom>,
    /// Poses of an arm, a leg and the trunk at once.
    pub combined: Option<AtRandom>,
    /// How poses and pairs count; of several rules for one the last.
    pub counts: Vec<CountRule>,
    /// Tolerances of pairs.
    pub tolerances: Vec<PairTolerance>,
    /// True to try the free shapes of the body (stout, slight) too.
    pub body_shapes: bool,
    /// True to try each of them in every frame of the clips, too.
    pub shapes_in_clips: bool,
    /// True when what nobody sees counts against the outfit.
    pub hidden_counts: bool,
    /// Pieces that are off while it is asked what is seen, by name; what they are through of does not count.
    pub taken_off: Vec<String>,
    /// True when the body's shapes that poses drive stay off.
    pub driven_off: bool,
    /// True to ask too what goes beneath the ground.
    pub ground: bool,
    /// True to try the built-in poses on the way there too: half of it, and three quarters.
    pub on_the_way: bool,
}

/// So many poses a plan may add.
const MOST: usize = 5000;

impl TrialPlan {
    /// Of a file.
    ///
    /// # Errors
    /// When it is no such plan or makes no sense.
    pub fn of_json(file: &str, bytes: &[u8]) -> Result<Self, WorkshopError> {
        let wrong = |why: String| WorkshopError::BadPlan { file: file.to_owned(), why };
        let plan: Self = serde_json::from_slice(bytes).map_err(|e| wrong(e.to_string()))?;
        plan.checked().map_err(wrong)?;
        Ok(plan)
    }

    /// What is wrong with it, in words.
    ///
    /// # Errors
    /// That.
    pub fn checked(&self) -> Result<(), String> {
        let frames = match self.frames {
            Frames::Some(n) => (1..=MOST).contains(&n),
            Frames::All => true,
            Frames::Rate(rate) => (1..=240).contains(&rate),
        };
        if !frames {
            return Err(format!("frames of a clip: give 1 to {MOST}, or a rate of 1 to 240 a second"));
        }
        if self.sweeps.iter().any(|s| !(2..=181).contains(&s.steps)) {
            return Err("a swing has 2 to 181 poses".to_owned());
        }
        let swung: usize = self.sweeps.iter().map(|s| s.steps).sum();
        let at_random = self.random.iter().chain(&self.combined).map(|r| r.poses);
        if at_random.fold(swung, usize::saturating_add) > MOST {
            return Err(format!("at most {MOST} poses swung, combined and at random"));
        }
        let sane = |mm: f32| mm.is_finite() && (0.0..=200.0).contains(&mm);
        if self.tolerances.iter().any(|t| !sane(t.tolerance_mm)) {
            return Err("a tolerance is 0 to 200 mm".to_owned());
        }
        let ordered = |rule: &CountRule| match rule.target {
            Target::Frames { from_s, to_s, .. } => from_s <= to_s,
            _ => true,
        };
        if !self.counts.iter().all(ordered) {
            return Err("frames are counted from an earlier second to a later one".to_owned());
        }
        Ok(())
    }

    /// How a pose counts.
    pub fn of_pose(&self, group: &str, name: &str, time_s: f32) -> Counts {
        let is_meant = |target: &Target| match target {
            Target::Pose { group: g, name: n } => g == group && n == name,
            Target::Group { group: g } => g == group,
            Target::Frames { group: g, from_s, to_s } => {
                g == group && (*from_s - HAIR..=*to_s + HAIR).contains(&time_s)
            }
            Target::Pair { .. } => false,
        };
        self.last(is_meant, Counts::Counted)
    }

    /// What is said of a piece by its old name is said of it by the new one.
    pub fn rename(&mut self, old: &str, new: &str) {
        let follow = |name: &mut String| {
            if name == old {
                new.clone_into(name);
            }
        };
        for rule in &mut self.counts {
            if let Target::Pair { outer, inner } = &mut rule.target {
                [outer, inner].into_iter().for_each(follow);
            }
        }
        for pair in &mut self.tolerances {
            [&mut pair.outer, &mut pair.inner].into_iter().for_each(follow);
        }
    }

    /// How what is through between two layers counts.
    pub fn of_pair(&self, outer: &str, inner: &str) -> Counts {
        self.of_rows(outer, inner, Counts::Counted)
    }

    /// How what a layer runs into of itself counts: cloth in the pit of an arm is for stress only unless one says
    /// otherwise.
    pub fn of_itself(&self, layer: &str) -> Counts {
        self.of_rows(layer, layer, Counts::Stress)
    }

    /// How a row of a board counts: two layers, or one against itself.
    pub fn of_row(&self, outer: &str, inner: &str, is_itself: bool) -> Counts {
        match is_itself {
            true => self.of_itself(outer),
            false => self.of_pair(outer, inner),
        }
    }

    fn of_rows(&self, outer: &str, inner: &str, unsaid: Counts) -> Counts {
        if self.is_off(outer) || self.is_off(inner) {
            return Counts::Aside;
        }
        let is_meant = |target: &Target| match target {
            Target::Pair { outer: o, inner: i } => o == outer && i == inner,
            _ => false,
        };
        self.last(is_meant, unsaid)
    }

    /// True for a piece that is off while it is asked what is seen.
    pub fn is_off(&self, piece: &str) -> bool {
        self.taken_off.iter().any(|off| off == piece)
    }

    fn last(&self, is_meant: impl Fn(&Target) -> bool, unsaid: Counts) -> Counts {
        self.counts.iter().rev().find(|r| is_meant(&r.target)).map_or(unsaid, |r| r.counts)
    }

    /// The tolerance of two layers, where it is not that of all, millimetres.
    pub fn tolerance_of(&self, outer: &str, inner: &str) -> Option<f32> {
        let found = self.tolerances.iter().find(|t| t.outer == outer && t.inner == inner);
        found.map(|t| t.tolerance_mm)
    }

    /// The same with a rule in the place of the one for the same target; a rule that only says what holds
    /// anyway goes.
    pub fn with_rule(mut self, rule: CountRule) -> Self {
        self.counts.retain(|r| r.target != rule.target);
        let before = match &rule.target {
            Target::Pose { group, name } => self.of_pose(group, name, 0.0),
            Target::Pair { outer, inner } => self.of_row(outer, inner, outer == inner),
            Target::Group { .. } | Target::Frames { .. } => Counts::Counted,
        };
        let says_nothing = before == rule.counts && rule.note.is_empty();
        self.counts.extend((!says_nothing).then_some(rule));
        self
    }

    /// The same with a tolerance for two layers; none for that of all.
    pub fn with_tolerance(mut self, outer: &str, inner: &str, tolerance_mm: Option<f32>) -> Self {
        self.tolerances.retain(|t| !(t.outer == outer && t.inner == inner));
        let (outer, inner) = (outer.to_owned(), inner.to_owned());
        self.tolerances.extend(tolerance_mm.map(|tolerance_mm| PairTolerance { outer, inner, tolerance_mm }));
        self
    }
}

/// Times of frames are compared to within this, seconds.
const HAIR: f32 = 1e-3;
