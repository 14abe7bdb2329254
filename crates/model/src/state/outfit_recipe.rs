//! A fitting without its meshes: how each piece is filed and bound, what it is tried in. Other pieces and bodies are
//! dressed by it.

use crate::error::WorkshopError;
use crate::state::by_hand::HandChange;
use crate::state::clean::{Clean, Cleaned};
use crate::state::fitting::{FittingState, PieceState};
use crate::state::motion::RangeState;
use crate::state::names::PieceId;
use crate::state::recipe::{BindOptions, FollowWish, JointChoice, Recipe, SourcePart, Takes};
use crate::state::stroke::Chosen;
use crate::state::trial_plan::TrialPlan;
use serde::{Deserialize, Serialize};
use tin_cloak_core::intake::Place;
use tin_cloak_formats::PieceKind;

/// The version that is written.
const VERSION: u32 = 1;

/// What a recipe's file says.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OutfitRecipe {
    /// 1.
    pub tin_cloak_recipe: u32,
    /// What the body was called: rules about pairs mean this one's then.
    #[serde(default)]
    pub body: String,
    /// What is let pass, millimetres.
    pub tolerance_mm: f32,
    /// What it is tried in.
    #[serde(default)]
    pub trials: TrialPlan,
    /// Ranges of the body's joints that were set by hand.
    #[serde(default)]
    pub ranges: Vec<RangeState>,
    /// From the skin outwards.
    pub pieces: Vec<PieceRecipe>,
    /// What of the fitting other meshes could not have, in words; told, and of no effect.
    #[serde(default)]
    pub left_out: Vec<String>,
}

/// A piece of it, by its name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PieceRecipe {
    /// What it is called; a piece of no such name is known by its place when that is worn once.
    pub name: String,
    /// From 1, next to the skin.
    pub layer: u16,
    /// Soft, stiff or mixed.
    pub kind: PieceKind,
    /// Where it is worn, when that was said.
    #[serde(default)]
    pub place: Option<Place>,
    /// How it is bound.
    #[serde(default)]
    pub bind: BindOptions,
    /// From whom.
    #[serde(default)]
    pub takes: TakesByName,
    /// Joints of the body that its source is, when it takes from a part.
    #[serde(default)]
    pub from_joints: Vec<String>,
    /// With which joints.
    #[serde(default)]
    pub joints: Option<JointChoice>,
    /// What all of its stiff parts follow, when that was said.
    #[serde(default)]
    pub follows: Option<FollowWish>,
    /// What is cleaned on all of it, in order.
    #[serde(default)]
    pub cleaning: Vec<Clean>,
    /// How far it lets joints turn.
    #[serde(default)]
    pub limits: Vec<RangeState>,
}

/// Whose weights a piece takes, by name.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TakesByName {
    /// The body's.
    #[default]
    Body,
    /// Those of the body and all pieces beneath.
    Beneath,
    /// Those of pieces.
    Pieces(Vec<String>),
    /// Those of the cage that it hangs in.
    Cage(String),
}

impl OutfitRecipe {
    /// That of a fitting as it stands.
    pub fn of_state(state: &FittingState, body: &str) -> Self {
        let mut left_out = Vec::new();
        let of = |p: &PieceState| PieceRecipe::of(p, state, &mut left_out);
        let mut pieces: Vec<_> = state.pieces.iter().map(of).collect();
        pieces.sort_by_key(|p| p.layer);
        Self {
            tin_cloak_recipe: VERSION,
            body: body.to_owned(),
            tolerance_mm: state.tolerance_mm,
            trials: state.plan.clone(),
            ranges: state.ranges.clone(),
            pieces,
            left_out,
        }
    }

    /// Of the bytes of a file.
    ///
    /// # Errors
    /// When it is none, is of a later version, or says what makes no sense.
    pub fn of_json(file: &str, bytes: &[u8]) -> Result<Self, WorkshopError> {
        let wrong = |why: String| WorkshopError::BadRecipe { file: file.to_owned(), why };
        let recipe: Self = serde_json::from_slice(bytes).map_err(|e| wrong(e.to_string()))?;
        recipe.checked().map_err(wrong)?;
        Ok(recipe)
    }

