//! Hand work with a brush, as steps keep it.

use crate::state::choice::Pick;
use crate::state::turn::Turn;
use serde::{Deserialize, Serialize};
use tin_cloak_core::seat::Stroke;

/// Where a brush was set down.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Reach {
    /// How far it reaches along the cloth, millimetres.
    pub radius_mm: f32,
    /// Welded vertices at which it was set down, in order.
    pub dabs: Vec<u32>,
    /// Also on the mirror image of each place.
    pub mirrored: bool,
}

/// Which vertices a step works on.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Chosen {
    /// All of them.
    #[default]
    Everything,
    /// Those under a brush.
    Around(Reach),
    /// What picks come to, one after the other.
    Picks(Vec<Pick>),
}

/// One pass of the brush.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct BrushStroke {
    /// What it does.
    pub stroke: Stroke,
    /// Millimetres a dab moves its middle, or percent of the way when smoothing.
    pub strength: f32,
    /// Percent of the radius that get the whole strength; from there it falls off.
    #[serde(default)]
    pub firm_percent: f32,
    /// Where.
    #[serde(flatten)]
    pub reach: Reach,
    /// In a pose, and carried back to rest; at rest where there is none.
    #[serde(default)]
    pub in_pose: Option<StrokePose>,
    /// The shape of the piece that it changes, by name: one of the body's that it follows, or a corrective; what the
    /// piece is at rest where there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub into_shape: Option<String>,
}

/// The pose in which a brush works.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct StrokePose {
    /// Index of a trial pose.
    pub pose: usize,
    /// Joints turned by hand on top of it.
    #[serde(default)]
    pub turns: Vec<Turn>,
    /// Shapes of the body called up by hand, besides those of the pose: number and amount.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub shapes: Vec<(usize, f32)>,
}

impl BrushStroke {
    /// What it does, as a step begins.
    pub fn word(&self) -> &'static str {
        match self.stroke {
            Stroke::PullOut => "Pull out",
            Stroke::PushIn => "Push in",
            Stroke::Smooth => "Smooth",
        }
    }
}
