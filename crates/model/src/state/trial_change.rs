//! One change of what is tried and how it counts: made of the plan as it stands, so that two hands at once do not
//! take back what the other has set.

use crate::state::trial_plan::{AtRandom, CountRule, Counts, Frames, Sweep, Target, TrialPlan};
use serde::{Deserialize, Serialize};
use tin_cloak_core::trial::SwingAxis;

/// One change of a trial plan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "set", rename_all = "snake_case")]
pub enum TrialChange {
    /// How a pose, a stretch of a clip, a group or a pair counts, and why.
    Count { target: Target, counts: Counts, note: String },
    /// Something that was set apart counts as all does.
    CountAgain { target: Target },
    /// What is let pass in a pair, millimetres; as everywhere when nothing is said.
    PairTolerance { outer: String, inner: String, tolerance_mm: Option<f32> },
    /// Whether what nobody sees counts.
    HiddenCounts { on: bool },
    /// Whether free shapes of the body are tried.
    BodyShapes { on: bool },
    /// Whether each of them is tried in every clip.
    ShapesInClips { on: bool },
    /// Whether it is asked what goes beneath the ground.
    Ground { on: bool },
    /// Whether the built-in poses are tried on the way there.
    OnTheWay { on: bool },
    /// Whether the shapes that poses drive are there.
    DrivenShapes { on: bool },
    /// Pieces that are off while it is asked what is seen.
    TakenOff { pieces: Vec<String> },
    /// How many frames of clips are tried.
    FramesOfClips { frames: Frames },
    /// A joint is swung through its range about an axis, about all three when none is named.
    Swing { joint: String, axis: Option<SwingAxis>, steps: usize, both_sides: bool, coupled: bool },
    /// A swing is tried no more, by its group.
    NoSwing { group: String },
    /// So many poses of an arm, a leg and the trunk at once; none for 0.
    Combined { poses: usize, seed: u64 },
    /// So many poses at random; none for 0.
    Random { poses: usize, seed: u64 },
}

/// Longest reason that is kept, characters.
const LONGEST_NOTE: usize = 200;

impl TrialChange {
    /// The plan with the change made, and a sentence that tells of it.
    ///
    /// # Errors
    /// When what it changes is not there any more, in words.
    pub fn made_in(&self, mut plan: TrialPlan) -> Result<(TrialPlan, String), String> {
        let with = |on: bool| if on { "with" } else { "without" };
        let said = match self {
            Self::Count { target, counts, note } => {
                let note: String = note.trim().chars().take(LONGEST_NOTE).collect();
                let why = if note.is_empty() { String::new() } else { format!(" ({note})") };
                let said = format!("{} {}{why}", target.words(), counts.word());
                plan = plan.with_rule(CountRule { target: target.clone(), counts: *counts, note });
                said
            }
            Self::CountAgain { target } => {
                let before = plan.counts.len();
                plan.counts.retain(|rule| rule.target != *target);
                if plan.counts.len() == before {
                    return Err(format!("{} is not set apart: look at the list again", target.words()));
                }
                format!("{} counts again", target.words())
            }
            Self::PairTolerance { outer, inner, tolerance_mm } => {
                plan = plan.with_tolerance(outer, inner, *tolerance_mm);
                match tolerance_mm {
                    Some(mm) => format!("{outer} over {inner} lets {mm} mm pass"),
                    None => format!("{outer} over {inner} lets pass what all do"),
                }
            }
            Self::HiddenCounts { on } => {
                plan.hidden_counts = *on;
                format!("what nobody sees {}", if *on { "counts" } else { "does not count" })
            }
            Self::BodyShapes { on } => {
                plan.body_shapes = *on;
                format!("{} the body's shapes", with(*on))
            }
            Self::ShapesInClips { on } => {
                plan.shapes_in_clips = *on;
                format!("{} the body's shapes in clips", with(*on))
            }
            Self::Ground { on } => {
                plan.ground = *on;
                format!("{} the ground", with(*on))
            }
            Self::OnTheWay { on } => {
                plan.on_the_way = *on;
                format!("{} what lies on the way to the built-in poses", with(*on))
            }
            Self::DrivenShapes { on } => {
                plan.driven_off = !on;
                format!("{} the shapes that poses drive", with(*on))
            }
            Self::TakenOff { pieces } => {
                plan.taken_off.clone_from(pieces);
                match pieces.is_empty() {
                    true => "all of it worn".to_owned(),
                    false => format!("as seen without {}", pieces.join(", ")),
                }
            }
            Self::FramesOfClips { frames } => {
                plan.frames = *frames;
                format!("frames of clips, {}", frames.words())
            }
            Self::Swing { joint, axis, steps, both_sides, coupled } => {
                for axis in SwingAxis::ALL.into_iter().filter(|a| axis.is_none_or(|wished| wished == *a)) {
                    let (joint, steps) = (joint.clone(), *steps);
                    let sweep = Sweep { joint, axis, steps, both_sides: *both_sides, coupled: *coupled };
                    plan.sweeps.retain(|s| s.group() != sweep.group());
                    plan.sweeps.push(sweep);
                }
                format!("swing {joint} through its range")
            }
            Self::NoSwing { group } => {
                let before = plan.sweeps.len();
                plan.sweeps.retain(|s| s.group() != *group);
                if plan.sweeps.len() == before {
                    return Err(format!("{group} is not swung: look at the list again"));
                }
                format!("swing {group} no more")
            }
            Self::Combined { poses, seed } => {
                plan.combined = (*poses > 0).then_some(AtRandom { poses: *poses, seed: *seed });
                format!("{poses} combined poses, seed {seed}")
            }
            Self::Random { poses, seed } => {
                plan.random = (*poses > 0).then_some(AtRandom { poses: *poses, seed: *seed });
                format!("{poses} poses at random, seed {seed}")
            }
        };
        Ok((plan, format!("Trials: {said}")))
    }
}