    /// What is wrong with it, in words.
    ///
    /// # Errors
    /// That.
    pub fn checked(&self) -> Result<(), String> {
        if self.tin_cloak_recipe != VERSION {
            return Err(format!("its version is {}, known is {VERSION}", self.tin_cloak_recipe));
        }
        if !(0.0..=200.0).contains(&self.tolerance_mm) {
            return Err("tolerance_mm is no number from 0 to 200".to_owned());
        }
        self.trials.checked()?;
        for piece in &self.pieces {
            let of = |why: &dyn std::fmt::Display| format!("{}: {why}", piece.name);
            piece.bind.checked().map_err(|why| of(&why))?;
            if !(1..=99).contains(&piece.layer) {
                return Err(of(&WorkshopError::BadLayer));
            }
        }
        let ranges = self.ranges.iter().chain(self.pieces.iter().flat_map(|p| &p.limits));
        match ranges.clone().find(|r| !r.range.makes_sense()) {
            Some(bad) => Err(format!("the range of {} ends before it begins", bad.joint)),
            None => Ok(()),
        }
    }
}

impl PieceRecipe {
    fn of(piece: &PieceState, state: &FittingState, notes: &mut Vec<String>) -> Self {
        let Recipe { options, takes, part, joints, follows, sides, came } = piece.recipe.clone();
        let name = piece.name().to_owned();
        let mut lost = Vec::new();
        let named = |id: &PieceId| state.pieces.iter().find(|p| p.id == *id).map(|p| p.name().to_owned());
        let takes = match takes {
            Takes::Body => TakesByName::Body,
            Takes::Beneath => TakesByName::Beneath,
            Takes::Pieces(list) => TakesByName::Pieces(list.iter().filter_map(named).collect()),
            Takes::Cage(id) => named(&id).map_or(TakesByName::Body, TakesByName::Cage),
            Takes::Template(_) => {
                lost.push("the kept binding that it takes");
                TakesByName::Body
            }
        };
        let from_joints = match part {
            SourcePart::Joints(list) => list,
            SourcePart::Whole => Vec::new(),
            _ => {
                lost.push("the part that it takes from");
                Vec::new()
            }
        };
        let of_all = |(shell, follow): (Option<u32>, FollowWish)| shell.is_none().then_some(follow);
        if follows.iter().any(|f| f.0.is_some()) {
            lost.push("what single parts follow");
        }
        if !sides.is_empty() {
            lost.push("sides that were said");
        }
        if !came.is_empty() {
            lost.push("how joints of its file were matched");
        }
        let cleaning: Vec<Clean> =
            piece.cleaned.iter().filter(|c| is_of_any(c)).map(|c| c.clean.clone()).collect();
        if cleaning.len() < piece.cleaned.len() {
            lost.push("changes of weights of what was chosen");
        }
        if !lost.is_empty() {
            notes.push(format!("{name}: left out, since other meshes do not have it: {}", lost.join(", ")));
        }
        Self {
            name,
            layer: piece.layer,
            kind: piece.kind,
            place: piece.place,
            bind: options,
            takes,
            from_joints,
            joints,
            follows: follows.into_iter().find_map(of_all),
            cleaning,
            limits: piece.limits.clone(),
        }
    }
}

/// Whether it can be done to any mesh: nothing in it goes by number.
fn is_of_any(Cleaned { clean, chosen, .. }: &Cleaned) -> bool {
    use HandChange::{Beneath, Give, Harden, Mean, Move, Refill, Smooth};
    let by_number = match clean {
        Clean::ByHand { change, .. } => !matches!(
            change,
            Give { .. } | Move { .. } | Smooth { .. } | Harden { .. } | Mean | Beneath { .. } | Refill
        ),
        _ => false,
    };
    matches!(chosen, Chosen::Everything) && !by_number
}
