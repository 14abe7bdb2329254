//! What was settled for an outfit on another body, said of this one: what goes by the name of a joint, or by the number
//! of a piece.

use crate::wearing::joint_partners::JointPartners;
use crate::wearing::outfit::NOT_CARRIED;
use std::collections::HashMap;
use tin_cloak_model::state::by_hand::HandChange;
use tin_cloak_model::state::choice::joints_of_picks;
use tin_cloak_model::state::clean::{Clean, Cleaned};
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::motion::RangeState;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::recipe::{FollowWish, Recipe, SourcePart, Takes};
use tin_cloak_model::state::stroke::Chosen;

/// Joints and pieces by what they are called here.
pub(super) struct TakenOver<'a> {
    pub joints: &'a JointPartners,
    /// True when the body has all joints of the other, by name: weights that came with a piece mean the same here.
    pub same_joints: bool,
    pub pieces: &'a HashMap<PieceId, PieceId>,
}

impl TakenOver<'_> {
    /// A piece with all that is said of it, unbound; what could not be said here is told.
    pub fn piece(&self, of: &PieceState, notes: &mut Vec<String>) -> PieceState {
        let mut piece = of.clone();
        piece.id = self.pieces.get(&of.id).copied().unwrap_or(of.id);
        (piece.carried, piece.bound, piece.bound_on) = (None, None, None);
        (piece.took, piece.carried_on) = Default::default();
        piece.follows.clear();
        if of.carried.is_some() {
            notes.push(format!("{NOT_CARRIED}shapes that {} follows: let it follow this body’s", of.name()));
        }
        if !std::mem::take(&mut piece.correctives).is_empty() {
            notes.push(format!("{NOT_CARRIED}correctives of {}: make them again (Mending)", of.name()));
        }
        self.recipe(&mut piece.recipe, of.name(), notes);
        let known = piece.cleaned.len();
        piece.cleaned.retain_mut(|c| self.cleaned(c));
        if piece.cleaned.len() < known {
            let lost = known - piece.cleaned.len();
            let of = of.name();
            notes.push(format!("{NOT_CARRIED}{lost} changes of weights of {of}: their joints are not here"));
        }
        piece.limits.retain_mut(|r| self.range(r));
        let picks = piece.patches.iter_mut().flat_map(|p| joints_of_picks(&mut p.picks));
        self.joints.exchange(picks);
        piece
    }

    fn recipe(&self, recipe: &mut Recipe, name: &str, notes: &mut Vec<String>) {
        if !self.same_joints {
            recipe.leave_came();
        }
        recipe.came.retain_mut(|(_, of_body)| self.joints.exchange([of_body]));
        let known = |joint: &String| self.joints.of(joint).is_some();
        let mut lost = Vec::new();
        recipe.follows.retain(|(_, follow)| match follow {
            FollowWish::Joint(joint) if !known(joint) => {
                lost.push(joint.clone());
                false
            }
            _ => true,
        });
        for end in &mut recipe.options.ends {
            lost.extend(end.take_if(|joint| !known(joint)));
        }
        if let Some(choice) = &mut recipe.joints {
            choice.joints.retain(known);
        }
        if let SourcePart::Joints(list) = &mut recipe.part {
            list.retain(known);
        }
        match (&recipe.takes, &recipe.part) {
            // Places of the other body that go by number are elsewhere on this one.
            (
                Takes::Body | Takes::Beneath,
                SourcePart::Patch(_) | SourcePart::Vertices(_) | SourcePart::Kept(_),
            )
            | (Takes::Body, SourcePart::Shells(_)) => {
                recipe.part = SourcePart::Whole;
                notes.push(format!(
                    "{NOT_CARRIED}the part of the body that {name} takes from: it takes from all of it"
                ));
            }
            (_, SourcePart::Joints(list)) if list.is_empty() => recipe.part = SourcePart::Whole,
            _ => {}
        }
        self.joints.exchange(recipe.joints_mut());
        match &mut recipe.takes {
            Takes::Pieces(list) => {
                list.iter_mut().for_each(|id| *id = self.pieces.get(id).copied().unwrap_or(*id));
            }
            Takes::Cage(id) => *id = self.pieces.get(id).copied().unwrap_or(*id),
            Takes::Body | Takes::Beneath | Takes::Template(_) => {}
        }
        if !lost.is_empty() {
            notes.push(format!("{NOT_CARRIED}that {name} follows {}: it is not here", lost.join(", ")));
        }
    }

    fn cleaned(&self, cleaned: &mut Cleaned) -> bool {
        cleaned.locked.retain_mut(|joint| self.joints.exchange([joint]));
        let picks = match &mut cleaned.chosen {
            Chosen::Picks(picks) => joints_of_picks(picks),
            Chosen::Everything | Chosen::Around(_) => Vec::new(),
        };
        let chosen = self.joints.exchange(picks);
        if let Clean::ByHand { change: HandChange::TakenFrom { part, .. }, .. } = &mut cleaned.clean {
            *part = self.pieces.get(part).copied().unwrap_or(*part);
        }
        self.joints.exchange(cleaned.clean.joints_mut()) && chosen
    }

    /// A range of a joint; false where there is no such joint.
    pub fn range(&self, range: &mut RangeState) -> bool {
        self.joints.exchange([&mut range.joint])
    }
}
