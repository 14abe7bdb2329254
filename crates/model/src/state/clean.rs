//! What is cleaned on a piece, and how.

use crate::state::by_hand::HandChange;
use crate::state::stroke::Chosen;
use serde::{Deserialize, Serialize};
use tin_cloak_core::bind::clean::WeightGoes;

/// What is cleaned, and how.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "how", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Clean {
    /// At most so many joints a vertex; dropped are those that move it least in the trial poses.
    Limit { most: usize },
    /// Weights below this (0 to 1) are dropped.
    Prune { least: f32 },
    /// Evened out over the surface.
    Smooth { strength: f32, times: usize },
    /// Vertices that disagree with all round them are filled in anew.
    MendTorn,
    /// Islands of weight cut off from their joint's own region are dropped.
    DropStrays,
    /// Joints lose all weight.
    RemoveJoints { joints: Vec<String>, goes: WeightGoes },
    /// One side takes the weights of the other: of all joints, or only of those named and their partners.
    Mirror {
        from_left: bool,
        blend_mm: f32,
        #[serde(default)]
        joints: Vec<String>,
    },
    /// Changed by hand; under a brush so much of its radius gets all of it, in percent.
    ByHand { change: HandChange, firm_percent: Option<f32> },
}

impl Clean {
    /// Over how much it fades beyond what is chosen, where it does, millimetres.
    pub fn fades(&self) -> Option<f32> {
        match self {
            Self::ByHand { change: HandChange::Beneath { fade_mm, .. }, .. } if *fade_mm > 0.0 => {
                Some(*fade_mm)
            }
            _ => None,
        }
    }

    /// The names of its joints, to be exchanged for others.
    pub fn joints_mut(&mut self) -> Vec<&mut String> {
        match self {
            Self::RemoveJoints { joints, .. } | Self::Mirror { joints, .. } => joints.iter_mut().collect(),
            Self::ByHand { change, .. } => change.joints_mut(),
            Self::Limit { .. } | Self::Prune { .. } | Self::Smooth { .. } => Vec::new(),
            Self::MendTorn | Self::DropStrays => Vec::new(),
        }
    }

    /// What it did to `name`, as a step says it.
    pub fn sentence(&self, name: &str) -> String {
        match self {
            Self::Limit { most } => format!("At most {most} joints a vertex on {name}"),
            Self::Prune { least } => format!("Drop weights below {least} on {name}"),
            Self::Smooth { strength, times } => format!("Smooth weights of {name}, {strength} × {times}"),
            Self::MendTorn => format!("Mend torn vertices of {name}"),
            Self::DropStrays => format!("Drop stray influence on {name}"),
            Self::RemoveJoints { joints, .. } => format!("Take weight off {} on {name}", joints.join(", ")),
            Self::ByHand { change, .. } => change.sentence(name),
            Self::Mirror { from_left: true, .. } => format!("Mirror weights of {name}, left to right"),
            Self::Mirror { from_left: false, .. } => format!("Mirror weights of {name}, right to left"),
        }
    }
}

/// What was cleaned on a bound piece, so that it can be done again on new weights.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Cleaned {
    pub clean: Clean,
    #[serde(default)]
    pub chosen: Chosen,
    #[serde(default)]
    pub locked: Vec<String>,
}
