//! What is changed on weights by hand.

use crate::state::names::PieceId;
use serde::{Deserialize, Serialize};
use tin_cloak_core::bind::by_hand::{FoldsOver, Profile};

/// How much of a joint.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum HandAmount {
    Set(f32),
    Add(f32),
    Times(f32),
}

/// Who has less when a joint gets more, and more when it gets less.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum HandRest {
    /// All others there, in proportion.
    #[default]
    Others,
    /// The joint's parent.
    Parent,
    /// One joint, by name.
    Joint(String),
}

/// One change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum HandChange {
    /// A joint's weight set, added to, taken from or multiplied.
    Give { joint: String, amount: HandAmount, rest: HandRest },
    /// What one joint has goes to another, or both exchange theirs.
    Move { from: String, to: String, both: bool },
    /// Some joints (all when none is named) smoothed against the others.
    Smooth { joints: Vec<String>, strength: f32, times: usize },
    /// Sharper fall-off.
    Harden { strength: f32 },
    /// The weights of one vertex.
    Copy { vertex: u32 },
    /// The mean of what is chosen.
    Mean,
    /// So much of the way (0 to 1) to the weights of what lies beneath, and less and less over so much beyond what is
    /// chosen, along the surface, millimetres.
    Beneath {
        share: f32,
        #[serde(default)]
        fade_mm: f32,
    },
    /// So much of the way (0 to 1) to the weights of one part (0 is the body), of all joints or of one.
    TakenFrom {
        part: PieceId,
        share: f32,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        joint: Option<String>,
    },
    /// From one joint to another between two vertices.
    Fade {
        from: String,
        to: String,
        ends: [u32; 2],
        along_surface: bool,
        /// Along the rows instead.
        #[serde(default)]
        along_rows: bool,
        profile: Profile,
    },
    /// One joint from one amount to another between two vertices.
    Gradient {
        joint: String,
        amounts: [f32; 2],
        ends: [u32; 2],
        along_surface: bool,
        #[serde(default)]
        along_rows: bool,
        profile: Profile,
        rest: HandRest,
    },
    /// Filled in from round about.
    Refill,
    /// From one joint to the next across the line between two vertices, over so much, millimetres.
    Crease { near: String, far: String, ends: [u32; 2], width_mm: f32, over: FoldsOver },
    /// The same along each line of the vertices that are chosen: they are where it lies, not what it changes.
    CreaseAlong { near: String, far: String, width_mm: f32, over: FoldsOver },
    /// Weights typed in: vertices with a weight for each of the joints.
    Table { joints: Vec<String>, rows: Vec<(u32, Vec<f32>)> },
    /// The same by places at rest, metres: each is for the nearest vertex, where that is near enough.
    Placed { joints: Vec<String>, rows: Vec<([f32; 3], Vec<f32>)> },
}

impl HandChange {
    /// What it did to `name`, as a step says it.
    pub fn sentence(&self, name: &str) -> String {
        match self {
            Self::Give { joint, amount: HandAmount::Set(to), .. } => format!("Set {joint} to {to} on {name}"),
            Self::Give { joint, amount: HandAmount::Add(by), .. } if *by < 0.0 => {
                format!("Take {} of {joint} on {name}", -by)
            }
            Self::Give { joint, amount: HandAmount::Add(by), .. } => format!("Add {by} of {joint} on {name}"),
            Self::Give { joint, amount: HandAmount::Times(by), .. } => {
                format!("{joint} times {by} on {name}")
            }
            Self::Move { from, to, both: false } => format!("Move weight from {from} to {to} on {name}"),
            Self::Move { from, to, both: true } => format!("Exchange {from} and {to} on {name}"),
            Self::Smooth { joints, .. } if joints.is_empty() => format!("Smooth a part of {name}"),
            Self::Smooth { joints, .. } => format!("Smooth {} on {name}", joints.join(", ")),
            Self::Harden { .. } => format!("Harden weights of {name}"),
            Self::Copy { vertex } => format!("Give a part of {name} the weights of vertex {vertex}"),
            Self::Mean => format!("Give a part of {name} its mean weights"),
            Self::Beneath { share, fade_mm: 0.0 } => {
                format!("{:.0} % of the weights beneath on {name}", share * 100.0)
            }
            Self::Beneath { share, fade_mm } => {
                format!(
                    "{:.0} % of the weights beneath on {name}, fading over {fade_mm:.0} mm",
                    share * 100.0
                )
            }
            Self::TakenFrom { share, joint, .. } => {
                let what = joint.as_deref().unwrap_or("the weights");
                format!("{:.0} % of {what} of another part on {name}", share * 100.0)
            }
            Self::Fade { from, to, .. } => format!("Fade from {from} to {to} on {name}"),
            Self::Gradient { joint, amounts: [first, second], .. } => {
                format!("{joint} from {first} to {second} on {name}")
            }
            Self::Refill => format!("Fill a part of {name} in from round about"),
            Self::CreaseAlong { near, far, .. } => {
                format!("A crease between {near} and {far} along what is chosen on {name}")
            }
            Self::Crease { near, far, .. } => format!("A crease between {near} and {far} on {name}"),
            Self::Table { rows, .. } if rows.len() == 1 => {
                format!("Type in the weights of a vertex of {name}")
            }
            Self::Table { rows, .. } => format!("Type in weights of {} vertices of {name}", rows.len()),
            Self::Placed { rows, .. } => format!("Type in weights of {} places of {name}", rows.len()),
        }
    }

    /// The names of its joints, to be exchanged for others.
    pub fn joints_mut(&mut self) -> Vec<&mut String> {
        match self {
            Self::Give { joint, rest: HandRest::Joint(other), .. }
            | Self::Gradient { joint, rest: HandRest::Joint(other), .. } => vec![joint, other],
            Self::Give { joint, .. } | Self::Gradient { joint, .. } => vec![joint],
            Self::TakenFrom { joint, .. } => joint.iter_mut().collect(),
            Self::Move { from, to, .. } | Self::Fade { from, to, .. } => vec![from, to],
            Self::Crease { near, far, .. } | Self::CreaseAlong { near, far, .. } => vec![near, far],
            Self::Smooth { joints, .. } | Self::Table { joints, .. } | Self::Placed { joints, .. } => {
                joints.iter_mut().collect()
            }
            _ => Vec::new(),
        }
    }

    /// Follows the vertices that it names to the numbers that `new` gives them; false when one that it goes by is
    /// gone.
    pub fn renumber(&mut self, new: &dyn Fn(u32) -> Option<u32>) -> bool {
        let follow = |vertex: &mut u32| {
            let now = new(*vertex);
            *vertex = now.unwrap_or(*vertex);
            now.is_some()
        };
        match self {
            Self::Copy { vertex } => follow(vertex),
            Self::Fade { ends, .. } | Self::Gradient { ends, .. } | Self::Crease { ends, .. } => {
                ends.iter_mut().all(follow)
            }
            Self::Table { rows, .. } => {
                rows.retain_mut(|row| follow(&mut row.0));
                !rows.is_empty()
            }
            _ => true,
        }
    }
}
