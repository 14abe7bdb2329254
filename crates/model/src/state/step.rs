//! Steps: what can be done to a fitting, as values that can be kept and run again.

mod binding;
mod intake;
mod mending;
mod seating;
mod trial;

pub use binding::BindingStep;
pub use intake::IntakeStep;
pub use mending::MendingStep;
pub use seating::SeatingStep;
pub use trial::TrialStep;

use crate::state::names::PieceId;
use serde::de::{DeserializeOwned, Error};
use serde::{Deserialize, Deserializer, Serialize};
use serde_json::Value;
use tin_cloak_formats::PieceKind;
use tin_cloak_store::BlobId;

/// One recorded, undoable change, by its station. In JSON it is an object whose `do` names it.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(untagged)]
#[allow(missing_docs)]
pub enum Step {
    Intake(IntakeStep),
    Trial(TrialStep),
    Binding(BindingStep),
    Seating(SeatingStep),
    Mending(MendingStep),
}

impl<'de> Deserialize<'de> for Step {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let value = Value::deserialize(from)?;
        let name = value.get("do").ok_or_else(|| D::Error::missing_field("do"))?;
        let name = name.as_str().ok_or_else(|| D::Error::custom(format!("no step is called {name}")))?;
        let unknown = || D::Error::custom(format!("no step is called “{name}”"));
        let step = known(name, &value, Self::Intake)
            .or_else(|| known(name, &value, Self::Trial))
            .or_else(|| known(name, &value, Self::Binding))
            .or_else(|| known(name, &value, Self::Seating))
            .or_else(|| known(name, &value, Self::Mending));
        step.ok_or_else(unknown)?.map_err(D::Error::custom)
    }
}

/// The step as a station reads it; none where the station has no step of that name.
fn known<S: DeserializeOwned>(
    name: &str,
    value: &Value,
    of_station: impl FnOnce(S) -> Step,
) -> Option<Result<Step, serde_json::Error>> {
    let unknown = format!("unknown variant `{name}`");
    match S::deserialize(value) {
        Err(why) if why.to_string().starts_with(&unknown) => None,
        read => Some(read.map(of_station)),
    }
}

/// A piece to be put on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PutOn {
    pub file: BlobId,
    pub file_name: String,
    pub mesh: String,
    pub layer: u16,
    pub kind: PieceKind,
}

impl Step {
    /// What the page says while it is run.
    pub fn title(&self) -> &'static str {
        match self {
            Self::Intake(step) => step.title(),
            Self::Trial(step) => step.title(),
            Self::Binding(step) => step.title(),
            Self::Seating(step) => step.title(),
            Self::Mending(step) => step.title(),
        }
    }

    /// True of a cure after which everything is still there: how a piece is filed, sized and placed.
    pub fn loses_nothing(&self) -> bool {
        matches!(
            self,
            Self::Intake(IntakeStep::SetKind { .. })
                | Self::Intake(IntakeStep::SetPlace { .. })
                | Self::Seating(SeatingStep::Place { .. })
                | Self::Intake(IntakeStep::PutOver { .. })
                | Self::Intake(IntakeStep::MoveToLayer { .. })
                | Self::Intake(IntakeStep::SizeBody { .. })
                | Self::Intake(IntakeStep::SetBodyParts { .. })
                | Self::Seating(SeatingStep::FindPose { .. })
        )
    }
}

/// What a step did.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Effect {
    /// Deepest poke-through before, millimetres, if it had been measured.
    pub deepest_before_mm: Option<f32>,
    /// The same after.
    pub deepest_after_mm: Option<f32>,
    /// Board cells that got better.
    pub better: usize,
    /// Board cells that got worse.
    pub worse: usize,
    /// The counted cell out of tolerance that got deeper by the most, if any did.
    pub worst_new: Option<WorseCell>,
    /// More, in words.
    pub notes: Vec<String>,
}

/// A cell that a step made worse: where to look at it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct WorseCell {
    /// By how much deeper it is, millimetres.
    pub by_mm: f32,
    /// How deep that is now, millimetres.
    pub depth_mm: f32,
    /// Its row: the numbers of the outer and the inner piece.
    pub ids: [PieceId; 2],
    /// Its column: group, name and seconds into the clip.
    pub group: String,
    /// See `group`.
    pub pose: String,
    /// See `group`.
    pub time_s: f32,
    /// Where in words: “left hip”; nothing where it has no place.
    pub place: String,
}
